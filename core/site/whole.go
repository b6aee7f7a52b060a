package site

// In a site that was read, made by New or came of edits, no list is nil, and no
// word is empty that stands for another: an absent list is an empty one, in JSON
// too. So two sites that say the same are equal, and whoever reads the JSON finds
// every list.

// present makes an absent list an empty one.
func present[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// usual puts in the word that an absent one stands for.
func usual[T ~string](field *T, word T) {
	if *field == "" {
		*field = word
	}
}

// eachWhole makes a copy of a list of which every item is whole.
func eachWhole[T any](list []T, whole func(T) T) []T {
	out := make([]T, len(list))
	for i, v := range list {
		out[i] = whole(v)
	}
	return out
}

// Whole gives the site with every list present.
func (s Site) Whole() Site {
	s.Networks = eachWhole(s.Networks, Network.whole)
	s.Routers = eachWhole(s.Routers, Router.whole)
	s.Devices = eachWhole(s.Devices, Device.whole)
	s.Forwards = eachWhole(s.Forwards, Forward.whole)
	s.Visits = eachWhole(s.Visits, Visit.whole)
	s.Proofs = eachWhole(s.Proofs, Proof.whole)
	s.Done, s.Makers = present(s.Done), present(s.Makers)
	s.Kinds, s.Links = eachWhole(s.Kinds, Kind.Whole), present(s.Links)
	return s
}

func (n Network) whole() Network {
	n.DNS, n.Ranges, n.KeepFree = present(n.DNS), present(n.Ranges), present(n.KeepFree)
	n.Servers, n.Crowds = present(n.Servers), present(n.Crowds)
	n.Bands = eachWhole(n.Bands, func(b Band) Band { b.Kinds = present(b.Kinds); return b })
	return n
}

func (f HeldForward) whole() HeldForward {
	f.From = present(f.From)
	return f
}

func (r Router) whole() Router {
	usual(&r.UPnP, "unknown")
	usual(&r.LoopsBack, "unknown")
	usual(&r.WAN.Kind, "unknown")
	r.OwnPorts, r.Form = present(r.OwnPorts), r.Form.Whole()
	if r.Networks = present(r.Networks); len(r.Networks) == 1 && r.Networks[0] == r.Network {
		r.Networks = []string{}
	}
	if r.Held != nil {
		held := *r.Held
		held.Forwards = eachWhole(held.Forwards, HeldForward.whole)
		r.Held = &held
	}
	if r.Mapped != nil {
		mapped := *r.Mapped
		mapped.By, mapped.Forwards = present(mapped.By), eachWhole(mapped.Forwards, HeldForward.whole)
		r.Mapped = &mapped
	}
	return r
}

// Whole gives the form with every word that an absent one stands for.
func (f Form) Whole() Form {
	usual(&f.PortsPerLine, "range")
	usual(&f.Renumber, "range")
	usual(&f.LimitsSender, "no")
	usual(&f.Reserves, "anywhere")
	f.Protocols = present(f.Protocols)
	f.Fields = eachWhole(f.Fields, FormField.whole)
	f.ReservationFields = eachWhole(f.ReservationFields, FormField.whole)
	return f
}

func (f FormField) whole() FormField {
	usual(&f.Part, "rule")
	usual(&f.Alphabet, "any")
	return f
}

func (d Device) whole() Device {
	d.Interfaces = eachWhole(d.Interfaces, Interface.whole)
	d.Services = eachWhole(d.Services, Service.whole)
	return d
}

func (i Interface) whole() Interface {
	usual(&i.Wants, "auto")
	i.Evidence = eachWhole(i.Evidence, func(e Evidence) Evidence { e.Traits = present(e.Traits); return e })
	return i
}

func (s Service) whole() Service {
	s.CanSetTo, s.Open = present(s.CanSetTo), s.Open.whole()
	return s
}

func (o *Open) whole() *Open {
	if o == nil {
		return nil
	}
	out := *o
	usual(&out.Port, AnyPort)
	out.From = present(out.From)
	return &out
}

func (f Forward) whole() Forward {
	f.From = present(f.From)
	return f
}

func (v Visit) whole() Visit {
	v.Seen = present(v.Seen)
	return v
}
