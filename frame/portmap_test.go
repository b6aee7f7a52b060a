package frame

import (
	"net/netip"
	"strings"
	"testing"
)

// The answers of routers to NAT-PMP and PCP are read as they are written, and nothing else is
// taken for one.
func TestPortMapping(t *testing.T) {
	outside := netip.MustParseAddr("203.0.113.47")
	if got, ok := ParseNATPMP(AnswerNATPMP(outside, 60)); !ok || got != outside {
		t.Errorf("got %s, %v", got, ok)
	}
	if q := AskPCP(netip.MustParseAddr("10.48.16.50")); len(q) != 24 || q[0] != 2 || q[1] != 0 || string(q[18:]) != "\xff\xff\x0a\x30\x10\x32" {
		t.Errorf("the question of PCP is % x", q)
	}
	if !ParsePCP(AnswerPCP(60)) {
		t.Error("the answer of PCP is not taken for one")
	}
	refused := AnswerNATPMP(outside, 60)
	refused[3] = 2 // not authorised (RFC 6886 section 3.5)
	for what, b := range map[string][]byte{"nothing": nil, "the question": AskNATPMP(), "refused": refused, "half": AnswerNATPMP(outside, 60)[:11], "no address": AnswerNATPMP(netip.IPv4Unspecified(), 60), "PCP": AnswerPCP(60)} {
		if got, ok := ParseNATPMP(b); ok {
			t.Errorf("%s is taken for %s", what, got)
		}
	}
	if ParsePCP(AskPCP(outside)) || ParsePCP(AnswerNATPMP(outside, 60)) {
		t.Error("what is no answer of PCP is taken for one")
	}
}

// Of a description the first service that maps ports is found, wherever it stands.
func TestGatewayDescription(t *testing.T) {
	service := func(kind, control string) string {
		return "<service><serviceType>urn:schemas-upnp-org:service:" + kind + "</serviceType><controlURL>" + control + "</controlURL></service>"
	}
	deep := func(inner string) string {
		return "<root><device><deviceList><device><deviceList><device><serviceList>" + inner + "</serviceList></device></deviceList></device></deviceList></device></root>"
	}
	for _, c := range []struct{ what, text, want string }{
		{"of IP", deep(service("WANCommonInterfaceConfig:1", "/c") + service("WANIPConnection:2", " /ip ")), "/ip"},
		{"of PPP", deep(service("WANPPPConnection:1", "/ppp")), "/ppp"},
		{"without a place to ask", deep(service("WANIPConnection:1", "")), ""},
		{"none", deep(service("Layer3Forwarding:1", "/l")), ""},
		{"cut off", deep(service("WANIPConnection:1", "/ip"))[:60], ""},
		{"no XML", "hello", ""},
	} {
		if got, ok := ParseGateway(strings.NewReader(c.text)); got.Control != c.want || ok != (c.want != "") {
			t.Errorf("%s: got %+v, %v", c.what, got, ok)
		}
	}
	got := ParseGatewayAnswer(strings.NewReader(AskGateway("urn:x", "Say", [2]string{"NewPortMappingDescription", `<"&>`}, [2]string{"NewEnabled", "1"})))
	if got["NewPortMappingDescription"] != `<"&>` || got["NewEnabled"] != "1" {
		t.Errorf("got %v", got)
	}
}

// Whatever a router sends, reading it ends and keeps its bounds.
func FuzzGateway(f *testing.F) {
	f.Add([]byte(AskGateway("urn:x", "Say", [2]string{"a", "b"})))
	f.Add(AnswerNATPMP(netip.MustParseAddr("203.0.113.47"), 1))
	f.Add(AnswerPCP(1))
	f.Fuzz(func(t *testing.T, data []byte) {
		if a, ok := ParseNATPMP(data); ok && (!a.Is4() || a.IsUnspecified()) {
			t.Fatalf("%q gives %s", data, a)
		}
		ParsePCP(data)
		if s, ok := ParseGateway(strings.NewReader(string(data))); ok && (s.Control == "" || len(s.Control) > len(data)) {
			t.Fatalf("%q gives %+v", data, s)
		}
		for k, v := range ParseGatewayAnswer(strings.NewReader(string(data))) {
			if k == "" || len(v) > len(data)+1000 {
				t.Fatalf("%q gives %q: %q", data, k, v)
			}
		}
	})
}
