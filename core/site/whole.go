package site

// In a site that was read, made by New or came of edits, no list is nil, and no
// word is empty that stands for another: an absent list is an empty one, in JSON
// too. So two sites that say the same are equal, and whoever reads the JSON finds
// every list.

// Present makes an absent list an empty one.
func Present[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// Usual puts in the word that an absent one stands for.
func Usual[T ~string](field *T, word T) {
	if *field == "" {
		*field = word
	}
}

// EachWhole makes a copy of a list of which every item is whole.
func EachWhole[T any](list []T, whole func(T) T) []T {
	out := make([]T, len(list))
	for i, v := range list {
		out[i] = whole(v)
	}
	return out
}

// Whole gives the site with every list Present.
func (s Site) Whole() Site {
	s.Networks = EachWhole(s.Networks, Network.Whole)
	s.Routers = EachWhole(s.Routers, Router.Whole)
	s.Devices = EachWhole(s.Devices, Device.Whole)
	s.Forwards = EachWhole(s.Forwards, Forward.Whole)
	s.Visits = EachWhole(s.Visits, Visit.Whole)
	s.Proofs = EachWhole(s.Proofs, Proof.Whole)
	s.Done, s.Makers = Present(s.Done), Present(s.Makers)
	s.Kinds, s.Links = EachWhole(s.Kinds, Kind.Whole), Present(s.Links)
	return s
}

// Whole gives it with every list and word Present.
func (n Network) Whole() Network {
	n.DNS, n.Ranges, n.KeepFree = Present(n.DNS), Present(n.Ranges), Present(n.KeepFree)
	n.Servers, n.Crowds = Present(n.Servers), Present(n.Crowds)
	n.Bands = EachWhole(n.Bands, func(b Band) Band { b.Kinds = Present(b.Kinds); return b })
	return n
}

// Whole gives it with every list and word Present.
func (f HeldForward) Whole() HeldForward {
	f.From = Present(f.From)
	return f
}

// Whole gives it with every list and word Present.
func (r Router) Whole() Router {
	Usual(&r.UPnP, "unknown")
	Usual(&r.LoopsBack, "unknown")
	Usual(&r.WAN.Kind, "unknown")
	r.OwnPorts, r.Form = Present(r.OwnPorts), r.Form.Whole()
	if r.Networks = Present(r.Networks); len(r.Networks) == 1 && r.Networks[0] == r.Network {
		r.Networks = []string{}
	}
	if r.Held != nil {
		held := *r.Held
		held.Forwards = EachWhole(held.Forwards, HeldForward.Whole)
		r.Held = &held
	}
	if r.Mapped != nil {
		mapped := *r.Mapped
		mapped.By, mapped.Forwards = Present(mapped.By), EachWhole(mapped.Forwards, HeldForward.Whole)
		r.Mapped = &mapped
	}
	return r
}

// Whole gives the form with every word that an absent one stands for.
func (f Form) Whole() Form {
	Usual(&f.PortsPerLine, "range")
	Usual(&f.Renumber, "range")
	Usual(&f.LimitsSender, "no")
	Usual(&f.Reserves, "anywhere")
	f.Protocols = Present(f.Protocols)
	f.Fields = EachWhole(f.Fields, FormField.Whole)
	f.ReservationFields = EachWhole(f.ReservationFields, FormField.Whole)
	return f
}

// Whole gives it with every list and word Present.
func (f FormField) Whole() FormField {
	Usual(&f.Part, "rule")
	Usual(&f.Alphabet, "any")
	return f
}

// Whole gives it with every list and word Present.
func (d Device) Whole() Device {
	d.Interfaces = EachWhole(d.Interfaces, Interface.Whole)
	d.Services = EachWhole(d.Services, Service.Whole)
	return d
}

// Whole gives it with every list and word Present.
func (i Interface) Whole() Interface {
	Usual(&i.Wants, "auto")
	i.Evidence = EachWhole(i.Evidence, func(e Evidence) Evidence { e.Traits = Present(e.Traits); return e })
	return i
}

// Whole gives it with every list and word Present.
func (s Service) Whole() Service {
	s.CanSetTo, s.Open = Present(s.CanSetTo), s.Open.Whole()
	return s
}

// Whole gives it with every list and word Present.
func (o *Open) Whole() *Open {
	if o == nil {
		return nil
	}
	out := *o
	Usual(&out.Port, AnyPort)
	out.From = Present(out.From)
	return &out
}

// Whole gives it with every list and word Present.
func (f Forward) Whole() Forward {
	f.From = Present(f.From)
	return f
}

// Whole gives it with every list and word Present.
func (v Visit) Whole() Visit {
	v.Seen = Present(v.Seen)
	return v
}
