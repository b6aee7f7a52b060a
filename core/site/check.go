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
	"vestpin/core/strict"
)

// Check refuses a site whose parts do not fit together. Its error is a *strict.Refusal
// with the JSON path of the first fault.
func Check(s Site) error { return CheckAt(strict.At("$"), s) }

// CheckAt is Check of a site that stands somewhere else.
func CheckAt(at *strict.Path, s Site) error {
	c := checker{networks: map[string]Network{}, routers: map[string]Router{}, ids: map[string]bool{}}
	if s.Name == "" {
		return at.Field("name").Refuse(s.Name, "a name")
	}
	return firstOf(
		checkName(at.Field("name"), s.Name, LongestName),
		CheckMost(at.Field("networks"), len(s.Networks), MostNetworks),
		CheckMost(at.Field("routers"), len(s.Routers), MostRouters),
		CheckMost(at.Field("devices"), len(s.Devices), MostDevices),
		CheckMost(at.Field("forwards"), len(s.Forwards), MostForwards),
		CheckMost(at.Field("done"), len(s.Done), MostDone),
		CheckMost(at.Field("visits"), len(s.Visits), MostVisits),
		CheckMost(at.Field("proofs"), len(s.Proofs), MostProofs),
		CheckMost(at.Field("makers"), len(s.Makers), MostMakers),
		checkKinds(at.Field("kinds"), s.Kinds),
		CheckMost(at.Field("links"), len(s.Links), MostLinks),
		each(at.Field("networks"), s.Networks, c.network),
		each(at.Field("routers"), s.Routers, c.router),
		each(at.Field("routers"), s.Routers, c.upstream),
		each(at.Field("devices"), s.Devices, c.device),
		each(at.Field("routers"), s.Routers, c.exposedHost),
		each(at.Field("forwards"), s.Forwards, c.forward),
		each(at.Field("done"), s.Done, c.done),
		each(at.Field("visits"), s.Visits, c.visit),
		each(at.Field("proofs"), s.Proofs, c.proof),
		each(at.Field("makers"), s.Makers, c.maker),
		each(at.Field("links"), s.Links, c.link),
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

func each[T any](at *strict.Path, list []T, f func(*strict.Path, T) error) error {
	for i, v := range list {
		if err := f(at.Item(i), v); err != nil {
			return err
		}
	}
	return nil
}

func CheckMost(at *strict.Path, n, most int) error {
	if n > most {
		return &strict.Refusal{Path: at.String(), Found: fmt.Sprintf("a list of %d", n), Want: fmt.Sprintf("at most %d", most)}
	}
	return nil
}

func checkName(at *strict.Path, text string, longest int) error {
	if n := utf8.RuneCountInString(text); n > longest {
		return &strict.Refusal{Path: at.String(), Found: fmt.Sprintf("%s of %d characters", span.Quote(text), n), Want: fmt.Sprintf("at most %d characters", longest)}
	}
	if strings.ContainsRune(text, 0) || !utf8.ValidString(text) {
		return at.Refuse(text, "text in UTF-8 without the character NUL")
	}
	return nil
}

// checker remembers what was met so far, to find ids given twice and references
// to nothing.
type checker struct {
	networks map[string]Network
	routers  map[string]Router
	ids      map[string]bool
	steps    *int // of the regular expressions so far
}

func (c checker) id(at *strict.Path, kind, id string) error {
	at = at.Field("id")
	if id == "" || utf8.RuneCountInString(id) > LongestID || strings.ContainsFunc(id, unicode.IsControl) {
		return at.Refuse(id, fmt.Sprintf("an id of 1 to %d characters", LongestID))
	}
	if c.ids[kind+id] {
		return at.Refuse(id, "an id that no other "+kind+" has")
	}
	c.ids[kind+id] = true
	return nil
}

func (c checker) refer(at *strict.Path, kind, id string) error {
	if !c.ids[kind+id] {
		return at.Refuse(id, "the id of a "+kind+" of this site")
	}
	return nil
}

func (c checker) network(at *strict.Path, n Network) error {
	c.networks[n.ID] = n
	return firstOf(c.id(at, "network", n.ID), checkNetwork(at, n))
}

func checkNetwork(at *strict.Path, n Network) error {
	if !n.Subnet.IsValid() {
		return at.Field("subnet").Refuse("", "a subnet such as 10.48.16.0/24")
	}
	if n.Gateway.IsValid() {
		lan := ipv4.Run(n.Subnet)
		g := ipv4.Number(n.Gateway)
		if !lan.Contains(g) {
			return at.Field("gateway").Refuse(n.Gateway.String(), "an address inside "+n.Subnet.String())
		}
		if g == lan.Lo || g == lan.Hi {
			return at.Field("gateway").Refuse(n.Gateway.String(), "an address that is neither the first nor the last of "+n.Subnet.String())
		}
	}
	return firstOf(
		checkName(at.Field("name"), n.Name, LongestName),
		CheckMost(at.Field("dns"), len(n.DNS), MostDNS),
		CheckMost(at.Field("ranges"), len(n.Ranges), MostRanges),
		CheckMost(at.Field("bands"), len(n.Bands), MostBands),
		CheckMost(at.Field("keepFree"), len(n.KeepFree), MostKeepFree),
		each(at.Field("dns"), n.DNS, checkGiven),
		each(at.Field("ranges"), n.Ranges, func(at *strict.Path, r Range) error { return upwards(at, r.From, r.To) }),
		each(at.Field("bands"), n.Bands, func(at *strict.Path, b Band) error {
			return firstOf(upwards(at, b.From, b.To), checkName(at.Field("name"), b.Name, LongestName), CheckMost(at.Field("kinds"), len(b.Kinds), MostKinds),
				each(at.Field("kinds"), b.Kinds, func(at *strict.Path, kind string) error { return checkName(at, kind, LongestName) }))
		}),
		each(at.Field("keepFree"), n.KeepFree, func(at *strict.Path, k KeepFree) error {
			return firstOf(upwards(at, k.From, k.To), checkName(at.Field("why"), k.Why, LongestNote))
		}),
		CheckMost(at.Field("answersForMany"), len(n.Crowds), MostCrowds),
		each(at.Field("answersForMany"), n.Crowds, func(at *strict.Path, c Crowd) error { return checkName(at.Field("at"), c.At, LongestTime) }),
		CheckMost(at.Field("dhcpServers"), len(n.Servers), MostServers),
		each(at.Field("dhcpServers"), n.Servers, func(at *strict.Path, v DHCPServer) error {
			return firstOf(checkGiven(at.Field("address"), v.Address), checkName(at.Field("at"), v.At, LongestTime))
		}),
	)
}

func checkGiven(at *strict.Path, a netip.Addr) error {
	if !a.Is4() {
		return at.Refuse("", "an IPv4 address such as 10.48.16.20")
	}
	return nil
}

func upwards(at *strict.Path, from, to netip.Addr) error {
	if !from.Is4() {
		return at.Field("from").Refuse("", "an IPv4 address")
	}
	if !to.Is4() {
		return at.Field("to").Refuse("", "an IPv4 address")
	}
	if to.Less(from) {
		return at.Field("to").Refuse(to.String(), "an address not below "+from.String()+": a range runs from low to high")
	}
	return nil
}

func (c checker) router(at *strict.Path, r Router) error {
	c.routers[r.ID] = r
	if r.Form.Lines < 0 || r.Form.ReservationLines < 0 {
		return at.Field("form").Refuse(fmt.Sprint(min(r.Form.Lines, r.Form.ReservationLines)), "0 for no limit, or how many lines there are")
	}
	return firstOf(
		c.id(at, "router", r.ID),
		checkName(at.Field("name"), r.Name, LongestName),
		checkName(at.Field("wan").Field("name"), r.WAN.Name, LongestName),
		c.refer(at.Field("network"), "network", r.Network),
		c.served(at.Field("networks"), r),
		r.UPnP.checkGiven(at.Field("upnp")),
		r.LoopsBack.checkGiven(at.Field("loopsBack")),
		r.WAN.Kind.checkGiven(at.Field("wan").Field("kind")),
		checkForm(at.Field("form"), r.Form),
		checkHeld(at.Field("held"), r.Held), checkMapped(at.Field("mapped"), r.Mapped),
		CheckMost(at.Field("ownPorts"), len(r.OwnPorts), MostOwnPorts),
		each(at.Field("ownPorts"), r.OwnPorts, func(at *strict.Path, o OwnPort) error {
			return firstOf(checkPorts(at.Field("ports"), o.Ports), checkName(at.Field("why"), o.Why, LongestNote))
		}),
	)
}

// served refuses networks of a router that are none, one that is listed twice, and a list
// that does not begin with the router's first network.
func (c checker) served(at *strict.Path, r Router) error {
	if err := CheckMost(at, len(r.Networks), MostNetworks); err != nil {
		return err
	}
	for i, id := range r.Networks {
		if err := c.refer(at.Item(i), "network", id); err != nil {
			return err
		}
		if i == 0 && id != r.Network {
			return at.Item(0).Refuse(id, "the router's own network, "+span.Quote(r.Network)+", first")
		}
		if slices.Contains(r.Networks[:i], id) {
			return at.Item(i).Refuse(id, "each network once")
		}
	}
	return nil
}

// exposedHost runs after all interfaces are known.
func (c checker) exposedHost(at *strict.Path, r Router) error {
	if r.ExposedHost == "" {
		return nil
	}
	return c.target(at.Field("exposedHost"), r.ExposedHost)
}

// target refuses where packets are sent that is neither an interface nor an address.
func (c checker) target(at *strict.Path, to string) error {
	if _, bad := ipv4.ParseAddr(to); bad != nil && !c.ids["interface"+to] {
		return at.Refuse(to, "the id of an interface of this site, or an IPv4 address")
	}
	return nil
}

func checkHeld(at *strict.Path, h *Held) error {
	if h == nil {
		return nil
	}
	if h.ExposedHost.IsValid() && !h.ExposedHost.Is4() {
		return at.Field("exposedHost").Refuse(h.ExposedHost.String(), "the IPv4 address of the exposed host")
	}
	return firstOf(
		checkName(at.Field("at"), h.At, LongestTime), checkName(at.Field("source"), h.Source, LongestNote),
		checkHeldForwards(at.Field("forwards"), h.Forwards),
	)
}

func checkMapped(at *strict.Path, m *Mapped) error {
	if m == nil {
		return nil
	}
	if m.Outside.IsValid() && !m.Outside.Is4() {
		return at.Field("outside").Refuse(m.Outside.String(), "the IPv4 address that the router told")
	}
	return firstOf(
		checkName(at.Field("at"), m.At, LongestTime), CheckMost(at.Field("by"), len(m.By), MostSenders),
		each(at.Field("by"), m.By, func(at *strict.Path, by string) error { return at.OneOf(by, "upnp,nat-pmp,pcp") }),
		checkHeldForwards(at.Field("forwards"), m.Forwards),
	)
}

func checkHeldForwards(at *strict.Path, forwards []HeldForward) error {
	return firstOf(
		CheckMost(at, len(forwards), MostHeld),
		each(at, forwards, func(at *strict.Path, f HeldForward) error {
			if !f.Address.Is4() {
				return at.Field("address").Refuse(f.Address.String(), "the IPv4 address to which the line leads")
			}
			return firstOf(
				checkName(at.Field("name"), f.Name, LongestName), checkProtocol(at.Field("protocol"), f.Protocol), checkPorts(at.Field("outside"), f.Outside),
				CheckMost(at.Field("from"), len(f.From), MostSenders),
				each(at.Field("from"), f.From, func(at *strict.Path, s string) error { return checkName(at, s, LongestName) }),
			)
		}),
	)
}

func checkForm(at *strict.Path, f Form) error {
	return firstOf(
		f.PortsPerLine.checkGiven(at.Field("portsPerLine")),
		f.Renumber.checkGiven(at.Field("renumber")),
		f.LimitsSender.checkGiven(at.Field("limitsSender")),
		f.Reserves.checkGiven(at.Field("reserves")),
		CheckMost(at.Field("protocols"), len(f.Protocols), MostProtocols),
		checkName(at.Field("separator"), f.Separator, LongestSeparator),
		CheckMost(at.Field("fields"), len(f.Fields), MostFields),
		CheckMost(at.Field("reservationFields"), len(f.ReservationFields), MostFields),
		each(at.Field("fields"), f.Fields, checkField),
		each(at.Field("reservationFields"), f.ReservationFields, func(at *strict.Path, f FormField) error {
			return firstOf(at.Field("is").OneOf(string(f.Is), "name,mac,address,last-number,fixed"), checkField(at, f))
		}),
	)
}

func checkField(at *strict.Path, f FormField) error {
	if f.Max < 0 {
		return at.Field("max").Refuse(fmt.Sprint(f.Max), "0 for no limit, or the most characters that the field takes")
	}
	if err := CheckMost(at.Field("says"), len(f.Says), MostSays); err != nil {
		return err
	}
	for word, text := range f.Says {
		if err := checkName(at.Field("says").Field(word), text, LongestName); err != nil {
			return err
		}
	}
	return firstOf(
		checkName(at.Field("label"), f.Label, LongestName), checkName(at.Field("anyone"), f.Anyone, LongestName), checkName(at.Field("value"), f.Value, LongestName),
		f.Is.check(at.Field("is")),
		f.Part.checkGiven(at.Field("part")),
		f.Alphabet.checkGiven(at.Field("alphabet")),
	)
}

func checkPorts(at *strict.Path, p span.Ports) error {
	if p.IsZero() {
		return at.Refuse("", `ports such as "80", "16400-16463" or "5060,5062-5063"`)
	}
	return nil
}

// upstream runs after all routers are known: the way out must end.
func (c checker) upstream(at *strict.Path, r Router) error {
	at = at.Field("upstream")
	for seen := []string{r.ID}; r.Upstream != ""; {
		if err := c.refer(at, "router", r.Upstream); err != nil {
			return err
		}
		r = c.routers[r.Upstream]
		if slices.Contains(seen, r.ID) {
			return at.Refuse(r.ID, "a router further out: this one stands behind itself")
		}
		seen = append(seen, r.ID)
	}
	return nil
}

func (c checker) device(at *strict.Path, d Device) error {
	if d.Rank < 0 || d.Rank > 99 {
		return at.Field("rank").Refuse(fmt.Sprint(d.Rank), "a rank from 1, the most important, to 99")
	}
	err := firstOf(
		c.id(at, "device", d.ID),
		checkName(at.Field("name"), d.Name, LongestName),
		checkName(at.Field("kind"), d.Kind, LongestName),
		checkName(at.Field("place"), d.Place, LongestName),
		CheckMost(at.Field("interfaces"), len(d.Interfaces), MostInterfaces),
		CheckMost(at.Field("services"), len(d.Services), MostServices),
		each(at.Field("interfaces"), d.Interfaces, c.iface),
	)
	if err != nil {
		return err
	}
	return each(at.Field("services"), d.Services, func(at *strict.Path, s Service) error {
		if !slices.ContainsFunc(d.Interfaces, func(i Interface) bool { return i.ID == s.Interface }) {
			return at.Field("interface").Refuse(s.Interface, "the id of an interface of the same device")
		}
		return c.service(at, s)
	})
}

func (c checker) iface(at *strict.Path, i Interface) error {
	err := firstOf(
		c.id(at, "interface", i.ID),
		checkName(at.Field("name"), i.Name, LongestName),
		c.refer(at.Field("network"), "network", i.Network),
		i.Wants.checkGiven(at.Field("wants")),
		CheckMost(at.Field("evidence"), len(i.Evidence), MostEvidence),
		checkName(at.Field("first"), i.First, LongestTime),
		each(at.Field("evidence"), i.Evidence, checkEvidence),
	)
	if err != nil || i.Pin == nil {
		return err
	}
	at = at.Field("pin")
	return firstOf(checkGiven(at.Field("address"), i.Pin.Address), i.Pin.By.check(at.Field("by")))
}

func (c checker) service(at *strict.Path, s Service) error {
	err := firstOf(
		c.id(at, "service", s.ID),
		checkName(at.Field("name"), s.Name, LongestName),
		checkProtocol(at.Field("protocol"), s.Protocol),
		checkPorts(at.Field("ports"), s.Ports),
		CheckMost(at.Field("canSetTo"), len(s.CanSetTo), MostCanSetTo),
		each(at.Field("canSetTo"), s.CanSetTo, func(at *strict.Path, p span.Ports) error {
			return firstOf(checkPorts(at, p), sameSize(at, p, s.Ports))
		}),
	)
	if err == nil && !s.Claims.IsZero() {
		err = sameSize(at.Field("claims"), s.Claims, s.Ports)
	}
	if err != nil || s.Open == nil {
		return err
	}
	at = at.Field("open")
	if err := CheckMost(at.Field("from"), len(s.Open.From), MostSenders); err != nil {
		return err
	}
	if s.Open.Router != "" {
		if err := c.refer(at.Field("router"), "router", s.Open.Router); err != nil {
			return err
		}
	}
	if !s.Open.Prefer.IsZero() {
		if err := sameSize(at.Field("prefer"), s.Open.Prefer, s.Ports); err != nil {
			return err
		}
	}
	if s.Open.Port == AnyPort || s.Open.Port == SamePort {
		return nil
	}
	exact, ok := s.Open.Exact()
	if !ok {
		return at.Field("port").Refuse(s.Open.Port, `"any", "same" or outside ports such as "8020"`)
	}
	return sameSize(at.Field("port"), exact, s.Ports)
}

func checkProtocol(at *strict.Path, p Protocol) error { return at.OneOf(string(p), "tcp,udp,both") }

func sameSize(at *strict.Path, p, other span.Ports) error {
	if p.Len() != other.Len() {
		return at.Refuse(p.String(), fmt.Sprintf("as many ports as %s has, %d", other, other.Len()))
	}
	return nil
}

func (c checker) forward(at *strict.Path, f Forward) error {
	err := firstOf(
		c.id(at, "forward", f.ID),
		checkName(at.Field("name"), f.Name, LongestName),
		c.refer(at.Field("router"), "router", f.Router),
		checkProtocol(at.Field("protocol"), f.Protocol),
		checkPorts(at.Field("outside"), f.Outside),
		CheckMost(at.Field("from"), len(f.From), MostSenders),
	)
	if err != nil {
		return err
	}
	if !f.Inside.IsZero() {
		if err := sameSize(at.Field("inside"), f.Inside, f.Outside); err != nil {
			return err
		}
	}
	if f.Service != "" {
		if err := c.refer(at.Field("service"), "service", f.Service); err != nil {
			return err
		}
	}
	return c.target(at.Field("to"), f.To)
}

func (c checker) done(at *strict.Path, d Done) error {
	if d.Step == "" || len(d.Step) > LongestStep || c.ids["done"+d.Step] {
		return at.Field("step").Refuse(d.Step, "the id of a step, each once")
	}
	c.ids["done"+d.Step] = true
	return firstOf(checkName(at.Field("at"), d.At, LongestTime), checkName(at.Field("values"), d.Values, 4000))
}

func checkEvidence(at *strict.Path, e Evidence) error {
	return firstOf(
		checkName(at.Field("source"), e.Source, LongestNote), checkName(at.Field("host"), e.Host, 1000), checkName(at.Field("state"), e.State, LongestNote),
		checkName(at.Field("at"), e.At, LongestTime), checkName(at.Field("until"), e.Until, LongestTime),
		CheckMost(at.Field("traits"), len(e.Traits), MostTraits),
		each(at.Field("traits"), e.Traits, func(at *strict.Path, t Trait) error {
			return firstOf(checkName(at.Field("name"), t.Name, 40), checkName(at.Field("value"), t.Value, LongestNote))
		}),
	)
}

func (c checker) visit(at *strict.Path, v Visit) error {
	return firstOf(
		c.id(at, "visit", v.ID),
		checkName(at.Field("from"), v.From, LongestTime), checkName(at.Field("until"), v.Until, LongestTime), checkName(at.Field("note"), v.Note, LongestNote),
		CheckMost(at.Field("seen"), len(v.Seen), MostSeen),
		each(at.Field("seen"), v.Seen, func(at *strict.Path, n SeenThen) error {
			return firstOf(checkName(at.Field("interface"), n.Interface, LongestID), checkName(at.Field("host"), n.Host, 1000))
		}),
	)
}

func (c checker) maker(at *strict.Path, m Maker) error {
	digits := m.Digits()
	if digits == "" || len(digits) > 12 || strings.Trim(digits, "0123456789abcdef") != "" {
		return at.Field("prefix").Refuse(m.Prefix, "the first digits of a MAC address, such as 00:00:5e or 00:00:5e:00:53:2")
	}
	if c.ids["maker"+digits] {
		return at.Field("prefix").Refuse(m.Prefix, "each prefix once")
	}
	c.ids["maker"+digits] = true
	if m.Name == "" {
		return at.Field("name").Refuse("", "the maker's name")
	}
	return checkName(at.Field("name"), m.Name, LongestName)
}
