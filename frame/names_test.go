package frame

import (
	"net/netip"
	"reflect"
	"strings"
	"testing"

	"golang.org/x/net/dns/dnsmessage"

	"vestpin/core/sighting"
	"vestpin/core/site"
)

func TestDNSAnswers(t *testing.T) {
	name := dnsmessage.MustNewName
	cases := []struct {
		name    string
		records []dnsmessage.Resource
		host    string
		traits  []site.Trait
	}{
		{"an address of a name", []dnsmessage.Resource{resource("yard.local.", &dnsmessage.AResource{A: cam.As4()})}, "yard", nil},
		{"a name of an address", []dnsmessage.Resource{resource("21.16.48.10.in-addr.arpa.", &dnsmessage.PTRResource{PTR: name("cam-22.lan.")})}, "cam-22.lan", nil},
		{"somebody else's address", []dnsmessage.Resource{resource("router.local.", &dnsmessage.AResource{A: gateway.As4()})}, "", nil},
		{"all its services", []dnsmessage.Resource{resource("_services._dns-sd._udp.local.", &dnsmessage.PTRResource{PTR: name("_mqtt._tcp.local.")})}, "", []site.Trait{{Name: "service", Value: "_mqtt._tcp"}}},
		{"a service with blanks and dots in its name", []dnsmessage.Resource{
			resource("Shop 2.0 (till)._http._tcp.local.", &dnsmessage.SRVResource{Port: 80, Target: name("till.local.")}),
			resource("Shop 2.0 (till)._http._tcp.local.", &dnsmessage.TXTResource{TXT: []string{"model=T-1", "manufacturer=Copperlyn", "path=/", "x"}}),
		}, "", []site.Trait{{Name: "service", Value: "_http._tcp"}, {Name: "model", Value: "T-1"}, {Name: "maker", Value: "Copperlyn"}}},
		{"records of other kinds", []dnsmessage.Resource{resource("yard.local.", &dnsmessage.AAAAResource{}), resource("yard.local.", &dnsmessage.AResource{A: cam.As4()})}, "yard", nil},
	}
	for _, c := range cases {
		d, ok := ParseDNS(AnswerDNS(7, c.records...))
		if !ok || !d.Response || d.ID != 7 {
			t.Errorf("%s: not an answer: %+v", c.name, d)
		}
		if got := d.HostOf(cam); got != c.host {
			t.Errorf("%s: host %q, want %q", c.name, got, c.host)
		}
		if got := d.Traits(); !reflect.DeepEqual(got, c.traits) {
			t.Errorf("%s: traits %+v, want %+v", c.name, got, c.traits)
		}
	}
}

// A message that is cut short anywhere tells what comes before the cut, or
// nothing, and never fails.
func TestMessagesCutShort(t *testing.T) {
	dns := AnswerDNS(1, resource("yard.local.", &dnsmessage.AResource{A: cam.As4()}), resource("_http._tcp.local.", &dnsmessage.PTRResource{PTR: dnsmessage.MustNewName("yard._http._tcp.local.")}))
	offer := DHCP{Kind: Offer, XID: 1, MAC: "00:00:5e:00:53:22", Yours: cam, Server: gateway, Bits: 24, Routers: []netip.Addr{gateway}, Lease: 60, Host: "cam"}.Body()
	for name, whole := range map[string][]byte{"DNS": dns, "DHCP": offer, "NetBIOS": NetBIOS{Host: "PC"}.Body(1), "SNMP": AnswerSNMP("public", 1, "x", "y"), "ARP": ARP{Reply: true, Sender: "00:00:5e:00:53:22", SenderAddr: cam, TargetAddr: gateway}.Frame()} {
		for cut := range whole {
			part := whole[:cut]
			ParseDNS(part)
			ParseNetBIOS(part)
			ParseSNMP(part)
			ParseARPFrame(part)
			if m, ok := ParseDHCP(part); ok && m.Kind != Offer {
				t.Fatalf("%s cut at %d became %+v", name, cut, m)
			}
			Sight(LinkEthernet, part, new(sighting.Facts))
			Sight(LinkCooked, part, new(sighting.Facts))
			Sight(LinkCooked2, part, new(sighting.Facts))
		}
	}
}

func TestSSDPHeaders(t *testing.T) {
	for text, want := range map[string]SSDP{
		"HTTP/1.1 200 OK\r\nst: upnp:rootdevice\r\nlocation: http://10.48.16.21:80/d.xml\r\n\r\n":                            {Type: "upnp:rootdevice", Location: "http://10.48.16.21:80/d.xml"},
		"NOTIFY * HTTP/1.1\r\nNT: urn:schemas-upnp-org:device:MediaServer:1\r\nSERVER:  thing/1 \r\nNTS: ssdp:alive\r\n\r\n": {Type: "urn:schemas-upnp-org:device:MediaServer:1", Server: "thing/1"},
		AskSSDP: {Search: true, Type: "ssdp:all"},
	} {
		if got, ok := ParseSSDP([]byte(text)); !ok || got != want {
			t.Errorf("%q: got %+v, want %+v", text, got, want)
		}
	}
	for _, text := range []string{"", "hello", "GET / FTP\r\n\r\n", strings.Repeat("x", 10_000)} {
		if got, ok := ParseSSDP([]byte(text)); ok {
			t.Errorf("%.20q was taken for %+v", text, got)
		}
	}
}

// Captures of cooked sockets and of bare IP tell the same, but for what they lack.
func TestOtherLinks(t *testing.T) {
	whole := frameOf("00:00:5e:00:53:22", cam, 137, 137, NetBIOS{Host: "PC"}.Body(1))
	ip := whole[14:]
	cooked := append([]byte{0, 0, 0, 1, 0, 6, 0, 0, 0x5e, 0, 0x53, 0x22, 0, 0, 8, 0}, ip...)
	cooked2 := append([]byte{8, 0, 0, 0, 0, 0, 0, 1, 0, 1, 0, 6, 0, 0, 0x5e, 0, 0x53, 0x22, 0, 0}, ip...)
	for name, c := range map[string]struct {
		link   int
		packet []byte
		mac    site.MAC
	}{"cooked": {LinkCooked, cooked, "00:00:5e:00:53:22"}, "cooked, newer": {LinkCooked2, cooked2, "00:00:5e:00:53:22"}, "bare": {LinkRaw, ip, ""}} {
		got := Sight(c.link, c.packet, new(sighting.Facts))
		if len(got) != 1 || got[0].Host != "PC" || got[0].MAC != c.mac || got[0].Address != cam {
			t.Errorf("%s: %+v", name, got)
		}
	}
	if got := Sight(105, whole, new(sighting.Facts)); got != nil {
		t.Errorf("a link that is not known told %+v", got)
	}
}

// What servers say goes into the facts; what clients and strangers say does not.
func TestDHCPFacts(t *testing.T) {
	var f sighting.Facts
	send := func(m DHCP) { Sight(LinkEthernet, frameOf("00:00:5e:00:53:01", gateway, 67, 68, m.Body()), &f) }
	send(DHCP{Kind: Discover, MAC: "00:00:5e:00:53:22", Server: netip.MustParseAddr("10.48.16.9")})
	if len(f.DHCP) != 0 {
		t.Errorf("a client was taken for a server: %+v", f)
	}
	send(DHCP{Kind: Offer, MAC: "00:00:5e:00:53:22", Yours: cam, Server: gateway, Bits: 24, Routers: []netip.Addr{gateway}, DNS: []netip.Addr{gateway}, Lease: 600})
	send(DHCP{Kind: Ack, MAC: "00:00:5e:00:53:22", Yours: cam, Server: gateway, Bits: 24, Lease: 600})
	send(DHCP{Kind: Nak, MAC: "00:00:5e:00:53:22", Server: netip.MustParseAddr("10.48.16.3")})
	if len(f.DHCP) != 1 || f.DHCP[0] != gateway || f.Subnet.String() != "10.48.16.0/24" || f.Gateway != gateway || f.Lease != 600 || len(f.DNS) != 1 {
		t.Errorf("facts %+v", f)
	}
}
