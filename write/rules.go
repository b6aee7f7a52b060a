package write

import (
	"cmp"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"
	"unicode/utf8"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/strict"
)

// rule is one rule of a packet filter: outside ports of one protocol, where they go, and
// who may connect. One without an address keeps its ports from the rules behind it.
type rule struct {
	protocol site.Protocol
	outside  span.Run
	address  netip.Addr
	inside   span.Run
	from     []site.Sender
	name     string
}

// mostRules is how many rules are written: more than any router of this size loads in a
// second.
const mostRules = 20_000

// rulesOf makes the rules of a router, in the order of its forwards. The router's own ports
// are taken out of them: they come first there. Forwards that lead to no address are told,
// as comments.
func rulesOf(v site.View, r site.Router) (rules []rule, left []string, err error) {
	for _, f := range v.Forwards {
		if f.Router != r.ID || !f.Enabled {
			continue
		}
		if address, _ := v.Target(f); !address.IsValid() {
			left = append(left, fmt.Sprintf("%s %s leads to no fixed address: nobody gets it", label(v, f), f.Outside))
		}
		for _, s := range reach.Leads(v, f) {
			for _, run := range span.Of(s.Ports).Minus(ownPorts(r, s.Protocol)).Runs() {
				lo := s.Inside + run.Lo - s.Ports.Lo
				one := rule{s.Protocol, run, s.Address, span.Run{Lo: lo, Hi: lo + run.Hi - run.Lo}, f.From, label(v, f)}
				rules = append(rules, one.portByPort()...)
			}
			if len(rules) > mostRules {
				return nil, nil, &strict.Refusal{Path: "router " + r.ID, Found: fmt.Sprintf("more than %d rules", mostRules), Want: fmt.Sprintf("at most %d; ranges that are renumbered take one for each port", mostRules)}
			}
		}
	}
	if r.ExposedHost == "" {
		return needed(rules), left, nil
	}
	address, _ := v.TargetOf(r.ID, r.ExposedHost)
	if !address.IsValid() {
		return needed(rules), append(left, "the exposed host has no fixed address: nobody gets all other ports"), nil
	}
	for _, proto := range site.Both.Each() {
		for _, run := range span.Of(span.Run{Lo: 1, Hi: 65535}).Minus(ownPorts(r, proto)).Runs() {
			rules = append(rules, rule{protocol: proto, outside: run, address: address, inside: run, name: "exposed host: all other ports"})
		}
	}
	return needed(rules), left, nil
}

// needed leaves out the rules without an address that keep nothing from one behind them.
func needed(rules []rule) []rule {
	if !slices.ContainsFunc(rules, func(x rule) bool { return !x.address.IsValid() }) {
		return rules
	}
	behind := map[site.Protocol]span.Set{}
	out := slices.Clone(rules)
	for i := len(rules) - 1; i >= 0; i-- {
		x := rules[i]
		switch {
		case x.address.IsValid():
			behind[x.protocol] = behind[x.protocol].Union(span.Of(x.outside))
		case behind[x.protocol].Overlap(span.Of(x.outside)).Empty():
			out = slices.Delete(out, i, i+1)
		}
	}
	return out
}

// portByPort divides a rule that renumbers a range: a packet filter would send its ports to
// whichever of those inside is free.
func (r rule) portByPort() []rule {
	if r.outside == r.inside || r.outside.Len() == 1 || !r.address.IsValid() {
		return []rule{r}
	}
	var out []rule
	for i := range uint32(min(r.outside.Len(), mostRules+1)) {
		one := r
		one.outside, one.inside = span.Run{Lo: r.outside.Lo + i, Hi: r.outside.Lo + i}, span.Run{Lo: r.inside.Lo + i, Hi: r.inside.Lo + i}
		out = append(out, one)
	}
	return out
}

func ownPorts(r site.Router, proto site.Protocol) span.Set {
	var own span.Set
	for _, o := range r.OwnPorts {
		if o.Protocol.Covers(proto) {
			own = own.Union(o.Ports.Set())
		}
	}
	return own
}

func label(v site.View, f site.Forward) string {
	if f.Name != "" {
		return f.Name
	}
	if w, ok := v.Service(f.Service); ok {
		return w.Label()
	}
	if _, placed := v.Target(f); placed != nil {
		return placed.Label()
	}
	return "port " + f.Outside.String()
}

// remark makes what may stand between quotes in a rule: one line, no quotes or backslashes,
// short enough for either program.
func remark(text string) string {
	clean := strings.Map(func(r rune) rune {
		if r == '"' || r == '\\' {
			return '\''
		}
		return r
	}, comment(text))
	for len(clean) > 120 {
		_, size := utf8.DecodeLastRuneInString(clean)
		clean = clean[:len(clean)-size]
	}
	return clean
}

// behind gives the subnets of a router's network and of those behind it.
func behind(v site.View, r site.Router) []netip.Prefix {
	var out []netip.Prefix
	seen := map[string]bool{}
	var add func(r site.Router)
	add = func(r site.Router) {
		for _, id := range r.Serves() {
			n, ok := v.Network(id)
			if ok && !seen[n.ID] && !slices.Contains(out, n.Subnet.Masked()) { // behind two routers it may be the same
				out = append(out, n.Subnet.Masked())
			}
			seen[id] = true
		}
		for _, inner := range v.Routers {
			if inner.Upstream == r.ID && !seen[inner.Network] {
				add(inner)
			}
		}
	}
	add(r)
	return out
}

// outside says in nftables what is addressed to the outside of a router.
func outsideOf(v site.View, r site.Router) string {
	if r.WAN.Address.IsValid() && r.WAN.Kind != "dynamic" {
		return "ip daddr " + r.WAN.Address.String()
	}
	return "fib daddr type local ip daddr != " + set(behind(v, r))
}

func set[T fmt.Stringer](list []T) string {
	words := make([]string, len(list))
	for i, x := range list {
		words[i] = x.String()
	}
	if len(words) == 1 {
		return words[0]
	}
	return "{ " + strings.Join(words, ", ") + " }"
}

// What stands at the head of the files: how they are loaded without harm to other rules, and
// what they cannot promise.
const (
	nftHead = `# Load it with: nft -f FILE
# It replaces the table "vestpin" and leaves all other tables as they are.
# A packet passes only if no chain of any table drops it. Where another table drops
# what is forwarded, this file cannot overrule it: accept "ct status dnat" there.
`
	iptablesHead = `# Load it with: iptables-restore --noflush FILE
# Without --noflush it wipes the router's own rules. Loaded again it refills its own chains;
# the jumps to them are then there twice, which changes nothing.
# A rule before the jump in FORWARD that drops, or another table of nftables that does,
# still drops: this file cannot overrule it.
`
)

// nftables writes a table that can be loaded with "nft -f" beside others (nft(8)): what is
// sent on, that it may pass, that nothing else comes in, and the way back for packets of
// the site's own devices where the router loops them back.
func nftables(w io.Writer, v site.View, r site.Router) error {
	rules, left, err := rulesOf(v, r)
	if err != nil {
		return err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "# %s, %s\n", comment(v.Name), comment(cmp.Or(r.Name, "the router")))
	b.WriteString(nftHead)
	for _, l := range left {
		fmt.Fprintf(&b, "# %s\n", comment(l))
	}
	inner, out := behind(v, r), outsideOf(v, r)
	// Declared first, so that a table from before can be deleted in the same go.
	b.WriteString("table ip vestpin\ndelete table ip vestpin\ntable ip vestpin {\n\tchain sent_on {\n\t\ttype nat hook prerouting priority dstnat; policy accept;\n")
	if r.LoopsBack != "yes" {
		fmt.Fprintf(&b, "\t\tip saddr %s return\n", set(inner))
	}
	for _, x := range rules {
		from := ""
		if site.Limits(x.from) {
			from = "ip saddr " + set(x.from) + " "
		}
		to := "dnat to " + x.address.String()
		switch {
		case !x.address.IsValid():
			to = "return"
		case x.outside != x.inside:
			to += fmt.Sprintf(":%d", x.inside.Lo)
		}
		fmt.Fprintf(&b, "\t\t%s %s%s dport %s %s comment \"%s\"\n", out, from, x.protocol, span.PortList(x.outside), to, remark(x.name))
	}
	fmt.Fprintf(&b, "\t}\n\n\tchain passes {\n\t\ttype filter hook forward priority filter; policy accept;\n\t\tct state established,related accept\n\t\tct status dnat accept\n\t\tip saddr != %s ip daddr %s drop\n\t}\n", set(inner), set(inner))
	if r.LoopsBack == "yes" {
		fmt.Fprintf(&b, "\n\tchain way_back {\n\t\ttype nat hook postrouting priority srcnat; policy accept;\n\t\tip saddr %s ip daddr %s ct status dnat masquerade\n\t}\n", set(inner), set(inner))
	}
	b.WriteString("}\n")
	_, err = io.WriteString(w, b.String())
	return err
}

// iptables writes rules for iptables-restore(8), in chains of their own.
func iptables(w io.Writer, v site.View, r site.Router) error {
	rules, left, err := rulesOf(v, r)
	if err != nil {
		return err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "# %s, %s\n", comment(v.Name), comment(cmp.Or(r.Name, "the router")))
	b.WriteString(iptablesHead)
	for _, l := range left {
		fmt.Fprintf(&b, "# %s\n", comment(l))
	}
	inner := behind(v, r)
	to := "-m addrtype --dst-type LOCAL"
	if r.WAN.Address.IsValid() && r.WAN.Kind != "dynamic" {
		to = "-d " + r.WAN.Address.String()
	}
	b.WriteString("*nat\n:VESTPIN - [0:0]\n")
	if r.LoopsBack == "yes" {
		b.WriteString(":VESTPIN-BACK - [0:0]\n-A POSTROUTING -j VESTPIN-BACK\n")
	}
	b.WriteString("-A PREROUTING -j VESTPIN\n")
	for _, n := range inner {
		if r.LoopsBack != "yes" {
			fmt.Fprintf(&b, "-A VESTPIN -s %s -j RETURN\n", n)
		}
		if to[1] == 'm' {
			fmt.Fprintf(&b, "-A VESTPIN -d %s -j RETURN\n", n)
		}
	}
	for _, x := range rules {
		from := []string{""}
		if site.Limits(x.from) {
			from = nil
			for _, s := range x.from {
				from = append(from, "-s "+s.String()+" ")
			}
		}
		dport := strings.ReplaceAll(span.PortList(x.outside).String(), "-", ":")
		dest := "DNAT --to-destination " + x.address.String()
		switch {
		case !x.address.IsValid():
			dest = "RETURN"
		case x.outside != x.inside:
			dest += fmt.Sprintf(":%d", x.inside.Lo)
		}
		for _, s := range from {
			fmt.Fprintf(&b, "-A VESTPIN %s%s -p %s -m %s --dport %s -m comment --comment \"%s\" -j %s\n", s, to, x.protocol, x.protocol, dport, remark(x.name), dest)
		}
	}
	for _, from := range inner {
		for _, at := range inner {
			if r.LoopsBack == "yes" {
				fmt.Fprintf(&b, "-A VESTPIN-BACK -s %s -d %s -m conntrack --ctstate DNAT -j MASQUERADE\n", from, at)
			}
		}
	}
	b.WriteString("COMMIT\n*filter\n:VESTPIN - [0:0]\n-A FORWARD -j VESTPIN\n-A VESTPIN -m conntrack --ctstate RELATED,ESTABLISHED -j ACCEPT\n-A VESTPIN -m conntrack --ctstate DNAT -j ACCEPT\n")
	for _, n := range inner {
		fmt.Fprintf(&b, "-A VESTPIN -s %s -j RETURN\n", n)
	}
	for _, n := range inner {
		fmt.Fprintf(&b, "-A VESTPIN -d %s -j DROP\n", n)
	}
	b.WriteString("COMMIT\n")
	_, err = io.WriteString(w, b.String())
	return err
}
