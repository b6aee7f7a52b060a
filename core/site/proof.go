package site

import (
	"net/netip"
	"slices"

	"vestpin/core/strict"
)

// Proof is what was observed when the plan was tried, on one visit or between two: who
// answers where, and what was heard there. It holds what was seen and no judgement, so
// that the causes of a failure can be worked out again when the plan or what the router
// holds is known better. Its services and interfaces may have been removed since.
type Proof struct {
	ID         string       `json:"id"`
	At         string       `json:"at" doc:"When something was tried last, RFC 3339"`
	Visit      string       `json:"visit,omitempty"`
	From       TriedFrom    `json:"from" doc:"From where it was tried"`
	Notes      []string     `json:"notes"`
	Router     ProofRouter  `json:"router,omitzero"`
	Name       ProofName    `json:"name,omitzero"`
	Interfaces []ProofThere `json:"interfaces"`
	Services   []ProofHeard `json:"services"`
}

// ProofRouter is what was seen of the router that faces the provider. Control is what came
// back from an outside port at which nothing is planned. Hops are the first routers on the
// way out. Gateways are who answered as the gateway of each network.
type ProofRouter struct {
	Answers  bool           `json:"answers"`
	Told     []ToldOutside  `json:"told" doc:"Its outside address, by all that told one"`
	Hops     []netip.Addr   `json:"hops"`
	Speaks   []string       `json:"speaks" doc:"How it was asked: upnp, nat-pmp, pcp"`
	Mappings []HeldForward  `json:"mappings"`
	Keys     []string       `json:"keys" doc:"What its own pages say of themselves"`
	Control  Answer         `json:"control,omitempty"`
	Gateways []ProofGateway `json:"gateways"`
}

// ProofGateway is who answered as the gateway of a network. By it the network is told from
// another that has the same addresses.
type ProofGateway struct {
	Network string `json:"network"`
	MAC     MAC    `json:"mac"`
}

// Gateway is who answered last as the gateway of a network; empty where nobody is known.
func (r ProofRouter) Gateway(network string) MAC {
	for _, g := range r.Gateways {
		if g.Network == network {
			return g.MAC
		}
	}
	return ""
}

// The ways by which an outside address is told.
const (
	ToldByRouter = "router"
	ToldBySTUN   = "stun" // RFC 8489
	ToldByAfar   = "afar" // the helper at the far end
)

// ToldOutside is an outside address, and who told it.
type ToldOutside struct {
	Address netip.Addr `json:"address"`
	By      AddressBy  `json:"by"`
}

// ProofName is what the site's dynamic DNS name stands for: by the site's resolver, and by
// the name's own servers. TTL is how long the first may lag, in seconds.
type ProofName struct {
	Name   string       `json:"name,omitempty"`
	Points []netip.Addr `json:"points"`
	Own    []netip.Addr `json:"own"`
	TTL    int          `json:"ttl,omitempty"`
	Why    string       `json:"why,omitempty" doc:"Why it is not known"`
	Absent bool         `json:"absent,omitempty" doc:"It was answered that there is no such name, or no address of it"`
	Since  string       `json:"since,omitempty" doc:"Since when it has stood for these addresses, as far as was looked, RFC 3339"`
}

// after is the name as it was looked up later, at a time: as long as it stands for the same
// addresses it has done so since it was first seen to.
func (n ProofName) after(before ProofName, at string) ProofName {
	if n.Since = at; n.Name == before.Name && slices.Equal(n.Points, before.Points) && before.Since != "" {
		n.Since = before.Since
	}
	return n
}

// After gives a proof of a new stay after another: what stood for the same then still has
// since then.
func (p Proof) After(last Proof) Proof {
	if p.Name.Name != "" {
		p.Name = p.Name.after(last.Name, p.At)
	}
	return p
}

// ProofThere is who answers at the planned address of an interface. Found is where its own
// MAC address answers instead.
type ProofThere struct {
	Interface string     `json:"interface"`
	Planned   netip.Addr `json:"planned,omitzero"`
	Answers   Answered   `json:"answers"`
	MAC       MAC        `json:"mac,omitempty"`
	Found     netip.Addr `json:"found,omitzero"`
	Why       string     `json:"why,omitempty"`
}

// ProofHeard is what a service was heard to say from inside and from outside. Stray is an
// outside port nearby at which it answered although another is planned. AsksFor is an address
// that nobody has, for which its device asked when it was tried from outside: the gateway that
// the device is set to.
type ProofHeard struct {
	Service string     `json:"service"`
	Inside  Heard      `json:"inside"`
	Outside Heard      `json:"outside"`
	Stray   int        `json:"stray,omitempty"`
	AsksFor netip.Addr `json:"asksFor,omitzero"`
	StoodIn StoodIn    `json:"stoodIn,omitempty" doc:"Whether this computer was reached from outside when it stood in for the device"`
}

// What came of it when this computer stood in for a device.
const (
	StoodReached = "reached"
	StoodLost    = "lost"
)

// The results of trying a port.
const (
	HeardAnswers = "answers"
	HeardRefused = "refused"
	HeardSilent  = "silent"
	Untried      = "untried"
)

// From where a port was tried.
const (
	TriedHere   = "here"   // from this computer
	TriedAfar   = "afar"   // by the helper at the far end
	TriedLooped = "looped" // from inside, against the outside address
	TriedPerson = "person" // by somebody who said what they saw
)

// Heard is what came back from a port. Key is what tells who answered from others: its host
// key, certificate, or what its page says of itself.
type Heard struct {
	Result TryResult      `json:"result" default:"untried"`
	Says   string         `json:"says,omitempty" doc:"What was heard, or why it was not tried"`
	MS     int            `json:"ms,omitempty"`
	By     TriedBy        `json:"by,omitempty"`
	At     netip.AddrPort `json:"at,omitzero" doc:"The address and port that were tried"`
	Key    string         `json:"key,omitempty"`
	When   string         `json:"when,omitempty" doc:"RFC 3339"`
}

// Tried reports whether anything was tried.
func (h Heard) Tried() bool { return h.Result != "" && h.Result != Untried }

// Ref names the proof.
func (p Proof) Ref() Ref { return Ref("proof:" + p.ID) }

// Whole gives it with every list and word Present.
func (p Proof) Whole() Proof {
	p.Notes, p.Interfaces, p.Services = Present(p.Notes), Present(p.Interfaces), Present(p.Services)
	p.Router.Told, p.Router.Hops, p.Router.Keys, p.Router.Speaks = Present(p.Router.Told), Present(p.Router.Hops), Present(p.Router.Keys), Present(p.Router.Speaks)
	p.Router.Gateways = Present(p.Router.Gateways)
	p.Router.Mappings = EachWhole(p.Router.Mappings, HeldForward.Whole)
	p.Name.Points, p.Name.Own = Present(p.Name.Points), Present(p.Name.Own)
	return p
}

func (c checker) proof(at *strict.Path, p Proof) error {
	text := func(most int) func(*strict.Path, string) error {
		return func(at *strict.Path, s string) error { return checkName(at, s, most) }
	}
	heard := func(at *strict.Path, h Heard) error {
		return firstOf(checkName(at.Field("says"), h.Says, LongestNote), checkName(at.Field("key"), h.Key, LongestNote), checkName(at.Field("when"), h.When, LongestTime))
	}
	r, n := at.Field("router"), at.Field("name")
	return firstOf(
		c.id(at, "proof", p.ID),
		checkName(at.Field("at"), p.At, LongestTime), checkName(at.Field("visit"), p.Visit, LongestID),
		CheckMost(at.Field("notes"), len(p.Notes), MostNotes), each(at.Field("notes"), p.Notes, text(LongestNote)),
		CheckMost(r.Field("told"), len(p.Router.Told), MostNotes), CheckMost(r.Field("hops"), len(p.Router.Hops), MostNotes),
		CheckMost(r.Field("speaks"), len(p.Router.Speaks), 3), each(r.Field("speaks"), p.Router.Speaks, text(20)), CheckMost(r.Field("keys"), len(p.Router.Keys), MostNotes), each(r.Field("keys"), p.Router.Keys, text(LongestNote)),
		checkHeldForwards(r.Field("mappings"), p.Router.Mappings), CheckMost(r.Field("gateways"), len(p.Router.Gateways), MostNotes),
		each(r.Field("gateways"), p.Router.Gateways, func(at *strict.Path, g ProofGateway) error {
			return checkName(at.Field("network"), g.Network, LongestID)
		}),
		checkName(n.Field("name"), p.Name.Name, LongestName), checkName(n.Field("why"), p.Name.Why, LongestNote), checkName(n.Field("since"), p.Name.Since, LongestTime),
		CheckMost(n.Field("points"), len(p.Name.Points), MostNotes), CheckMost(n.Field("own"), len(p.Name.Own), MostNotes),
		CheckMost(at.Field("interfaces"), len(p.Interfaces), MostSeen),
		each(at.Field("interfaces"), p.Interfaces, func(at *strict.Path, t ProofThere) error {
			return firstOf(checkName(at.Field("interface"), t.Interface, LongestID), checkName(at.Field("why"), t.Why, LongestNote))
		}),
		CheckMost(at.Field("services"), len(p.Services), MostProved),
		each(at.Field("services"), p.Services, func(at *strict.Path, h ProofHeard) error {
			return firstOf(checkName(at.Field("service"), h.Service, LongestID), heard(at.Field("inside"), h.Inside), heard(at.Field("outside"), h.Outside))
		}),
	)
}

// Proof gives what was observed last.
func (s Site) Proof() (Proof, bool) {
	if len(s.Proofs) == 0 {
		return Proof{}, false
	}
	return s.Proofs[len(s.Proofs)-1], true
}

// With gives a proof with what was tried later in the place of what it replaces. What was
// not tried again stands.
func (p Proof) With(later Proof) Proof {
	out := p
	out.At, out.Notes = later.At, later.Notes
	if p.From != later.From && len(later.Services) > 0 {
		out.From = "both"
	}
	out.Interfaces = slices.Clone(p.Interfaces)
	for _, t := range later.Interfaces {
		i := slices.IndexFunc(out.Interfaces, func(o ProofThere) bool { return o.Interface == t.Interface })
		switch {
		case i < 0:
			out.Interfaces = append(out.Interfaces, t)
		case t.Answers != Untried:
			out.Interfaces[i] = t
		}
	}
	out.Router = p.Router.with(later.Router)
	if len(later.Interfaces) > 0 {
		out.Router.Answers = later.Router.Answers
	}
	if len(later.Services) == 0 && len(later.Router.Told) > 0 {
		out.Router.Told = nil // a new address makes all that was told before old
	}
	for _, t := range later.Router.Told {
		out.Router.Told = append(slices.DeleteFunc(slices.Clone(out.Router.Told), func(o ToldOutside) bool { return o.By == t.By }), t)
	}
	if len(later.Name.Points)+len(later.Name.Own) > 0 || later.Name.Why != "" {
		out.Name = later.Name.after(p.Name, later.At)
	}
	out.Services = slices.Clone(p.Services)
	for _, h := range later.Services {
		i := slices.IndexFunc(out.Services, func(o ProofHeard) bool { return o.Service == h.Service })
		if i < 0 {
			out.Services = append(out.Services, h)
			continue
		}
		if h.Inside.Tried() || !out.Services[i].Inside.Tried() {
			out.Services[i].Inside = h.Inside
		}
		if h.StoodIn != "" {
			out.Services[i].StoodIn = h.StoodIn
		}
		if h.Outside.Tried() || !out.Services[i].Outside.Tried() {
			out.Services[i].Outside, out.Services[i].Stray, out.Services[i].AsksFor = h.Outside, h.Stray, h.AsksFor
		}
	}
	return out
}

// with is what was seen of a router, with what was seen later in its place; what it did not
// tell then stands.
func (r ProofRouter) with(later ProofRouter) ProofRouter {
	if len(later.Hops) > 0 {
		r.Hops = later.Hops
	}
	if len(later.Keys) > 0 {
		r.Keys = later.Keys
	}
	if len(later.Speaks) > 0 {
		r.Speaks, r.Mappings = later.Speaks, later.Mappings
	}
	if later.Control != "" {
		r.Control = later.Control
	}
	for _, g := range later.Gateways {
		r.Gateways = append(slices.DeleteFunc(slices.Clone(r.Gateways), func(o ProofGateway) bool { return o.Network == g.Network }), g)
	}
	return r
}

// Outside is the address that a proof saw the site at from elsewhere, or that its router
// told. The helper and STUN see it as others do.
func (r ProofRouter) Outside() (ToldOutside, bool) {
	for _, by := range []AddressBy{ToldByAfar, ToldBySTUN, ToldByRouter} {
		if i := slices.IndexFunc(r.Told, func(t ToldOutside) bool { return t.By == by }); i >= 0 {
			return r.Told[i], true
		}
	}
	return ToldOutside{}, false
}
