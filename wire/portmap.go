package wire

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"vestpin/core/ipv4"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/frame"
)

// Told is what a router says of itself to those who ask politely: its outside address, and
// the ports that devices had it open by UPnP. Nothing is changed there by asking.
type Told struct {
	Router   netip.Addr         `json:"router"`
	At       string             `json:"at" doc:"When, RFC 3339"`
	Speaks   []string           `json:"speaks" doc:"Of upnp, nat-pmp and pcp"`
	Outside  netip.Addr         `json:"outside,omitzero"`
	By       string             `json:"by,omitempty" doc:"By what the outside address was told"`
	Mappings []site.HeldForward `json:"mappings"`
	More     bool               `json:"more" doc:"There are more mappings, or the time ran out"`
	Notes    []string           `json:"notes" doc:"What was odd, and what was not done therefore"`
}

// The bounds of what a router is let tell.
const (
	MostMappings = site.MostHeld
	longestAsked = 20 * time.Second // in all
	longestOne   = 3 * time.Second  // one question of UPnP
	longestFind  = 2500 * time.Millisecond
)

var errTooMuch = errors.New("the time is over")

// AskRouter asks a router for its outside address and its UPnP mappings: by SSDP and SOAP
// (UPnP Internet gateway device), NAT-PMP (RFC 6886) and PCP (RFC 6887). It sends to the
// group of SSDP and to that router alone, which must lie in one of the site's subnets that
// this computer is attached to. What a router that answers for ever, sends elsewhere or
// lists without end tells is cut, and Notes say so. The error is a *RefusedError, or of the
// system.
func AskRouter(ctx context.Context, n Network, router netip.Addr, own []netip.Prefix) (Told, error) {
	l, err := neighbour(n, router, own)
	if err != nil {
		return Told{}, err
	}
	ctx, stop := context.WithTimeout(ctx, longestAsked)
	defer stop()
	a := &askingRouter{net: n, link: l, router: router, told: Told{Router: router, At: time.Now().UTC().Format(time.RFC3339), Speaks: []string{}, Mappings: []site.HeldForward{}, Notes: []string{}}}
	var all sync.WaitGroup
	all.Go(func() { a.upnp(ctx) })
	all.Go(func() { a.portMapping(ctx) })
	all.Wait()
	slices.Sort(a.told.Speaks)
	return a.told, nil
}

type askingRouter struct {
	net    Network
	link   Link
	router netip.Addr
	mu     sync.Mutex
	told   Told
}

func (a *askingRouter) note(format string, args ...any) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if says := fmt.Sprintf(format, args...); len(a.told.Notes) < 20 && !slices.Contains(a.told.Notes, says) {
		a.told.Notes = append(a.told.Notes, says)
	}
}

// speaks notes a way of asking that the router knows, and the outside address that it tells.
// What UPnP says stands before the others.
func (a *askingRouter) speaks(by string, outside netip.Addr) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if !slices.Contains(a.told.Speaks, by) {
		a.told.Speaks = append(a.told.Speaks, by)
	}
	if !outside.IsValid() {
		return
	}
	if !reach.CanBeOutside(outside) || a.link.Subnet().Contains(outside) {
		a.told.Notes = append(a.told.Notes, fmt.Sprintf("it tells %s as its outside address by %s, which can be none", outside, by))
		return
	}
	if a.told.Outside.IsValid() && a.told.Outside != outside {
		a.told.Notes = append(a.told.Notes, fmt.Sprintf("it tells %s by %s and %s by %s", a.told.Outside, a.told.By, outside, by))
	}
	if !a.told.Outside.IsValid() || by == "upnp" {
		a.told.Outside, a.told.By = outside, by
	}
}

// portMapping asks by NAT-PMP and PCP, three times with growing pauses (RFC 6886 section 3.1).
func (a *askingRouter) portMapping(ctx context.Context) {
	p, err := a.net.Packets(a.link, 0)
	if err != nil {
		a.note("NAT-PMP and PCP were not asked: %v", err)
		return
	}
	defer p.Close()
	defer context.AfterFunc(ctx, func() { p.SetReadDeadline(time.Now()) })()
	to := netip.AddrPortFrom(a.router, frame.PortMapping)
	questions := map[string][]byte{"nat-pmp": frame.AskNATPMP(), "pcp": frame.AskPCP(a.link.Own.Addr())}
	buffer := make([]byte, 1100)
	for wait := 250 * time.Millisecond; wait <= time.Second && len(questions) > 0 && ctx.Err() == nil; wait *= 2 {
		for _, q := range questions {
			p.WriteToUDPAddrPort(q, to)
		}
		until := time.Now().Add(wait)
		for heard := 0; heard < 100 && len(questions) > 0; heard++ {
			p.SetReadDeadline(until)
			n, from, err := p.ReadFromUDPAddrPort(buffer)
			if err != nil {
				break
			}
			if from.Addr().Unmap() != a.router || from.Port() != frame.PortMapping {
				continue
			}
			if outside, ok := frame.ParseNATPMP(buffer[:n]); ok {
				delete(questions, "nat-pmp")
				a.speaks("nat-pmp", outside)
			} else if frame.ParsePCP(buffer[:n]) {
				delete(questions, "pcp")
				a.speaks("pcp", netip.Addr{})
			}
		}
	}
}

// searched are the types that are searched for (UPnP device architecture, section 1.3).
var searched = []string{
	"urn:schemas-upnp-org:device:InternetGatewayDevice:1", "urn:schemas-upnp-org:device:InternetGatewayDevice:2",
	"urn:schemas-upnp-org:service:WANIPConnection:1", "urn:schemas-upnp-org:service:WANPPPConnection:1",
}

// upnp finds the router's description, and asks the service in it.
func (a *askingRouter) upnp(ctx context.Context) {
	location := a.find(ctx)
	if location == "" {
		return
	}
	at, path, ok := a.placeOf(location)
	if !ok {
		return
	}
	body, err := a.fetch(ctx, at, http.MethodGet, path, "", "")
	if err != nil {
		a.note("its description cannot be fetched: %v", err)
		return
	}
	service, ok := frame.ParseGateway(body)
	if !ok {
		a.note("its description names no service that maps ports")
		return
	}
	a.speaks("upnp", netip.Addr{})
	control, err := (&url.URL{Path: path}).Parse(service.Control)
	if err != nil {
		a.note("where it is asked is no address: %s", span.Quote(service.Control))
		return
	}
	if control.IsAbs() || control.Host != "" {
		if at, _, ok = a.placeOf(control.String()); !ok {
			return
		}
	}
	ask := func(action string, arguments ...[2]string) (map[string]string, error) {
		body, err := a.fetch(ctx, at, http.MethodPost, control.RequestURI(), `"`+service.Type+"#"+action+`"`, frame.AskGateway(service.Type, action, arguments...))
		if err != nil {
			return nil, err
		}
		return frame.ParseGatewayAnswer(body), nil
	}
	if got, err := ask("GetExternalIPAddress"); err != nil {
		a.note("it does not tell its outside address: %v", err)
	} else if outside, err := netip.ParseAddr(got["NewExternalIPAddress"]); err == nil && outside.Is4() && !outside.IsUnspecified() {
		a.speaks("upnp", outside)
	} else {
		a.note("it tells no outside address by UPnP: %s", span.Quote(got["NewExternalIPAddress"]))
	}
	a.mappings(ask)
}

// find searches for the gateway until the router itself answers.
func (a *askingRouter) find(ctx context.Context) string {
	p, err := a.net.Packets(a.link, 0)
	if err != nil {
		a.note("UPnP was not asked: %v", err)
		return ""
	}
	defer p.Close()
	defer context.AfterFunc(ctx, func() { p.SetReadDeadline(time.Now()) })()
	end := time.Now().Add(longestFind)
	buffer := make([]byte, 4096)
	for round := range 2 {
		for _, t := range searched {
			q := []byte("M-SEARCH * HTTP/1.1\r\nHOST: 239.255.255.250:1900\r\nMAN: \"ssdp:discover\"\r\nMX: 1\r\nST: " + t + "\r\n\r\n")
			p.WriteToUDPAddrPort(q, groupSSDP)
		}
		until := time.Now().Add(time.Until(end) / time.Duration(2-round))
		for heard := 0; heard < 500; heard++ {
			p.SetReadDeadline(until)
			n, from, err := p.ReadFromUDPAddrPort(buffer)
			if err != nil {
				break
			}
			m, ok := frame.ParseSSDP(buffer[:n])
			if !ok || m.Search || m.Location == "" || !slices.Contains(searched, m.Type) {
				continue
			}
			if from.Addr().Unmap() != a.router {
				a.note("%s says as well that it is a gateway", from.Addr().Unmap())
				continue
			}
			return m.Location
		}
	}
	return ""
}

// placeOf is where a web address of the router is fetched; one that leads elsewhere is not.
func (a *askingRouter) placeOf(location string) (at netip.AddrPort, path string, ok bool) {
	u, err := url.Parse(location)
	if err != nil || u.Scheme != "http" || u.Hostname() != a.router.String() {
		a.note("it points at %s, which is not the router: nothing is fetched there", span.Quote(location))
		return at, "", false
	}
	port := 80
	if u.Port() != "" {
		if port, err = strconv.Atoi(u.Port()); err != nil || port < 1 || port > 65535 {
			return at, "", false
		}
	}
	return netip.AddrPortFrom(a.router, uint16(port)), u.RequestURI(), true
}

// fetch asks the router at a port, follows nothing, and reads so much and so long.
func (a *askingRouter) fetch(ctx context.Context, at netip.AddrPort, method, path, action, body string) (io.Reader, error) {
	ctx, stop := context.WithTimeout(ctx, longestOne)
	defer stop()
	c, err := a.net.Dial(ctx, a.link, at)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	req, err := http.NewRequestWithContext(ctx, method, "http://"+at.String()+path, strings.NewReader(body))
	if err != nil {
		return nil, err
	}
	if action != "" {
		req.Header.Set("SOAPAction", action)
		req.Header.Set("Content-Type", `text/xml; charset="utf-8"`)
	}
	resp, err := send(c, req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, errTooMuch
		}
		return nil, err
	}
	defer resp.Body.Close()
	if resp.StatusCode >= 300 && resp.StatusCode < 400 {
		return nil, fmt.Errorf("it sends elsewhere, to %s, which is not followed", span.Quote(resp.Header.Get("Location")))
	}
	got, err := io.ReadAll(io.LimitReader(resp.Body, largestAnswer+1))
	if ctx.Err() != nil {
		return nil, errTooMuch
	}
	if len(got) > largestAnswer {
		return nil, fmt.Errorf("it answers with more than %d bytes", largestAnswer)
	}
	return strings.NewReader(string(got)), err
}

// The refusals by which a list of mappings ends (WANIPConnection:2, section 2.5.18): the
// index is past the last, or there is no such entry.
const (
	indexInvalid = "713"
	noSuchEntry  = "714"
)

// mappings reads the list of mappings to its end.
func (a *askingRouter) mappings(ask func(string, ...[2]string) (map[string]string, error)) {
	for i := 0; ; i++ {
		if i == MostMappings {
			a.told.More = true
			a.note("it lists more than %d mappings: the first are taken", MostMappings)
			return
		}
		got, err := ask("GetGenericPortMappingEntry", [2]string{"NewPortMappingIndex", strconv.Itoa(i)})
		if err != nil {
			a.told.More = true
			a.note("its list of mappings ends after %d: %v", i, err)
			return
		}
		if code := got["errorCode"]; code != "" {
			if code != indexInvalid && code != noSuchEntry && !(i > 0 && code == "402") {
				a.note("it refuses its list of mappings: %s %s", code, span.Quote(got["errorDescription"]))
			}
			return
		}
		m, err := mapping(got)
		if err != nil {
			a.note("mapping %d is not understood: %v", i+1, err)
			continue
		}
		m.Line = i + 1
		a.told.Mappings = append(a.told.Mappings, m)
	}
}

// mapping reads one entry. An outside port of 0 stands for every port.
func mapping(got map[string]string) (site.HeldForward, error) {
	m := site.HeldForward{Name: got["NewPortMappingDescription"], From: []string{}, Enabled: got["NewEnabled"] != "0" && !strings.EqualFold(got["NewEnabled"], "false")}
	if len(m.Name) > 200 {
		m.Name = m.Name[:200]
	}
	m.Name = strings.ToValidUTF8(m.Name, "")
	if err := m.Protocol.UnmarshalText([]byte(strings.ToLower(got["NewProtocol"]))); err != nil {
		return m, err
	}
	var err error
	if m.Outside, err = portOf(got["NewExternalPort"]); err != nil {
		return m, err
	}
	if m.Inside, err = portOf(got["NewInternalPort"]); err != nil {
		return m, err
	}
	if m.Address, err = ipv4.ParseAddr(got["NewInternalClient"]); err != nil {
		return m, err
	}
	if from := got["NewRemoteHost"]; from != "" && from != "0.0.0.0" && from != "*" {
		if _, err := site.ParseSender(from); err != nil {
			return m, err
		}
		m.From = append(m.From, from)
	}
	if m.Outside.Equal(m.Inside) {
		m.Inside = span.Ports{}
	}
	return m, nil
}

func portOf(text string) (span.Ports, error) {
	if strings.TrimSpace(text) == "0" {
		text = "1-65535"
	}
	return span.ParsePorts(strings.TrimSpace(text))
}
