package sim

import (
	"bufio"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/binary"
	"encoding/xml"
	"fmt"
	"html"
	"math/big"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/dns/dnsmessage"

	"vestpin/core/site"
	"vestpin/frame"
)

// portDescription is where description documents of UPnP lie.
const portDescription = 49152

// answers are what the network sends back for a datagram.
func (w *World) answers(body []byte, to netip.AddrPort) []datagram {
	var out []datagram
	from := func(h Host, port uint16, b []byte) {
		if b != nil {
			out = append(out, datagram{netip.AddrPortFrom(h.Address, port), b})
		}
	}
	if to.Port() == 67 {
		return w.offers(body)
	}
	if to.Port() == 53 && to.Addr() == w.Gateway {
		if b := w.standsFor(body); b != nil {
			return []datagram{{to, b}}
		}
		return w.resolve(body, to)
	}
	for _, h := range w.Hosts {
		if h.Silent || !to.Addr().IsMulticast() && to.Addr() != h.Address {
			continue
		}
		switch to.Port() {
		case 5353:
			from(h, 5353, h.mdns(body))
		case 1900:
			if h.UPnP != nil {
				location := h.Location
				if location == "" {
					location = fmt.Sprintf("http://%s:%d/description.xml", h.Address, portDescription)
				}
				from(h, 1900, []byte(fmt.Sprintf("HTTP/1.1 200 OK\r\nCACHE-CONTROL: max-age=1800\r\nST: urn:schemas-upnp-org:device:%s:1\r\nSERVER: UPnP/1.1\r\nLOCATION: %s\r\n\r\n", h.UPnP.Type, location)))
			}
			if h.Maps != nil && h.Maps.Outside.IsValid() && strings.Contains(string(body), "InternetGatewayDevice:1") {
				from(h, 1900, []byte(fmt.Sprintf("HTTP/1.1 200 OK\r\nST: urn:schemas-upnp-org:device:InternetGatewayDevice:1\r\nLOCATION: %s\r\n\r\n", h.gatewayPlace())))
			}
		case frame.PortMapping:
			if h.Maps != nil {
				from(h, frame.PortMapping, h.Maps.portMapping(body))
			}
		case 3702:
			if len(h.Types) > 0 {
				from(h, 3702, []byte(`<e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope" xmlns:a="http://schemas.xmlsoap.org/ws/2004/08/addressing" xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/discovery"><e:Header><a:RelatesTo>`+messageID(body)+`</a:RelatesTo></e:Header><e:Body><d:ProbeMatches><d:ProbeMatch><d:Types>x:`+strings.Join(h.Types, " x:")+`</d:Types></d:ProbeMatch></d:ProbeMatches></e:Body></e:Envelope>`))
			}
		case 137:
			if h.NetBIOS != "" {
				from(h, 137, frame.NetBIOS{Host: h.NetBIOS, Group: "WORKGROUP", MAC: h.MAC}.Body(binary.BigEndian.Uint16(append(body, 0, 0))))
			}
		case 5060:
			for _, p := range h.Ports {
				if p.Speaks == "sip" {
					from(h, 5060, []byte("SIP/2.0 200 OK\r\nServer: "+p.Server+"\r\nContent-Length: 0\r\n\r\n"))
				}
			}
		case 161:
			q, ok := frame.ParseSNMP(body)
			if ok && h.SNMP != nil && q.Community == h.SNMP.Community {
				from(h, 161, frame.AnswerSNMP(q.Community, q.ID, h.SNMP.Name, h.SNMP.Description))
			}
		}
	}
	return out
}

// messageID gives the identifier of a probe of WS-Discovery.
func messageID(body []byte) string {
	_, after, _ := strings.Cut(string(body), "MessageID>")
	id, _, _ := strings.Cut(after, "<")
	return id
}

func (w *World) offers(body []byte) []datagram {
	q, ok := frame.ParseDHCP(body)
	if !ok || q.Kind != frame.Discover {
		return nil
	}
	var out []datagram
	for _, s := range w.Servers {
		m := frame.DHCP{Kind: frame.Offer, XID: q.XID, MAC: q.MAC, Yours: s.Offers, Server: s.Address, Bits: w.Own.Bits(), Lease: s.Lease}
		if s.Gateway.IsValid() {
			m.Routers, m.DNS = []netip.Addr{s.Gateway}, []netip.Addr{s.Gateway}
		}
		out = append(out, datagram{netip.AddrPortFrom(s.Address, 67), m.Body()})
	}
	return out
}

func record(name string, body dnsmessage.ResourceBody) (dnsmessage.Resource, bool) {
	n, err := dnsmessage.NewName(name + ".")
	return dnsmessage.Resource{Header: dnsmessage.ResourceHeader{Name: n, Class: dnsmessage.ClassINET, TTL: 120}, Body: body}, err == nil
}

func pointer(name, to string) (dnsmessage.Resource, bool) {
	n, err := dnsmessage.NewName(to + ".")
	r, ok := record(name, &dnsmessage.PTRResource{PTR: n})
	return r, ok && err == nil
}

// resolve is the router's DNS server, for the names of addresses.
func (w *World) resolve(body []byte, at netip.AddrPort) []datagram {
	q, ok := frame.ParseDNS(body)
	if !ok {
		return nil
	}
	for _, h := range w.Hosts {
		for _, name := range q.Asked {
			if h.DNS != "" && name == frame.ReverseName(h.Address) {
				if r, ok := pointer(name, h.DNS+".lan"); ok {
					return []datagram{{at, frame.AnswerDNS(q.ID, r)}}
				}
			}
		}
	}
	return nil
}

// mdns answers what it is asked, and sends along the records that go with it.
func (h Host) mdns(body []byte) []byte {
	q, ok := frame.ParseDNS(body)
	if !ok || h.Name == "" {
		return nil
	}
	var out []dnsmessage.Resource
	add := func(r dnsmessage.Resource, ok bool) {
		if ok {
			out = append(out, r)
		}
	}
	host := h.Name + ".local"
	for _, name := range q.Asked {
		if name == frame.ReverseName(h.Address) {
			add(pointer(name, host))
		}
		for _, t := range h.Services {
			switch name {
			case "_services._dns-sd._udp.local":
				add(pointer(name, t+".local"))
			case t + ".local":
				instance := h.Name + "." + t + ".local"
				add(pointer(name, instance))
				target, err := dnsmessage.NewName(host + ".")
				if err == nil {
					add(record(instance, &dnsmessage.SRVResource{Port: 80, Target: target}))
				}
				if h.Model != "" {
					add(record(instance, &dnsmessage.TXTResource{TXT: []string{"ty=" + h.Model}}))
				}
				add(record(host, &dnsmessage.AResource{A: h.Address.As4()}))
			}
		}
	}
	if len(out) == 0 {
		return nil
	}
	return frame.AnswerDNS(0, out...)
}

func describe(c net.Conn, d frame.Description) {
	if _, err := http.ReadRequest(bufio.NewReader(c)); err != nil {
		return
	}
	body := description(d, "")
	fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nContent-Type: text/xml\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s", len(body), body)
}

// description is the document of a device, with its services.
func description(d frame.Description, services string) string {
	var body strings.Builder
	body.WriteString(`<?xml version="1.0"?><root xmlns="urn:schemas-upnp-org:device-1-0"><device><deviceType>urn:schemas-upnp-org:device:` + d.Type + `:1</deviceType>`)
	for _, f := range [][2]string{{"friendlyName", d.Name}, {"manufacturer", d.Maker}, {"modelName", d.Model}} {
		body.WriteString("<" + f[0] + ">")
		xml.EscapeText(&body, []byte(f[1]))
		body.WriteString("</" + f[0] + ">")
	}
	body.WriteString(services + "</device></root>")
	return body.String()
}

// speak says on a port what a device of its kind says.
func speak(c net.Conn, h Host, p Port) {
	switch p.Speaks {
	case "http":
		page(c, p)
	case "https":
		secure := tls.Server(c, &tls.Config{Certificates: []tls.Certificate{certificate(h.MAC)}})
		if secure.Handshake() == nil {
			page(secure, p)
			secure.Close()
		}
	case "rtsp":
		question(c)
		fmt.Fprintf(c, "RTSP/1.0 200 OK\r\nCSeq: 1\r\nServer: %s\r\nPublic: OPTIONS, DESCRIBE, SETUP, PLAY\r\n\r\n", p.Server)
	case "sip":
		question(c)
		fmt.Fprintf(c, "SIP/2.0 200 OK\r\nServer: %s\r\nContent-Length: 0\r\n\r\n", p.Server)
	case "rdp":
		question(c)
		c.Write([]byte("\x03\x00\x00\x0b\x06\xd0\x00\x00\x00\x00\x00"))
	case "mqtt":
		question(c)
		c.Write([]byte("\x20\x02\x00\x05"))
	case "says":
		fmt.Fprintf(c, "%s\r\n", p.Server)
	case "endless":
		for {
			if _, err := c.Write(make([]byte, 4096)); err != nil {
				return
			}
		}
	case "silent":
		question(c)
		time.Sleep(5 * time.Second)
	}
}

func question(c net.Conn) { c.Read(make([]byte, 4096)) }

func page(c net.Conn, p Port) {
	if _, err := http.ReadRequest(bufio.NewReader(c)); err != nil {
		return
	}
	body := "<!DOCTYPE html><html><head><title>" + html.EscapeString(p.Title) + "</title></head><body></body></html>"
	fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nServer: %s\r\nContent-Type: text/html\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s", p.Server, len(body), body)
}

var key = sync.OnceValue(func() *ecdsa.PrivateKey {
	k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		panic(err) // the system gives no randomness
	}
	return k
})

var certificates sync.Map // by MAC address

// certificate is one that a device signed itself, and that ran out long ago; it is the same
// each time.
func certificate(mac site.MAC) tls.Certificate {
	if made, ok := certificates.Load(mac); ok {
		return made.(tls.Certificate)
	}
	made, _ := certificates.LoadOrStore(mac, selfSigned(mac))
	return made.(tls.Certificate)
}

func selfSigned(mac site.MAC) tls.Certificate {
	t := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "device-" + strings.ReplaceAll(string(mac), ":", "")}, NotBefore: time.Unix(0, 0), NotAfter: time.Unix(86400, 0)}
	der, err := x509.CreateCertificate(rand.Reader, t, t, key().Public(), key())
	if err != nil {
		return tls.Certificate{}
	}
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key()}
}
