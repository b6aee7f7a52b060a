package site

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestpin/core/ipv4"
	"vestpin/core/span"
)

// Check refuses a site whose parts do not fit together. Its error is a *Refusal
// with the JSON path of the first fault.
func Check(s Site) error { return check(&trail{key: "$"}, s) }

func check(at *trail, s Site) error {
	c := checker{networks: map[string]Network{}, routers: map[string]Router{}, ids: map[string]bool{}}
	if s.Name == "" {
		return at.field("name").refuse(s.Name, "a name")
	}
	return firstOf(
		checkName(at.field("name"), s.Name, longestName),
		checkMost(at.field("networks"), len(s.Networks), mostNetworks),
		checkMost(at.field("routers"), len(s.Routers), mostRouters),
		checkMost(at.field("devices"), len(s.Devices), MostDevices),
		checkMost(at.field("forwards"), len(s.Forwards), mostForwards),
		checkMost(at.field("done"), len(s.Done), mostDone),
		checkMost(at.field("visits"), len(s.Visits), mostVisits),
		checkMost(at.field("proofs"), len(s.Proofs), mostProofs),
		checkMost(at.field("makers"), len(s.Makers), mostMakers),
		checkKinds(at.field("kinds"), s.Kinds),
		checkMost(at.field("links"), len(s.Links), mostLinks),
		each(at.field("networks"), s.Networks, c.network),
		each(at.field("routers"), s.Routers, c.router),
		each(at.field("routers"), s.Routers, c.upstream),
		each(at.field("devices"), s.Devices, c.device),
		each(at.field("routers"), s.Routers, c.exposedHost),
		each(at.field("forwards"), s.Forwards, c.forward),
		each(at.field("done"), s.Done, c.done),
		each(at.field("visits"), s.Visits, c.visit),
		each(at.field("proofs"), s.Proofs, c.proof),
		each(at.field("makers"), s.Makers, c.maker),
		each(at.field("links"), s.Links, c.link),
	)
}

// firstOf is the first error; its arguments are cheap enough to work out all.
func firstOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

func each[T any](at *trail, list []T, f func(*trail, T) error) error {
	for i, v := range list {
		if err := f(at.item(i), v); err != nil {
			return err
		}
	}
	return nil
}

func checkMost(at *trail, n, most int) error {
	if n > most {
		return &Refusal{Path: at.String(), Found: fmt.Sprintf("a list of %d", n), Want: fmt.Sprintf("at most %d", most)}
	}
	return nil
}

func checkName(at *trail, text string, longest int) error {
	if n := utf8.RuneCountInString(text); n > longest {
		return &Refusal{Path: at.String(), Found: fmt.Sprintf("%s of %d characters", span.Quote(text), n), Want: fmt.Sprintf("at most %d characters", longest)}
	}
	if strings.ContainsRune(text, 0) || !utf8.ValidString(text) {
		return at.refuse(text, "text in UTF-8 without the character NUL")
	}
	return nil
}

// checker remembers what was met so far, to find ids given twice and references
// to nothing.
type checker struct {
	networks map[string]Network
	routers  map[string]Router
	ids      map[string]bool
}

func (c checker) id(at *trail, kind, id string) error {
	at = at.field("id")
	if id == "" || utf8.RuneCountInString(id) > longestID || strings.ContainsFunc(id, unicode.IsControl) {
		return at.refuse(id, fmt.Sprintf("an id of 1 to %d characters", longestID))
	}
	if c.ids[kind+id] {
		return at.refuse(id, "an id that no other "+kind+" has")
	}
	c.ids[kind+id] = true
	return nil
}

func (c checker) refer(at *trail, kind, id string) error {
	if !c.ids[kind+id] {
		return at.refuse(id, "the id of a "+kind+" of this site")
	}
	return nil
}

func (c checker) network(at *trail, n Network) error {
	c.networks[n.ID] = n
	return firstOf(c.id(at, "network", n.ID), checkNetwork(at, n))
}

func checkNetwork(at *trail, n Network) error {
	if !n.Subnet.IsValid() {
		return at.field("subnet").refuse("", "a subnet such as 10.48.16.0/24")
	}
	if n.Gateway.IsValid() {
		lan := ipv4.Run(n.Subnet)
		g := ipv4.Number(n.Gateway)
		if !lan.Contains(g) {
			return at.field("gateway").refuse(n.Gateway.String(), "an address inside "+n.Subnet.String())
		}
		if g == lan.Lo || g == lan.Hi {
			return at.field("gateway").refuse(n.Gateway.String(), "an address that is neither the first nor the last of "+n.Subnet.String())
		}
	}
	return firstOf(
		checkName(at.field("name"), n.Name, longestName),
		checkMost(at.field("dns"), len(n.DNS), mostDNS),
		checkMost(at.field("ranges"), len(n.Ranges), mostRanges),
		checkMost(at.field("bands"), len(n.Bands), mostBands),
		checkMost(at.field("keepFree"), len(n.KeepFree), mostKeepFree),
		each(at.field("dns"), n.DNS, checkGiven),
		each(at.field("ranges"), n.Ranges, func(at *trail, r Range) error { return upwards(at, r.From, r.To) }),
		each(at.field("bands"), n.Bands, func(at *trail, b Band) error {
			return firstOf(upwards(at, b.From, b.To), checkName(at.field("name"), b.Name, longestName), checkMost(at.field("kinds"), len(b.Kinds), mostKinds),
				each(at.field("kinds"), b.Kinds, func(at *trail, kind string) error { return checkName(at, kind, longestName) }))
		}),
		each(at.field("keepFree"), n.KeepFree, func(at *trail, k KeepFree) error {
			return firstOf(upwards(at, k.From, k.To), checkName(at.field("why"), k.Why, longestNote))
		}),
		checkMost(at.field("answersForMany"), len(n.Crowds), MostCrowds),
		each(at.field("answersForMany"), n.Crowds, func(at *trail, c Crowd) error { return checkName(at.field("at"), c.At, longestTime) }),
		checkMost(at.field("dhcpServers"), len(n.Servers), mostServers),
		each(at.field("dhcpServers"), n.Servers, func(at *trail, v DHCPServer) error {
			return firstOf(checkGiven(at.field("address"), v.Address), checkName(at.field("at"), v.At, longestTime))
		}),
	)
}

func checkGiven(at *trail, a netip.Addr) error {
	if !a.Is4() {
		return at.refuse("", "an IPv4 address such as 10.48.16.20")
	}
	return nil
}

func upwards(at *trail, from, to netip.Addr) error {
	if !from.Is4() {
		return at.field("from").refuse("", "an IPv4 address")
	}
	if !to.Is4() {
		return at.field("to").refuse("", "an IPv4 address")
	}
	if to.Less(from) {
		return at.field("to").refuse(to.String(), "an address not below "+from.String()+": a range runs from low to high")
	}
	return nil
}

func (c checker) router(at *trail, r Router) error {
	c.routers[r.ID] = r
	if r.Form.Lines < 0 || r.Form.ReservationLines < 0 {
		return at.field("form").refuse(fmt.Sprint(min(r.Form.Lines, r.Form.ReservationLines)), "0 for no limit, or how many lines there are")
	}
	return firstOf(
		c.id(at, "router", r.ID),
		checkName(at.field("name"), r.Name, longestName),
		checkName(at.field("wan").field("name"), r.WAN.Name, longestName),
		c.refer(at.field("network"), "network", r.Network),
		c.served(at.field("networks"), r),
		r.UPnP.checkGiven(at.field("upnp")),
		r.LoopsBack.checkGiven(at.field("loopsBack")),
		r.WAN.Kind.checkGiven(at.field("wan").field("kind")),
		checkForm(at.field("form"), r.Form),
		checkHeld(at.field("held"), r.Held), checkMapped(at.field("mapped"), r.Mapped),
		checkMost(at.field("ownPorts"), len(r.OwnPorts), mostOwnPorts),
		each(at.field("ownPorts"), r.OwnPorts, func(at *trail, o OwnPort) error {
			return firstOf(checkPorts(at.field("ports"), o.Ports), checkName(at.field("why"), o.Why, longestNote))
		}),
	)
}

// served refuses networks of a router that are none, one that is listed twice, and a list
// that does not begin with the router's first network.
func (c checker) served(at *trail, r Router) error {
	if err := checkMost(at, len(r.Networks), mostNetworks); err != nil {
		return err
	}
	for i, id := range r.Networks {
		if err := c.refer(at.item(i), "network", id); err != nil {
			return err
		}
		if i == 0 && id != r.Network {
			return at.item(0).refuse(id, "the router's own network, "+span.Quote(r.Network)+", first")
		}
		if slices.Contains(r.Networks[:i], id) {
			return at.item(i).refuse(id, "each network once")
		}
	}
	return nil
}

// exposedHost runs after all interfaces are known.
func (c checker) exposedHost(at *trail, r Router) error {
	if r.ExposedHost == "" {
		return nil
	}
	return c.target(at.field("exposedHost"), r.ExposedHost)
}

// target refuses where packets are sent that is neither an interface nor an address.
func (c checker) target(at *trail, to string) error {
	if _, bad := ipv4.ParseAddr(to); bad != nil && !c.ids["interface"+to] {
		return at.refuse(to, "the id of an interface of this site, or an IPv4 address")
	}
	return nil
}

func checkHeld(at *trail, h *Held) error {
	if h == nil {
		return nil
	}
	if h.ExposedHost.IsValid() && !h.ExposedHost.Is4() {
		return at.field("exposedHost").refuse(h.ExposedHost.String(), "the IPv4 address of the exposed host")
	}
	return firstOf(
		checkName(at.field("at"), h.At, longestTime), checkName(at.field("source"), h.Source, longestNote),
		checkHeldForwards(at.field("forwards"), h.Forwards),
	)
}

func checkMapped(at *trail, m *Mapped) error {
	if m == nil {
		return nil
	}
	if m.Outside.IsValid() && !m.Outside.Is4() {
		return at.field("outside").refuse(m.Outside.String(), "the IPv4 address that the router told")
	}
	return firstOf(
		checkName(at.field("at"), m.At, longestTime), checkMost(at.field("by"), len(m.By), mostSenders),
		each(at.field("by"), m.By, func(at *trail, by string) error { return oneOf(at, by, "upnp,nat-pmp,pcp") }),
		checkHeldForwards(at.field("forwards"), m.Forwards),
	)
}

func checkHeldForwards(at *trail, forwards []HeldForward) error {
	return firstOf(
		checkMost(at, len(forwards), MostHeld),
		each(at, forwards, func(at *trail, f HeldForward) error {
			if !f.Address.Is4() {
				return at.field("address").refuse(f.Address.String(), "the IPv4 address to which the line leads")
			}
			return firstOf(
				checkName(at.field("name"), f.Name, longestName), checkProtocol(at.field("protocol"), f.Protocol), checkPorts(at.field("outside"), f.Outside),
				checkMost(at.field("from"), len(f.From), mostSenders),
				each(at.field("from"), f.From, func(at *trail, s string) error { return checkName(at, s, longestName) }),
			)
		}),
	)
}

func checkForm(at *trail, f Form) error {
	return firstOf(
		f.PortsPerLine.checkGiven(at.field("portsPerLine")),
		f.Renumber.checkGiven(at.field("renumber")),
		f.LimitsSender.checkGiven(at.field("limitsSender")),
		f.Reserves.checkGiven(at.field("reserves")),
		checkMost(at.field("protocols"), len(f.Protocols), mostProtocols),
		checkName(at.field("separator"), f.Separator, longestSeparator),
		checkMost(at.field("fields"), len(f.Fields), mostFields),
		checkMost(at.field("reservationFields"), len(f.ReservationFields), mostFields),
		each(at.field("fields"), f.Fields, checkField),
		each(at.field("reservationFields"), f.ReservationFields, func(at *trail, f FormField) error {
			return firstOf(oneOf(at.field("is"), string(f.Is), "name,mac,address,last-number,fixed"), checkField(at, f))
		}),
	)
}

func checkField(at *trail, f FormField) error {
	if f.Max < 0 {
		return at.field("max").refuse(fmt.Sprint(f.Max), "0 for no limit, or the most characters that the field takes")
	}
	if err := checkMost(at.field("says"), len(f.Says), mostSays); err != nil {
		return err
	}
	for word, text := range f.Says {
		if err := checkName(at.field("says").field(word), text, longestName); err != nil {
			return err
		}
	}
	return firstOf(
		checkName(at.field("label"), f.Label, longestName), checkName(at.field("anyone"), f.Anyone, longestName), checkName(at.field("value"), f.Value, longestName),
		f.Is.check(at.field("is")),
		f.Part.checkGiven(at.field("part")),
		f.Alphabet.checkGiven(at.field("alphabet")),
	)
}

func checkPorts(at *trail, p span.Ports) error {
	if p.IsZero() {
		return at.refuse("", `ports such as "80", "16400-16463" or "5060,5062-5063"`)
	}
	return nil
}

// upstream runs after all routers are known: the way out must end.
func (c checker) upstream(at *trail, r Router) error {
	at = at.field("upstream")
	for seen := []string{r.ID}; r.Upstream != ""; {
		if err := c.refer(at, "router", r.Upstream); err != nil {
			return err
		}
		r = c.routers[r.Upstream]
		if slices.Contains(seen, r.ID) {
			return at.refuse(r.ID, "a router further out: this one stands behind itself")
		}
		seen = append(seen, r.ID)
	}
	return nil
}

func (c checker) device(at *trail, d Device) error {
	if d.Rank < 0 || d.Rank > 99 {
		return at.field("rank").refuse(fmt.Sprint(d.Rank), "a rank from 1, the most important, to 99")
	}
	err := firstOf(
		c.id(at, "device", d.ID),
		checkName(at.field("name"), d.Name, longestName),
		checkName(at.field("kind"), d.Kind, longestName),
		checkName(at.field("place"), d.Place, longestName),
		checkMost(at.field("interfaces"), len(d.Interfaces), mostInterfaces),
		checkMost(at.field("services"), len(d.Services), mostServices),
		each(at.field("interfaces"), d.Interfaces, c.iface),
	)
	if err != nil {
		return err
	}
	return each(at.field("services"), d.Services, func(at *trail, s Service) error {
		if !slices.ContainsFunc(d.Interfaces, func(i Interface) bool { return i.ID == s.Interface }) {
			return at.field("interface").refuse(s.Interface, "the id of an interface of the same device")
		}
		return c.service(at, s)
	})
}

func (c checker) iface(at *trail, i Interface) error {
	err := firstOf(
		c.id(at, "interface", i.ID),
		checkName(at.field("name"), i.Name, longestName),
		c.refer(at.field("network"), "network", i.Network),
		i.Wants.checkGiven(at.field("wants")),
		checkMost(at.field("evidence"), len(i.Evidence), mostEvidence),
		checkName(at.field("first"), i.First, longestTime),
		each(at.field("evidence"), i.Evidence, checkEvidence),
	)
	if err != nil || i.Pin == nil {
		return err
	}
	at = at.field("pin")
	return firstOf(checkGiven(at.field("address"), i.Pin.Address), i.Pin.By.check(at.field("by")))
}

func (c checker) service(at *trail, s Service) error {
	err := firstOf(
		c.id(at, "service", s.ID),
		checkName(at.field("name"), s.Name, longestName),
		checkProtocol(at.field("protocol"), s.Protocol),
		checkPorts(at.field("ports"), s.Ports),
		checkMost(at.field("canSetTo"), len(s.CanSetTo), mostCanSetTo),
		each(at.field("canSetTo"), s.CanSetTo, func(at *trail, p span.Ports) error {
			return firstOf(checkPorts(at, p), sameSize(at, p, s.Ports))
		}),
	)
	if err == nil && !s.Claims.IsZero() {
		err = sameSize(at.field("claims"), s.Claims, s.Ports)
	}
	if err != nil || s.Open == nil {
		return err
	}
	at = at.field("open")
	if err := checkMost(at.field("from"), len(s.Open.From), mostSenders); err != nil {
		return err
	}
	if s.Open.Router != "" {
		if err := c.refer(at.field("router"), "router", s.Open.Router); err != nil {
			return err
		}
	}
	if !s.Open.Prefer.IsZero() {
		if err := sameSize(at.field("prefer"), s.Open.Prefer, s.Ports); err != nil {
			return err
		}
	}
	if s.Open.Port == AnyPort || s.Open.Port == SamePort {
		return nil
	}
	exact, ok := s.Open.Exact()
	if !ok {
		return at.field("port").refuse(s.Open.Port, `"any", "same" or outside ports such as "8020"`)
	}
	return sameSize(at.field("port"), exact, s.Ports)
}

func checkProtocol(at *trail, p Protocol) error { return oneOf(at, string(p), "tcp,udp,both") }

func sameSize(at *trail, p, other span.Ports) error {
	if p.Len() != other.Len() {
		return at.refuse(p.String(), fmt.Sprintf("as many ports as %s has, %d", other, other.Len()))
	}
	return nil
}

func (c checker) forward(at *trail, f Forward) error {
	err := firstOf(
		c.id(at, "forward", f.ID),
		checkName(at.field("name"), f.Name, longestName),
		c.refer(at.field("router"), "router", f.Router),
		checkProtocol(at.field("protocol"), f.Protocol),
		checkPorts(at.field("outside"), f.Outside),
		checkMost(at.field("from"), len(f.From), mostSenders),
	)
	if err != nil {
		return err
	}
	if !f.Inside.IsZero() {
		if err := sameSize(at.field("inside"), f.Inside, f.Outside); err != nil {
			return err
		}
	}
	if f.Service != "" {
		if err := c.refer(at.field("service"), "service", f.Service); err != nil {
			return err
		}
	}
	return c.target(at.field("to"), f.To)
}

func (c checker) done(at *trail, d Done) error {
	if d.Step == "" || len(d.Step) > longestStep || c.ids["done"+d.Step] {
		return at.field("step").refuse(d.Step, "the id of a step, each once")
	}
	c.ids["done"+d.Step] = true
	return firstOf(checkName(at.field("at"), d.At, longestTime), checkName(at.field("values"), d.Values, 4000))
}

func checkEvidence(at *trail, e Evidence) error {
	return firstOf(
		checkName(at.field("source"), e.Source, longestNote), checkName(at.field("host"), e.Host, 1000), checkName(at.field("state"), e.State, longestNote),
		checkName(at.field("at"), e.At, longestTime), checkName(at.field("until"), e.Until, longestTime),
		checkMost(at.field("traits"), len(e.Traits), mostTraits),
		each(at.field("traits"), e.Traits, func(at *trail, t Trait) error {
			return firstOf(checkName(at.field("name"), t.Name, 40), checkName(at.field("value"), t.Value, longestNote))
		}),
	)
}

func (c checker) visit(at *trail, v Visit) error {
	return firstOf(
		c.id(at, "visit", v.ID),
		checkName(at.field("from"), v.From, longestTime), checkName(at.field("until"), v.Until, longestTime), checkName(at.field("note"), v.Note, longestNote),
		checkMost(at.field("seen"), len(v.Seen), mostSeen),
		each(at.field("seen"), v.Seen, func(at *trail, n SeenThen) error {
			return firstOf(checkName(at.field("interface"), n.Interface, longestID), checkName(at.field("host"), n.Host, 1000))
		}),
	)
}

func (c checker) maker(at *trail, m Maker) error {
	digits := m.Digits()
	if digits == "" || len(digits) > 12 || strings.Trim(digits, "0123456789abcdef") != "" {
		return at.field("prefix").refuse(m.Prefix, "the first digits of a MAC address, such as 00:00:5e or 00:00:5e:00:53:2")
	}
	if c.ids["maker"+digits] {
		return at.field("prefix").refuse(m.Prefix, "each prefix once")
	}
	c.ids["maker"+digits] = true
	if m.Name == "" {
		return at.field("name").refuse("", "the maker's name")
	}
	return checkName(at.field("name"), m.Name, longestName)
}
