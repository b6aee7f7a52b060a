package frame

import (
	"net/netip"
	"slices"
	"strings"

	"golang.org/x/net/dns/dnsmessage"

	"vestpin/core/sighting"
	"vestpin/core/site"
)

const (
	portMDNS  = 5353
	portLLMNR = 5355
)

// DNS is what matters here of a DNS message (RFC 1035), as multicast DNS (RFC
// 6762), DNS-SD (RFC 6763), LLMNR (RFC 4795) and reverse lookups use it. Names
// have no dot at the end.
type DNS struct {
	ID       uint16
	Response bool
	Asked    []string                // names asked for
	Hosts    map[string][]netip.Addr // addresses of names
	Names    map[string][]string     // PTR: what a name points at
	Services []Service
}

// Service is one SRV record with the texts that go with it: an instance of a
// DNS-SD service at a port of a host.
type Service struct {
	Instance, Type, Host string
	Port                 uint16
	Text                 []string
}

// mostRecords is how many records of a message are looked at.
const mostRecords = 500

// ParseDNS reads a message; what is readable of a broken one counts.
func ParseDNS(b []byte) (DNS, bool) {
	var p dnsmessage.Parser
	h, err := p.Start(b)
	if err != nil {
		return DNS{}, false
	}
	d := DNS{ID: h.ID, Response: h.Response, Hosts: map[string][]netip.Addr{}, Names: map[string][]string{}}
	for range mostRecords {
		q, err := p.Question()
		if err != nil {
			break
		}
		d.Asked = append(d.Asked, dotless(q.Name))
	}
	if p.SkipAllQuestions() != nil {
		return d, true
	}
	texts := map[string][]string{}
	d.section(p.AnswerHeader, &p, texts)
	if p.SkipAllAnswers() == nil {
		d.section(p.AuthorityHeader, &p, texts)
	}
	if p.SkipAllAuthorities() == nil {
		d.section(p.AdditionalHeader, &p, texts)
	}
	for i, s := range d.Services {
		d.Services[i].Text = texts[s.Instance+"."+s.Type]
	}
	return d, true
}

func (d *DNS) section(next func() (dnsmessage.ResourceHeader, error), p *dnsmessage.Parser, texts map[string][]string) {
	for range mostRecords {
		h, err := next()
		if err != nil {
			return
		}
		name := dotless(h.Name)
		switch h.Type {
		case dnsmessage.TypeA:
			r, err := p.AResource()
			if err != nil {
				return
			}
			d.Hosts[name] = append(d.Hosts[name], netip.AddrFrom4(r.A))
		case dnsmessage.TypePTR:
			r, err := p.PTRResource()
			if err != nil {
				return
			}
			d.Names[name] = append(d.Names[name], dotless(r.PTR))
		case dnsmessage.TypeSRV:
			r, err := p.SRVResource()
			if err != nil {
				return
			}
			if instance, kind, ok := splitInstance(name); ok {
				d.Services = append(d.Services, Service{Instance: instance, Type: kind, Host: dotless(r.Target), Port: r.Port})
			}
		case dnsmessage.TypeTXT:
			r, err := p.TXTResource()
			if err != nil {
				return
			}
			texts[strings.TrimSuffix(name, ".local")] = r.TXT
		default:
			if p.SkipAnswer() != nil && p.SkipAuthority() != nil && p.SkipAdditional() != nil {
				return
			}
		}
	}
}

func dotless(n dnsmessage.Name) string { return strings.TrimSuffix(n.String(), ".") }

// splitInstance takes "Shop printer._ipp._tcp.local" apart.
func splitInstance(name string) (instance, kind string, ok bool) {
	name = strings.TrimSuffix(name, ".local")
	for _, proto := range []string{"._tcp", "._udp"} {
		if rest, has := strings.CutSuffix(name, proto); has {
			if i := strings.LastIndex(rest, "._"); i >= 0 {
				return rest[:i], rest[i+1:] + proto, true
			}
		}
	}
	return "", "", false
}

// serviceType finds the service of a name such as "_ipp._tcp.local".
func serviceType(name string) (string, bool) {
	name = strings.TrimSuffix(name, ".local")
	ok := strings.HasPrefix(name, "_") && (strings.HasSuffix(name, "._tcp") || strings.HasSuffix(name, "._udp")) && strings.Count(name, ".") == 1
	return name, ok
}

// Traits are what the answers tell of a device: its services, and of their texts
// the maker and model, which printers, speakers and many others give.
func (d DNS) Traits() []site.Trait {
	var out []site.Trait
	types := make([]string, 0, len(d.Names))
	for name := range d.Names {
		types = append(types, name)
	}
	slices.Sort(types)
	for _, name := range types {
		if t, ok := serviceType(name); ok && t != "_services._dns-sd._udp" && t != "_services._dns-sd" {
			out = AddTrait(out, site.TraitService, t)
		}
		if strings.HasPrefix(name, "_services._dns-sd.") {
			for _, target := range d.Names[name] {
				if t, ok := serviceType(target); ok {
					out = AddTrait(out, site.TraitService, t)
				}
			}
		}
	}
	for _, s := range d.Services {
		out = AddTrait(out, site.TraitService, s.Type)
		for _, t := range s.Text {
			key, value, _ := strings.Cut(t, "=")
			switch strings.ToLower(key) {
			case "ty", "md", "model", "usb_mdl", "am":
				out = AddTrait(out, site.TraitModel, value)
			case "mfg", "usb_mfg", "manufacturer", "vendor":
				out = AddTrait(out, site.TraitMaker, value)
			}
		}
	}
	return out
}

// HostOf gives the name that the answers give an address, without ".local".
func (d DNS) HostOf(a netip.Addr) string {
	var names []string
	for name, list := range d.Hosts {
		if slices.Contains(list, a) {
			names = append(names, strings.TrimSuffix(name, ".local"))
		}
	}
	reverse := ReverseName(a)
	for name, list := range d.Names {
		if strings.EqualFold(name, reverse) {
			for _, n := range list {
				names = append(names, strings.TrimSuffix(n, ".local"))
			}
		}
	}
	if len(names) == 0 {
		return ""
	}
	slices.Sort(names)
	return Plain(names[0])
}

// sight: the sender is the device, by its name and its services. What it says of
// other addresses is of others only where the sender is a proxy, and is left.
func (d DNS) sight(own sighting.Sighting, state string) []sighting.Sighting {
	own.State, own.Host, own.Traits = state, d.HostOf(own.Address), d.Traits()
	for _, s := range d.Services {
		if own.Host == "" {
			own.Host = Plain(strings.TrimSuffix(s.Host, ".local"))
		}
	}
	if own.Host == "" && len(own.Traits) == 0 {
		return nil
	}
	return []sighting.Sighting{own}
}

// ReverseName gives the name under which the name of an address is kept (RFC
// 1035 section 3.5).
func ReverseName(a netip.Addr) string {
	if !a.Is4() {
		return ""
	}
	b := a.As4()
	return netip.AddrFrom4([4]byte{b[3], b[2], b[1], b[0]}).String() + ".in-addr.arpa"
}

// Question is what a DNS message asks.
type Question struct {
	Name string
	Type dnsmessage.Type
	// Unicast asks for an answer to the sender alone (RFC 6762 section 5.4).
	Unicast bool
}

// AskDNS builds a message that asks; the ID is 0 for multicast DNS.
func AskDNS(id uint16, recursion bool, questions ...Question) []byte {
	b := dnsmessage.NewBuilder(nil, dnsmessage.Header{ID: id, RecursionDesired: recursion})
	if b.StartQuestions() != nil {
		return nil
	}
	for _, q := range questions {
		name, err := dnsmessage.NewName(q.Name + ".")
		if err != nil {
			continue
		}
		class := dnsmessage.ClassINET
		if q.Unicast {
			class |= 1 << 15
		}
		if b.Question(dnsmessage.Question{Name: name, Type: q.Type, Class: class}) != nil {
			return nil
		}
	}
	out, err := b.Finish()
	if err != nil {
		return nil
	}
	return out
}

// AnswerDNS builds a response to a message; records that cannot be written are
// left out.
func AnswerDNS(id uint16, resources ...dnsmessage.Resource) []byte {
	m := dnsmessage.Message{Header: dnsmessage.Header{ID: id, Response: true, Authoritative: true}, Answers: resources}
	out, err := m.Pack()
	if err != nil {
		return nil
	}
	return out
}
