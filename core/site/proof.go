package site

import (
	"net/netip"
	"slices"
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

func (p Proof) whole() Proof {
	p.Notes, p.Interfaces, p.Services = present(p.Notes), present(p.Interfaces), present(p.Services)
	p.Router.Told, p.Router.Hops, p.Router.Keys, p.Router.Speaks = present(p.Router.Told), present(p.Router.Hops), present(p.Router.Keys), present(p.Router.Speaks)
	p.Router.Gateways = present(p.Router.Gateways)
	p.Router.Mappings = eachWhole(p.Router.Mappings, HeldForward.whole)
	p.Name.Points, p.Name.Own = present(p.Name.Points), present(p.Name.Own)
	return p
}

func (c checker) proof(at *trail, p Proof) error {
	text := func(most int) func(*trail, string) error {
		return func(at *trail, s string) error { return checkName(at, s, most) }
	}
	heard := func(at *trail, h Heard) error {
		return firstOf(checkName(at.field("says"), h.Says, longestNote), checkName(at.field("key"), h.Key, longestNote), checkName(at.field("when"), h.When, longestTime))
	}
	r, n := at.field("router"), at.field("name")
	return firstOf(
		c.id(at, "proof", p.ID),
		checkName(at.field("at"), p.At, longestTime), checkName(at.field("visit"), p.Visit, longestID),
		checkMost(at.field("notes"), len(p.Notes), mostNotes), each(at.field("notes"), p.Notes, text(longestNote)),
		checkMost(r.field("told"), len(p.Router.Told), mostNotes), checkMost(r.field("hops"), len(p.Router.Hops), mostNotes),
		checkMost(r.field("speaks"), len(p.Router.Speaks), 3), each(r.field("speaks"), p.Router.Speaks, text(20)), checkMost(r.field("keys"), len(p.Router.Keys), mostNotes), each(r.field("keys"), p.Router.Keys, text(longestNote)),
		checkHeldForwards(r.field("mappings"), p.Router.Mappings), checkMost(r.field("gateways"), len(p.Router.Gateways), mostNotes),
		each(r.field("gateways"), p.Router.Gateways, func(at *trail, g ProofGateway) error {
			return checkName(at.field("network"), g.Network, longestID)
		}),
		checkName(n.field("name"), p.Name.Name, longestName), checkName(n.field("why"), p.Name.Why, longestNote), checkName(n.field("since"), p.Name.Since, longestTime),
		checkMost(n.field("points"), len(p.Name.Points), mostNotes), checkMost(n.field("own"), len(p.Name.Own), mostNotes),
		checkMost(at.field("interfaces"), len(p.Interfaces), mostSeen),
		each(at.field("interfaces"), p.Interfaces, func(at *trail, t ProofThere) error {
			return firstOf(checkName(at.field("interface"), t.Interface, longestID), checkName(at.field("why"), t.Why, longestNote))
		}),
		checkMost(at.field("services"), len(p.Services), mostProved),
		each(at.field("services"), p.Services, func(at *trail, h ProofHeard) error {
			return firstOf(checkName(at.field("service"), h.Service, longestID), heard(at.field("inside"), h.Inside), heard(at.field("outside"), h.Outside))
		}),
	)
}

// PutProof adds a proof or replaces the one with its id.
type PutProof struct {
	Proof Proof `json:"proof"`
	At    *int  `json:"at,omitempty"`
}

// Verb is "put-proof".
func (PutProof) Verb() Verb { return "put-proof" }

// Touches the proof.
func (e PutProof) Touches() []Touch { return []Touch{{Thing: e.Proof.Ref()}} }

func (e PutProof) apply(d *draft, _ *trail) ([]Edit, error) {
	own(d, "proofs", &d.Proofs)
	if old, was := put(&d.Proofs, e.Proof.whole(), proofID, e.At); old != nil {
		return []Edit{PutProof{*old, &was}}, nil
	}
	return []Edit{RemoveProof{e.Proof.ID}}, nil
}

// RemoveProof removes a proof.
type RemoveProof struct {
	ID string `json:"id"`
}

// Verb is "remove-proof".
func (RemoveProof) Verb() Verb { return "remove-proof" }

// Touches the proof.
func (e RemoveProof) Touches() []Touch { return []Touch{{Thing: Proof{ID: e.ID}.Ref()}} }

func (e RemoveProof) apply(d *draft, at *trail) ([]Edit, error) {
	own(d, "proofs", &d.Proofs)
	old, was, err := take(&d.Proofs, at, "proof", e.ID, proofID)
	return []Edit{PutProof{old, &was}}, err
}

func proofID(p *Proof) string { return p.ID }

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
