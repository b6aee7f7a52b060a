package demo

import (
	"fmt"
	"net/netip"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// trade is a kind of device of the large site: how many there are, who makes them, on which
// port they answer, and how many of them are wanted from outside.
type trade struct {
	kind, maker, name string
	count             int
	port              int
	service           string
	opened            int
}

var trades = []trade{
	{"switch", "Larkbridge", "Switch", 24, 80, "web page", 0},
	{"camera", "Ostrel Vision", "Camera", 150, 554, "video", 90},
	{"recorder", "Ostrel Vision", "Recorder", 6, 8000, "recordings", 6},
	{"door station", "Hollin", "Door", 40, 5060, "calls", 24},
	{"controller", "Tarn Kilnworks", "Kiln", 60, 80, "web page", 60},
	{"meter", "Fennick", "Meter", 80, 502, "readings", 84 - 4},
	{"computer", "Quillet", "Desk", 40, 3389, "remote desktop", 4},
}

var halls = []string{"clay hall", "glaze hall", "kiln hall", "packing", "yard", "offices", "north store", "south store"}

// Large is a works on a /22 with 400 devices: half of them pinned, two thirds wanted from
// outside. It is made the same each time.
func Large() site.Site {
	s := site.New("Saltmarsh Tile Works", netip.MustParsePrefix("10.48.32.0/22"), netip.MustParseAddr("10.48.32.1"), []site.Range{{From: netip.MustParseAddr("10.48.34.0"), To: netip.MustParseAddr("10.48.35.199")}})
	s.Networks[0].Bands = []site.Band{
		{Name: "network gear", From: at(2), To: at(49), Kinds: []string{"switch"}},
		{Name: "cameras", From: at(50), To: at(249), Kinds: []string{"camera", "recorder"}},
		{Name: "doors", From: at(260), To: at(309), Kinds: []string{"door station"}},
		{Name: "kilns and meters", From: at(310), To: at(479), Kinds: []string{"controller", "meter"}},
	}
	r := &s.Routers[0]
	r.Name, r.UPnP = "Gatehouse router", "off"
	r.WAN = site.WAN{Address: netip.MustParseAddr("198.51.100.80"), Kind: "static", Name: "works.example.net"}
	r.OwnPorts = []site.OwnPort{{Protocol: site.TCP, Ports: span.Port(443), Why: "the router's own page"}}
	n := 0
	for _, t := range trades {
		for i := range t.count {
			s.Devices = append(s.Devices, device(t, i, n))
			n++
		}
	}
	v := site.Visit{ID: "v-2026-03-02", From: "2026-03-02T08:00:00Z", Until: "2026-03-02T15:00:00Z", Seen: []site.SeenThen{}}
	for _, d := range s.Devices {
		i := d.Interfaces[0]
		v.Seen = append(v.Seen, site.SeenThen{Interface: i.ID, MAC: i.MAC, Address: i.Seen})
	}
	s.Visits = []site.Visit{v}
	return s.Whole()
}

// at is the nth address of the works.
func at(n int) netip.Addr {
	return ipv4.Addr(ipv4.Number(netip.MustParseAddr("10.48.32.0")) + uint32(n))
}

// device is the ith of its trade, and the nth of all.
func device(t trade, i, n int) site.Device {
	id := fmt.Sprintf("%s-%d", map[bool]string{true: "door", false: t.kind}[t.kind == "door station"], i+1)
	iface := site.Interface{ID: id + ".0", Network: "main", Seen: at(512 + n), Evidence: []site.Evidence{}}
	// The documentation block has 256 addresses: beyond it devices are entered without one.
	if n < 256 {
		iface.MAC = site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", n))
	}
	if n%2 == 0 {
		iface.Seen = at(2 + n)
		iface.Pin = &site.Pin{Address: iface.Seen, By: site.ByDevice}
	}
	d := site.Device{ID: id, Name: fmt.Sprintf("%s %d, %s", t.name, i+1, halls[n%len(halls)]), Kind: t.kind, Place: halls[n%len(halls)], Interfaces: []site.Interface{iface}}
	v := site.Service{ID: id + ".s", Name: t.service, Interface: iface.ID, Protocol: site.TCP, Ports: span.Port(t.port)}
	if i < t.opened {
		v.Open = &site.Open{Port: site.AnyPort}
	}
	d.Services = []site.Service{v}
	return d
}
