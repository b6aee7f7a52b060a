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

var (
	cam     = netip.MustParseAddr("10.48.16.21")
	gateway = netip.MustParseAddr("10.48.16.1")
)

// What is built is what is parsed.
func TestThereAndBack(t *testing.T) {
	for _, want := range []ARP{
		{Reply: true, Sender: "00:00:5e:00:53:22", SenderAddr: cam, Target: "00:00:5e:00:53:01", TargetAddr: gateway},
		{Sender: "00:00:5e:00:53:22", SenderAddr: netip.IPv4Unspecified(), TargetAddr: cam},
	} {
		if got, ok := ParseARPFrame(want.Frame()); !ok || got != want {
			t.Errorf("ARP: got %+v, want %+v", got, want)
		}
	}
	offer := DHCP{Kind: Offer, XID: 7, MAC: "00:00:5e:00:53:22", Yours: cam, Client: netip.IPv4Unspecified(), Server: gateway, Bits: 24, Routers: []netip.Addr{gateway}, DNS: []netip.Addr{gateway, cam}, Lease: 86400, Host: "cam", Vendor: "cam-boot"}
	if got, ok := ParseDHCP(offer.Body()); !ok || !reflect.DeepEqual(got, offer) {
		t.Errorf("DHCP: got %+v, want %+v", got, offer)
	}
	name := NetBIOS{Host: "OFFICE-PC", Group: "STUDIO", MAC: "00:00:5e:00:53:30"}
	if got, ok := ParseNetBIOS(name.Body(9)); !ok || got != name {
		t.Errorf("NetBIOS: got %+v, want %+v", got, name)
	}
	says := SNMP{Community: "public", ID: 4711, Response: true, Name: "switch", Description: "24 ports"}
	if got, ok := ParseSNMP(AnswerSNMP(says.Community, says.ID, says.Name, says.Description)); !ok || got != says {
		t.Errorf("SNMP: got %+v, want %+v", got, says)
	}
	if got, ok := ParseSNMP(AskSNMP("public", 4711)); !ok || got.Response || got.ID != 4711 || got.Community != "public" {
		t.Errorf("SNMP question: %+v", got)
	}
	if got, ok := ParseDNS(AskDNS(3, true, Question{Name: ReverseName(cam), Type: dnsmessage.TypePTR})); !ok || got.Response || got.ID != 3 || !reflect.DeepEqual(got.Asked, []string{"21.16.48.10.in-addr.arpa"}) {
		t.Errorf("DNS question: %+v", got)
	}
}

// frameOf wraps a datagram as it would stand in a capture.
func frameOf(mac site.MAC, from netip.Addr, fromPort, toPort uint16, body []byte) []byte {
	src := octets(mac)
	b := append([]byte{1, 0, 0x5e, 0, 0, 0xfb}, src[:]...)
	b = append(b, 8, 0, 0x45, 0, byte((len(body)+28)>>8), byte(len(body)+28), 0, 0, 0, 0, 64, 17, 0, 0)
	b = append(append(b, from.AsSlice()...), 224, 0, 0, 251)
	b = append(b, byte(fromPort>>8), byte(fromPort), byte(toPort>>8), byte(toPort), byte((len(body)+8)>>8), byte(len(body)+8), 0, 0)
	return append(b, body...)
}

func resource(name string, body dnsmessage.ResourceBody) dnsmessage.Resource {
	return dnsmessage.Resource{Header: dnsmessage.ResourceHeader{Name: dnsmessage.MustNewName(name), Class: dnsmessage.ClassINET, TTL: 120}, Body: body}
}

func TestSight(t *testing.T) {
	own := func(host, state string, traits ...site.Trait) []sighting.Sighting {
		return []sighting.Sighting{{MAC: "00:00:5e:00:53:22", Address: cam, Host: host, State: state, Traits: traits}}
	}
	mdns := AnswerDNS(0,
		resource("_ipp._tcp.local.", &dnsmessage.PTRResource{PTR: dnsmessage.MustNewName("Shop printer._ipp._tcp.local.")}),
		resource("Shop printer._ipp._tcp.local.", &dnsmessage.SRVResource{Port: 631, Target: dnsmessage.MustNewName("shop-printer.local.")}),
		resource("Shop printer._ipp._tcp.local.", &dnsmessage.TXTResource{TXT: []string{"ty=Merrowby L2", "note=shop"}}),
		resource("shop-printer.local.", &dnsmessage.AResource{A: cam.As4()}))
	notify := "NOTIFY * HTTP/1.1\r\nHost: 239.255.255.250:1900\r\nNT: urn:schemas-upnp-org:device:MediaRenderer:1\r\nSERVER: os/1 UPnP/1.0 thing/2\r\n\r\n"
	cases := []struct {
		name   string
		packet []byte
		want   []sighting.Sighting
	}{
		{"an ARP answer", ARP{Reply: true, Sender: "00:00:5e:00:53:22", SenderAddr: cam, TargetAddr: gateway}.Frame(), own("", "arp")},
		{"an ARP probe has no address yet", ARP{Sender: "00:00:5e:00:53:22", SenderAddr: netip.IPv4Unspecified(), TargetAddr: cam}.Frame(), nil},
		{"ARP with a tag of a VLAN", append(append(ARP{Reply: true, Sender: "00:00:5e:00:53:22", SenderAddr: cam, TargetAddr: gateway}.Frame()[:12:12], 0x81, 0, 0, 5), ARP{Reply: true, Sender: "00:00:5e:00:53:22", SenderAddr: cam, TargetAddr: gateway}.Frame()[12:]...), own("", "arp")},
		{"mDNS", frameOf("00:00:5e:00:53:22", cam, 5353, 5353, mdns), own("shop-printer", "mdns", site.Trait{Name: "service", Value: "_ipp._tcp"}, site.Trait{Name: "model", Value: "Merrowby L2"})},
		{"SSDP", frameOf("00:00:5e:00:53:22", cam, 1900, 1900, []byte(notify)), own("", "ssdp", site.Trait{Name: "server", Value: "os/1 UPnP/1.0 thing/2"}, site.Trait{Name: "type", Value: "MediaRenderer"})},
		{"SSDP that asks", frameOf("00:00:5e:00:53:22", cam, 50000, 1900, []byte(AskSSDP)), nil},
		{"NetBIOS", frameOf("00:00:5e:00:53:22", cam, 137, 137, NetBIOS{Host: "OFFICE-PC"}.Body(1)), own("OFFICE-PC", "netbios")},
		{"DHCP", frameOf("00:00:5e:00:53:22", netip.IPv4Unspecified(), 68, 67, DHCP{Kind: Request, MAC: "00:00:5e:00:53:22", Requested: cam, Host: "cam", Vendor: "cam-boot"}.Body()), own("cam", "requested", site.Trait{Name: "vendor", Value: "cam-boot"})},
		{"somebody's video", frameOf("00:00:5e:00:53:22", cam, 5004, 5004, []byte("....")), nil},
		{"a MAC of zeros", ARP{Reply: true, SenderAddr: cam, TargetAddr: gateway}.Frame(), nil},
	}
	for _, c := range cases {
		if got := Sight(LinkEthernet, c.packet, new(sighting.Facts)); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s:\ngot  %+v\nwant %+v", c.name, got, c.want)
		}
	}
}

func TestWhatDevicesSayIsMadePlain(t *testing.T) {
	for text, want := range map[string]string{
		"  a\r\nb\x00\x1b[31mc ": "a b[31mc", "キルン室": "キルン室", "\u202eevil": "evil", "\xff\xfe": "\uFFFD", strings.Repeat("x", 5000): strings.Repeat("x", longestText) + "…",
	} {
		if got := Plain(text); got != want {
			t.Errorf("%.20q: got %q, want %q", text, got, want)
		}
	}
}

func TestDescriptionDocuments(t *testing.T) {
	good := `<?xml version="1.0"?><root xmlns="urn:schemas-upnp-org:device-1-0"><device><deviceType>urn:schemas-upnp-org:device:MediaRenderer:1</deviceType><friendlyName>Shop &amp; flat</friendlyName><manufacturer>Brindle</manufacturer><modelName>Loud 2</modelName><deviceList><device><friendlyName>inner</friendlyName></device></deviceList></device></root>`
	if d, err := ParseDescription(strings.NewReader(good)); err != nil || d != (Description{"MediaRenderer", "Shop & flat", "Brindle", "Loud 2"}) {
		t.Errorf("got %+v, %v", d, err)
	}
	for name, bad := range map[string]string{
		"entities":   `<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;"><!ENTITY f SYSTEM "file:///etc/passwd">]><root><friendlyName>&b;&f;</friendlyName></root>`,
		"100 levels": strings.Repeat("<a>", 100) + "<friendlyName>x</friendlyName>",
		"no end":     "<root><friendlyName>half",
	} {
		if d, err := ParseDescription(strings.NewReader(bad)); err == nil || strings.Contains(d.Name, "a") && name == "entities" {
			t.Errorf("%s: %+v, %v", name, d, err)
		}
	}
	probe := `<e:Envelope xmlns:e="x"><e:Body><d:ProbeMatches xmlns:d="y"><d:ProbeMatch><d:Types>dn:NetworkVideoTransmitter</d:Types><d:Scopes>onvif://x/hardware/OV-2 onvif://x/name/Yard</d:Scopes></d:ProbeMatch></d:ProbeMatches></e:Body></e:Envelope>`
	if got, ok := ParseDiscovery([]byte(probe)); !ok || !reflect.DeepEqual(got, []site.Trait{{Name: "type", Value: "NetworkVideoTransmitter"}, {Name: "model", Value: "OV-2"}}) {
		t.Errorf("got %+v", got)
	}
	if _, ok := ParseDiscovery(AskDiscovery("x")); ok {
		t.Error("a question was taken for an answer")
	}
}

func FuzzSight(f *testing.F) {
	f.Add(1, ARP{Reply: true, Sender: "00:00:5e:00:53:22", SenderAddr: cam, TargetAddr: gateway}.Frame())
	f.Add(1, frameOf("00:00:5e:00:53:22", cam, 5353, 5353, AnswerDNS(0, resource("a.local.", &dnsmessage.AResource{A: cam.As4()}))))
	f.Add(113, frameOf("00:00:5e:00:53:22", cam, 137, 137, NetBIOS{Host: "OFFICE-PC"}.Body(1)))
	f.Fuzz(func(t *testing.T, link int, packet []byte) {
		var facts sighting.Facts
		for _, s := range Sight(link, packet, &facts) {
			if s.MAC == "" && !s.Address.IsValid() || len(s.Host) > 5*longestText || len(s.Traits) > mostRecords*4 {
				t.Fatalf("%+v", s)
			}
		}
		ParseSNMP(packet)
		ParseDiscovery(packet)
	})
}
