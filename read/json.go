package read

import (
	"encoding/json"
	"net/netip"
	"strconv"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
)

// node is a JSON value that knows its line.
type node struct {
	line   int
	text   string // of a string, number or truth value
	fields map[string]*node
	items  []*node
}

func (n *node) get(key string) *node {
	if n == nil || n.fields[key] == nil {
		return &node{}
	}
	return n.fields[key]
}

func (n *node) number(key string) int64 {
	v, _ := strconv.ParseInt(n.get(key).text, 10, 64)
	return v
}

// jsonBlock takes a JSON value that begins here; comments may stand in it, as in
// the configuration of Kea.
func (r *reader) jsonBlock(number int, text string) (rest string, lines int) {
	p, v, err := parseJSON(text, number)
	if err != nil && r.vain < mostVain { // as people write it
		p, v, err = parseJSON(withoutComments(text), number)
	}
	if err != nil || v.fields == nil && v.items == nil {
		return "", 0
	}
	end := int(p.dec.InputOffset())
	p.advance(end)
	var more string
	if more, rest, _ = strings.Cut(text[end:], "\n"); v.fields == nil && end < 40 && strings.TrimSpace(more) != "" && !strings.Contains(text[:end], "\n") {
		return "", 0 // the number of a line, a box that is not ticked
	}
	r.tree(v)
	return rest, p.line - number + 1
}

// parseJSON reads the value with which a text begins.
func parseJSON(text string, line int) (jsonParser, *node, error) {
	p := jsonParser{dec: json.NewDecoder(strings.NewReader(text)), text: text, line: line}
	p.dec.UseNumber()
	v, err := p.value(0)
	return p, v, err
}

// withoutComments blanks out comments of the three kinds, and commas before a
// closing bracket, keeping each byte's place.
func withoutComments(text string) string {
	b := []byte(text)
	inString := false
	for i := 0; i < len(b); i++ {
		end := -1
		switch {
		case inString && b[i] == '\\':
			i++
		case b[i] == '"':
			inString = !inString
		case inString:
		case b[i] == '#' || b[i] == '/' && i+1 < len(b) && b[i+1] == '/':
			end = strings.IndexByte(text[i:], '\n')
		case b[i] == '/' && i+1 < len(b) && b[i+1] == '*':
			if end = strings.Index(text[i+2:], "*/"); end >= 0 {
				end += 4
			}
		case b[i] == ',' && closes(text[i+1:]):
			b[i] = ' '
			continue
		default:
			continue
		}
		if !inString && (b[i] == '#' || b[i] == '/') { // beyond the end only in a string
			if end < 0 {
				end = len(b) - i
			}
			for j := i; j < i+end; j++ {
				if b[j] != '\n' {
					b[j] = ' '
				}
			}
			i += end - 1
		}
	}
	return string(b)
}

// closes passes a text whose next mark, behind blanks and remarks, closes a bracket.
func closes(rest string) bool {
	for {
		rest = strings.TrimLeft(rest, " \t\r\n")
		switch {
		case strings.HasPrefix(rest, "#"), strings.HasPrefix(rest, "//"):
			_, after, ok := strings.Cut(rest, "\n")
			if !ok {
				return false
			}
			rest = after
		case strings.HasPrefix(rest, "/*"):
			_, after, ok := strings.Cut(rest, "*/")
			if !ok {
				return false
			}
			rest = after
		default:
			return rest != "" && (rest[0] == ']' || rest[0] == '}')
		}
	}
}

type jsonParser struct {
	dec      *json.Decoder
	text     string
	at, line int
}

func (p *jsonParser) advance(to int) {
	p.line += strings.Count(p.text[p.at:to], "\n")
	p.at = to
}

func (p *jsonParser) value(depth int) (*node, error) {
	t, err := p.dec.Token()
	if err != nil {
		return nil, err
	}
	if depth > 60 {
		return nil, &json.SyntaxError{}
	}
	p.advance(int(p.dec.InputOffset()))
	n := &node{line: p.line}
	switch t := t.(type) {
	case json.Delim:
		if t == '{' {
			n.fields = map[string]*node{}
		} else {
			n.items = []*node{}
		}
		for p.dec.More() {
			key := ""
			if t == '{' {
				k, err := p.dec.Token()
				if err != nil {
					return nil, err
				}
				key, _ = k.(string)
			}
			v, err := p.value(depth + 1)
			if err != nil {
				return nil, err
			}
			if t == '{' {
				n.fields[key] = v
			} else {
				n.items = append(n.items, v)
			}
		}
		_, err = p.dec.Token()
		return n, err
	case string:
		n.text = t
	case json.Number:
		n.text = t.String()
	case bool:
		n.text = strconv.FormatBool(t)
	}
	return n, nil
}

// json finds what is known anywhere in a value.
func (r *reader) json(n *node) {
	for _, item := range n.items {
		r.json(item)
	}
	if n.fields == nil {
		return
	}
	switch {
	case n.fields["nftables"] != nil:
		if r.reads("table") {
			r.nftJSON(n)
		}
	case n.fields["cltt"] != nil && n.fields["hw-address"] != nil:
		if r.reads("leases") {
			r.keaLease(n)
		}
	case n.fields["addr_info"] != nil:
		if r.reads("own-settings") {
			r.jsonAddr(n)
		}
	case n.fields["dst"] != nil && n.fields["dev"] != nil:
		r.jsonRouteOrNeighbour(n)
	case n.fields["subnet4"] != nil || n.fields["Dhcp4"] != nil:
		if r.reads("leases") {
			r.kea(n)
		}
	default:
		for _, key := range sortedKeys(n.fields) {
			r.json(n.fields[key])
		}
	}
}

func (r *reader) jsonAddr(n *node) {
	if m, err := site.ParseMAC(n.get("address").text); err == nil {
		r.claim(line{macs: []site.MAC{m}}) // the laptop's own
	}
	for _, a := range n.get("addr_info").items {
		if ip, err := netip.ParseAddr(a.get("local").text); err == nil {
			r.addOwn(netip.PrefixFrom(ip, int(a.number("prefixlen"))))
		}
	}
}

// jsonRouteOrNeighbour takes an entry of "ip -j route" or "ip -j neigh".
func (r *reader) jsonRouteOrNeighbour(n *node) {
	dst := n.get("dst").text
	a, err := netip.ParseAddr(dst)
	if n.fields["state"] != nil || n.fields["lladdr"] != nil {
		mac, bad := site.ParseMAC(n.get("lladdr").text)
		state := ""
		for _, s := range n.get("state").items {
			state = strings.ToLower(s.text)
		}
		if bad != nil || err != nil || !r.reads("neighbours") || state == "failed" || state == "incomplete" || state == "noarp" {
			r.claim(line{addrs: []netip.Addr{a}}) // nobody answered there
			return
		}
		if a.Is6() {
			a = netip.Addr{}
		}
		r.add(sighting.Sighting{MAC: mac, Address: a, State: state, Line: n.line})
		return
	}
	if !r.reads("own-settings") {
		return
	}
	if g, ok := addrWord(n.get("gateway").text); dst == "default" && ok {
		r.addGateways(g)
	}
	if p, err := netip.ParsePrefix(dst); err == nil {
		if own, ok := addrWord(n.get("prefsrc").text); ok {
			p = netip.PrefixFrom(own, p.Bits())
		}
		r.addOwn(p)
	}
}

// kea takes the configuration of Kea's DHCPv4 server.
func (r *reader) kea(n *node) {
	if n.fields["Dhcp4"] != nil {
		n = n.get("Dhcp4")
	}
	r.keaOptions(n)
	for _, s := range n.get("shared-networks").items {
		r.keaOptions(s)
		for _, sub := range s.get("subnet4").items {
			r.keaSubnet(sub)
		}
	}
	for _, sub := range n.get("subnet4").items {
		r.keaSubnet(sub)
	}
	r.keaReservations(n)
	if v := n.number("valid-lifetime"); r.out.Facts.Lease == 0 {
		r.out.Facts.Lease = int(v)
	}
}

func (r *reader) keaSubnet(n *node) {
	if p, err := netip.ParsePrefix(n.get("subnet").text); err == nil {
		r.addOwn(p.Masked())
	}
	for _, pool := range n.get("pools").items {
		text := pool.get("pool").text
		if p, err := netip.ParsePrefix(strings.TrimSpace(text)); err == nil && p.Addr().Is4() {
			run := ipv4.Run(p)
			r.out.Facts.Ranges = append(r.out.Facts.Ranges, site.Range{From: ipv4.Addr(run.Lo), To: ipv4.Addr(run.Hi)})
			continue
		}
		lo, hi, _ := strings.Cut(text, "-")
		from, ok1 := addrWord(strings.TrimSpace(lo))
		to, ok2 := addrWord(strings.TrimSpace(hi))
		if ok1 && ok2 && !to.Less(from) {
			r.out.Facts.Ranges = append(r.out.Facts.Ranges, site.Range{From: from, To: to})
		}
	}
	r.keaOptions(n)
	r.keaReservations(n)
}

func (r *reader) keaOptions(n *node) {
	for _, o := range n.get("option-data").items {
		var list []netip.Addr
		for _, w := range strings.FieldsFunc(o.get("data").text, between) {
			if a, ok := addrWord(w); ok {
				list = append(list, a)
			}
		}
		switch name, code := o.get("name").text, o.number("code"); {
		case name == "routers" || code == 3:
			r.addGateways(list...)
		case name == "domain-name-servers" || code == 6:
			for _, a := range list {
				addTo(&r.out.Facts.DNS, a)
			}
		}
	}
}

// keaLease takes a lease as Kea's control channel gives it: "cltt" is when the client was
// last heard, "valid-lft" for how many seconds it is good.
func (r *reader) keaLease(n *node) {
	mac, err := site.ParseMAC(n.get("hw-address").text)
	if err != nil {
		return
	}
	a, _ := addrWord(n.get("ip-address").text)
	at := n.number("cltt")
	r.add(sighting.Sighting{MAC: mac, Address: a, Host: n.get("hostname").text, State: "lease", Line: n.line, At: clock(at), Until: clock(at + n.number("valid-lft"))})
}

func (r *reader) keaReservations(n *node) {
	for _, v := range n.get("reservations").items {
		if mac, err := site.ParseMAC(v.get("hw-address").text); err == nil {
			a, _ := addrWord(v.get("ip-address").text)
			r.add(sighting.Sighting{MAC: mac, Address: a, Host: v.get("hostname").text, State: sighting.StateReserved, Line: v.line})
		}
	}
}
