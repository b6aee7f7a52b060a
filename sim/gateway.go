package sim

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"strings"

	"vestpin/frame"
)

// Maps is what a router tells of the ports that devices had it open: by UPnP where it has
// an outside address, by NAT-PMP and PCP where it speaks them.
type Maps struct {
	Outside netip.Addr `json:"outside,omitzero"`
	Ports   []Mapping  `json:"ports"`
	NATPMP  bool       `json:"natPmp,omitempty"`
	PCP     bool       `json:"pcp,omitempty"`
	// Behaves is how a bad one does: "endless", "elsewhere" (its description lies on another
	// device), "redirects", or "many" (its list has no end).
	Behaves string `json:"behaves,omitempty"`
}

// Mapping is a port that a device had its router open.
type Mapping struct {
	Name     string     `json:"name"`
	Protocol string     `json:"protocol"`
	Outside  int        `json:"outside"`
	Address  netip.Addr `json:"address"`
	Inside   int        `json:"inside"`
	From     string     `json:"from,omitempty"`
	Lease    int        `json:"lease,omitempty"`
}

const gatewayType = "urn:schemas-upnp-org:service:WANIPConnection:1"

func (h Host) gatewayPlace() string {
	at := h.Address
	if h.Maps.Behaves == "elsewhere" {
		at = at.Next()
	}
	return fmt.Sprintf("http://%s:%d/gateway.xml", at, portDescription)
}

func (m Maps) portMapping(body []byte) []byte {
	switch {
	case m.NATPMP && string(body) == string(frame.AskNATPMP()):
		return frame.AnswerNATPMP(m.Outside, 60)
	case m.PCP && len(body) >= 24 && body[0] == 2:
		return frame.AnswerPCP(60)
	}
	return nil
}

// gateway answers one question, as an Internet gateway device does.
func (h Host) gateway(c net.Conn) {
	req, err := http.ReadRequest(bufio.NewReader(c))
	if err != nil {
		return
	}
	asked, _ := io.ReadAll(io.LimitReader(req.Body, 64<<10))
	switch h.Maps.Behaves {
	case "endless":
		fmt.Fprint(c, "HTTP/1.1 200 OK\r\nContent-Type: text/xml\r\n\r\n<root>")
		for {
			if _, err := c.Write(make([]byte, 4096)); err != nil {
				return
			}
		}
	case "redirects":
		fmt.Fprint(c, "HTTP/1.1 302 Found\r\nLocation: http://198.51.100.9/\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
		return
	}
	d := frame.Description{Type: "InternetGatewayDevice"}
	if h.UPnP != nil {
		d = *h.UPnP
	}
	status, body := 200, description(d, `<serviceList><service><serviceType>`+gatewayType+`</serviceType><controlURL>/control</controlURL></service></serviceList>`)
	if req.Method == http.MethodPost {
		status, body = h.Maps.answer(req.Header.Get("SOAPAction"), string(asked))
	}
	fmt.Fprintf(c, "HTTP/1.1 %d %s\r\nContent-Type: text/xml\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s", status, http.StatusText(status), len(body), body)
}

func (m Maps) answer(action, asked string) (int, string) {
	envelope := func(fields ...string) string {
		var b strings.Builder
		b.WriteString(`<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><u:Response xmlns:u="` + gatewayType + `">`)
		for i := 0; i+1 < len(fields); i += 2 {
			b.WriteString("<" + fields[i] + ">")
			xml.EscapeText(&b, []byte(fields[i+1]))
			b.WriteString("</" + fields[i] + ">")
		}
		return b.String() + "</u:Response></s:Body></s:Envelope>"
	}
	if strings.Contains(action, "#GetExternalIPAddress") {
		return 200, envelope("NewExternalIPAddress", m.Outside.String())
	}
	_, rest, _ := strings.Cut(asked, "<NewPortMappingIndex>")
	var index int
	if _, err := fmt.Sscanf(rest, "%d", &index); err != nil || len(m.Ports) == 0 || index >= len(m.Ports) && m.Behaves != "many" {
		return 500, envelope("errorCode", "713", "errorDescription", "SpecifiedArrayIndexInvalid")
	}
	p := m.Ports[index%len(m.Ports)]
	return 200, envelope("NewRemoteHost", p.From, "NewExternalPort", fmt.Sprint(p.Outside), "NewProtocol", p.Protocol, "NewInternalPort", fmt.Sprint(p.Inside),
		"NewInternalClient", p.Address.String(), "NewEnabled", "1", "NewPortMappingDescription", p.Name, "NewLeaseDuration", fmt.Sprint(p.Lease))
}
