package frame

import (
	"encoding/binary"
	"encoding/xml"
	"io"
	"net/netip"
	"strings"
)

// PortMapping is where routers answer by NAT-PMP (RFC 6886 section 3.1) and PCP (RFC 6887
// section 19.1), a UDP port.
const PortMapping = 5351

// AskNATPMP is the question for the outside address (RFC 6886 section 3.2).
func AskNATPMP() []byte { return []byte{0, 0} }

// ParseNATPMP reads the answer: the outside address, or false where it is no answer, or
// one that the router has none.
func ParseNATPMP(b []byte) (netip.Addr, bool) {
	if len(b) < 12 || b[0] != 0 || b[1] != 128 || binary.BigEndian.Uint16(b[2:]) != 0 {
		return netip.Addr{}, false
	}
	a := netip.AddrFrom4([4]byte(b[8:12]))
	return a, a != netip.IPv4Unspecified()
}

// AnswerNATPMP is the answer of a router at an age, in seconds.
func AnswerNATPMP(outside netip.Addr, age uint32) []byte {
	b := []byte{0, 128, 0, 0}
	b = binary.BigEndian.AppendUint32(b, age)
	return append(b, outside.AsSlice()...)
}

// AskPCP asks whether a router speaks PCP, and for nothing else: an ANNOUNCE request (RFC
// 6887 section 14.1) makes no mapping. Its answer tells no outside address: for that a
// mapping would have to be made.
func AskPCP(own netip.Addr) []byte {
	b := append([]byte{2, 0, 0, 0}, 0, 0, 0, 0)
	in := netip.AddrFrom16(own.As16()).As16()
	return append(b, in[:]...)
}

// ParsePCP reports whether an answer is one of a router that speaks PCP (RFC 6887 section
// 7.2), whatever it says.
func ParsePCP(b []byte) bool { return len(b) >= 24 && b[0] == 2 && b[1]&0x80 != 0 }

// AnswerPCP is the answer to ANNOUNCE at an age, in seconds.
func AnswerPCP(age uint32) []byte {
	b := []byte{2, 0x80, 0, 0, 0, 0, 0, 0}
	return append(binary.BigEndian.AppendUint32(b, age), make([]byte, 12)...)
}

// GatewayService is the service of an Internet gateway device that maps ports (UPnP
// WANIPConnection:2, section 2), and where it is asked.
type GatewayService struct{ Type, Control string }

// ParseGateway finds in a description document the first service that maps ports.
func ParseGateway(r io.Reader) (GatewayService, bool) {
	d := xml.NewDecoder(r)
	var s GatewayService
	text := ""
	for {
		token, err := d.Token()
		if err != nil {
			return GatewayService{}, false
		}
		switch t := token.(type) {
		case xml.StartElement:
			text = ""
			if t.Name.Local == "service" {
				s = GatewayService{}
			}
		case xml.CharData:
			if len(text) < 1000 {
				text += string(t)
			}
		case xml.EndElement:
			switch t.Name.Local {
			case "serviceType":
				s.Type = strings.TrimSpace(text)
			case "controlURL":
				s.Control = strings.TrimSpace(text)
			case "service":
				if (strings.Contains(s.Type, ":WANIPConnection:") || strings.Contains(s.Type, ":WANPPPConnection:")) && s.Control != "" {
					return s, true
				}
			}
		}
	}
}

// AskGateway is the body of a question to a service, with its arguments in their order.
func AskGateway(service, action string, arguments ...[2]string) string {
	var b strings.Builder
	b.WriteString(`<?xml version="1.0"?><s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" s:encodingStyle="http://schemas.xmlsoap.org/soap/encoding/"><s:Body><u:` + action + ` xmlns:u="`)
	xml.EscapeText(&b, []byte(service))
	b.WriteString(`">`)
	for _, a := range arguments {
		b.WriteString("<" + a[0] + ">")
		xml.EscapeText(&b, []byte(a[1]))
		b.WriteString("</" + a[0] + ">")
	}
	b.WriteString("</u:" + action + "></s:Body></s:Envelope>")
	return b.String()
}

// ParseGatewayAnswer reads the texts of an answer by their names; errorCode is among them
// where the question was refused.
func ParseGatewayAnswer(r io.Reader) map[string]string {
	d := xml.NewDecoder(r)
	out := map[string]string{}
	text := ""
	for len(out) < 60 {
		token, err := d.Token()
		if err != nil {
			break
		}
		switch t := token.(type) {
		case xml.StartElement:
			text = ""
		case xml.CharData:
			if len(text) < 1000 {
				text += string(t)
			}
		case xml.EndElement:
			out[t.Name.Local] = strings.TrimSpace(text)
			text = ""
		}
	}
	return out
}
