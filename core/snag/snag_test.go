package snag

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

// base is a site without a snag; each case changes one thing.
const base = `{"format":"vestpin-site/1","name":"x",
 "networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1","ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}],"keepFree":[{"from":"10.48.16.240","to":"10.48.16.254"}]}],
 "routers":[{"id":"edge","network":"main","upnp":"off","wan":{"address":"203.0.113.47","kind":"static"},"ownPorts":[{"protocol":"tcp","ports":"443"}],
   "form":{"portsPerLine":"range","renumber":"one","protocols":["tcp","udp"],"lines":4}}],
 "devices":[
  {"id":"rec","name":"Recorder","interfaces":[{"id":"rec.0","network":"main","mac":"00:00:5e:00:53:21","seen":"10.48.16.20","pin":{"address":"10.48.16.20"}}],
   "services":[{"id":"rec.web","interface":"rec.0","protocol":"tcp","ports":"80","open":{"port":"any"}}]},
  {"id":"cam","name":"Camera","interfaces":[{"id":"cam.0","network":"main","mac":"00:00:5e:00:53:22","seen":"10.48.16.21","pin":{"address":"10.48.16.21"}}],
   "services":[{"id":"cam.web","interface":"cam.0","protocol":"tcp","ports":"80"}]},
  {"id":"pc","name":"PC","interfaces":[{"id":"pc.0","network":"main","mac":"00:00:5e:00:53:30","seen":"10.48.16.104"}]}],
 "forwards":[{"id":"f1","name":"Page","router":"edge","protocol":"tcp","outside":"8020","to":"rec.0","inside":"80","service":"rec.web"}]}`

func TestEachSnag(t *testing.T) {
	forward := func(f string) [2]string { return [2]string{`"forwards":[`, `"forwards":[` + f + `,`} }
	wan := func(a string) [2]string { return [2]string{"203.0.113.47", a} }
	cases := []struct {
		code   string
		change [2]string
		about  string
	}{
		{"address-twice", [2]string{`"pin":{"address":"10.48.16.21"}`, `"pin":{"address":"10.48.16.20"}`}, "interface:cam.0"},
		{"address-off-network", [2]string{`"pin":{"address":"10.48.16.21"}`, `"pin":{"address":"10.48.17.21"}`}, "interface:cam.0"},
		{"address-unusable", [2]string{`"pin":{"address":"10.48.16.21"}`, `"pin":{"address":"10.48.16.250"}`}, "interface:cam.0"},
		{"address-unusable", [2]string{`"pin":{"address":"10.48.16.21"}`, `"pin":{"address":"10.48.16.1"}`}, "interface:cam.0"},
		{"address-unusable", [2]string{`"pin":{"address":"10.48.16.21"}`, `"pin":{"address":"10.48.16.255"}`}, "interface:cam.0"},
		{"address-answers-already", [2]string{`"seen":"10.48.16.104"`, `"seen":"10.48.16.21"`}, "interface:cam.0"},
		{"device-set-in-range", [2]string{`"pin":{"address":"10.48.16.21"}`, `"pin":{"address":"10.48.16.121","by":"device"}`}, "interface:cam.0"},
		{"router-cannot-reserve-there", [2]string{`"lines":4`, `"lines":4,"reserves":"inside-range"`}, "interface:cam.0"},
		{"mac-twice", [2]string{"00:00:5e:00:53:30", "00:00:5e:00:53:21"}, "interface:pc.0"},
		{"mac-missing", [2]string{`"mac":"00:00:5e:00:53:22",`, ""}, "interface:cam.0"},
		{"mac-randomised", [2]string{"00:00:5e:00:53:22", "02:00:5e:00:53:22"}, "interface:cam.0"},
		{"open-but-loose", [2]string{`"seen":"10.48.16.20","pin":{"address":"10.48.16.20"}`, `"seen":"10.48.16.20"`}, "service:rec.web"},
		{"forward-to-loose", [2]string{`"seen":"10.48.16.20","pin":{"address":"10.48.16.20"}`, `"seen":"10.48.16.20"`}, "forward:f1"},
		{"seen-elsewhere", [2]string{`"seen":"10.48.16.21"`, `"seen":"10.48.16.99"`}, "interface:cam.0"},
		{"subnet-twice", [2]string{`"networks":[`, `"networks":[{"id":"old","subnet":"10.48.16.0/25"},`}, "network:old"},
		{"seen-on-other-network", [2]string{`"networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1","ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}],"keepFree":[{"from":"10.48.16.240","to":"10.48.16.254"}]}],`,
			`"networks":[{"id":"main","subnet":"10.48.16.0/26","gateway":"10.48.16.1"},{"id":"attic","subnet":"10.48.16.64/26"}],`}, "interface:pc.0"},
		{"wan-off-network", [2]string{`"routers":[`, `"routers":[{"id":"in","network":"main","upstream":"edge","wan":{"address":"10.9.9.9"}},`}, "router:in"},
		{"range-bad", [2]string{`"from":"10.48.16.100"`, `"from":"10.48.16.1"`}, "network:main"},
		{"range-bad", [2]string{`"to":"10.48.16.179"`, `"to":"10.48.18.179"`}, "network:main"},
		{"range-bad", [2]string{`"to":"10.48.16.179"}`, `"to":"10.48.16.179"},{"from":"10.48.16.170","to":"10.48.16.180"}`}, "network:main"},
		{"outside-clash", forward(`{"id":"f2","router":"edge","protocol":"both","outside":"8000-8030","to":"cam.0"}`), "forward:f2"},
		{"outside-is-routers-own", forward(`{"id":"f2","router":"edge","protocol":"tcp","outside":"440-450","to":"cam.0"}`), "forward:f2"},
		{"forward-to-nobody", forward(`{"id":"f2","router":"edge","protocol":"tcp","outside":"9000","to":"10.48.16.77"}`), "forward:f2"},
		{"forward-off-network", forward(`{"id":"f2","router":"edge","protocol":"tcp","outside":"9000","to":"192.0.2.77"}`), "forward:f2"},
		{"forward-beside-service", forward(`{"id":"f2","router":"edge","protocol":"tcp","outside":"9000","to":"cam.0"}`), "forward:f2"},
		{"forward-twice", forward(`{"id":"f2","router":"edge","protocol":"tcp","outside":"8020","to":"rec.0","inside":"80"}`), "forward:f2"},
		{"forward-wide", forward(`{"id":"f2","router":"edge","protocol":"tcp","outside":"10000-12000","to":"cam.0"}`), "forward:f2"},
		{"forward-risky", forward(`{"id":"f2","router":"edge","protocol":"tcp","outside":"3390","inside":"3389","to":"pc.0"}`), "forward:f2"},
		{"form-cannot", [2]string{`"renumber":"one"`, `"renumber":"none"`}, "forward:f1"},
		{"lines-run-out", forward(`{"id":"f2","router":"edge","protocol":"both","outside":"9000,9002","to":"cam.0"}`), "router:edge"},
		{"reservations-run-out", [2]string{`"lines":4`, `"lines":4,"reservationLines":1`}, "router:edge"},
		{"wish-unmet", [2]string{`"protocol":"tcp","outside":"8020"`, `"enabled":false,"protocol":"tcp","outside":"8020"`}, "service:rec.web"},
		{"upnp-on", [2]string{`"upnp":"off"`, `"upnp":"on"`}, "router:edge"},
		{"behind-router", wan("10.99.0.2"), "router:edge"},
		{"behind-carrier", wan("100.64.7.2"), "router:edge"},
		{"outside-address-moves", [2]string{`"kind":"static"`, `"kind":"dynamic"`}, "router:edge"},
	}
	if snags := Check(view(t, base)); len(snags) > 0 {
		t.Fatalf("the base site has snags: %+v", snags)
	}
	for _, c := range cases {
		t.Run(c.code, func(t *testing.T) {
			if !strings.Contains(base, c.change[0]) {
				t.Fatalf("the base has no %s", c.change[0])
			}
			v := view(t, strings.Replace(base, c.change[0], c.change[1], 1))
			check(t, v, c.code, site.Ref(c.about))
		})
	}
}

func view(t testing.TB, text string) site.View {
	t.Helper()
	s, err := sitefile.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return site.NewView(s)
}

// check holds that a snag is there, and that each of its mends ends it.
func check(t *testing.T, v site.View, code string, about site.Ref) {
	t.Helper()
	snags := Check(v)
	i := slices.IndexFunc(snags, func(s Snag) bool { return s.Code == code && slices.Contains(s.About, about) })
	if i < 0 {
		said, _ := json.Marshal(snags)
		t.Fatalf("no %s about %s in %s", code, about, said)
	}
	for _, m := range snags[i].Mends {
		next, _, err := edit.Apply(v.Site, m.Edits)
		if err != nil {
			t.Errorf("%q is refused: %v", m.Does, err)
			continue
		}
		for _, after := range Check(site.NewView(next)) {
			if after.Code == code && slices.Equal(after.About, snags[i].About) {
				t.Errorf("%q does not end it", m.Does)
			}
			if after.Weight == Stops && !slices.ContainsFunc(snags, func(s Snag) bool { return s.Code == after.Code }) {
				t.Errorf("%q brings %s: %s", m.Does, after.Code, after.Says)
			}
		}
	}
}

func TestUpstreamMissing(t *testing.T) {
	v := view(t, `{"format":"vestpin-site/1","name":"x","networks":[{"id":"out","subnet":"10.77.0.0/24"},{"id":"in","subnet":"10.48.16.0/24"}],
	 "routers":[{"id":"box","network":"out","wan":{"address":"203.0.113.9"},"form":{}},{"id":"own","network":"in","upstream":"box","wan":{"address":"10.77.0.20"},"form":{}}],
	 "devices":[{"id":"rec","name":"Recorder","interfaces":[{"id":"rec.0","network":"in","mac":"00:00:5e:00:53:21","pin":{"address":"10.48.16.20"}}]}],
	 "forwards":[{"id":"f1","router":"own","protocol":"both","outside":"8020-8021","to":"rec.0"},{"id":"f2","router":"box","protocol":"tcp","outside":"8020-8021","to":"10.77.0.20"}]}`)
	check(t, v, "upstream-missing", "forward:f1")
}

func TestRangeFull(t *testing.T) {
	v := view(t, `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24","ranges":[{"from":"10.48.16.100","to":"10.48.16.100"}]}],
	 "devices":[{"id":"a","interfaces":[{"id":"a.0","network":"main"},{"id":"a.1","network":"main"}]}]}`)
	check(t, v, "range-full", "network:main")
}

// Large is a site of 400 devices and 1,000 forwards with snags of many kinds.
func large() site.Site {
	s := site.New("large", netip.MustParsePrefix("10.48.16.0/22"), netip.MustParseAddr("10.48.16.1"), []site.Range{{From: netip.MustParseAddr("10.48.18.0"), To: netip.MustParseAddr("10.48.19.250")}})
	for i := range 400 {
		id := fmt.Sprintf("d%d", i)
		d := site.Device{ID: id, Name: id, Kind: "camera", Interfaces: []site.Interface{{
			ID: id + ".0", Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", i/256, i%256)), Wants: "auto",
			Seen: ipv4.Addr(ipv4.Number(netip.MustParseAddr("10.48.18.0")) + uint32(i)),
		}}}
		if i%20 > 0 {
			d.Interfaces[0].Pin = &site.Pin{Address: ipv4.Addr(ipv4.Number(netip.MustParseAddr("10.48.16.2")) + uint32(i)), By: site.ByReservation}
		}
		d.Services = []site.Service{{ID: id + ".s", Interface: id + ".0", Protocol: site.TCP, Ports: span.Port(80), Open: &site.Open{Port: site.AnyPort}}}
		s.Devices = append(s.Devices, d)
	}
	for i := range 1000 {
		s.Forwards = append(s.Forwards, site.Forward{ID: fmt.Sprintf("f%d", i), Router: "edge", Enabled: true, Protocol: site.TCP, Outside: span.Port(8000 + i), Inside: span.Port(80), To: fmt.Sprintf("d%d.0", i%400)})
	}
	return s
}

func BenchmarkCheck(b *testing.B) {
	s := large()
	for b.Loop() {
		Check(site.NewView(s))
	}
}
