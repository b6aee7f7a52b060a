// Package write knows the files that other programs take. Names go into them as
// data: none can become a second line, a formula or a directive.
package write

import (
	"bytes"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/cell"
	"vestpin/core/form"
	"vestpin/core/ipv4"
	"vestpin/core/plain"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/strict"
)

// Target is a file that another program takes.
type Target struct {
	Name, FileName, For, MediaType string
	write                          func(io.Writer, site.View) error
	writeOne                       func(io.Writer, site.View, site.Router) error // of one router
}

// Targets are all the files that can be written.
var Targets = []Target{
	{"dnsmasq", "vestpin.conf", "dnsmasq: ranges, reservations and options", "text/plain; charset=utf-8", dnsmasq, nil},
	{"hosts", "hosts", "a hosts file of everything that is pinned", "text/plain; charset=utf-8", hosts, nil},
	{"inventory.csv", "inventory.csv", "all devices as a table, which can be read again", "text/csv; charset=utf-8", inventoryCSV, nil},
	{"reservations.csv", "reservations.csv", "the reservations as a table", "text/csv; charset=utf-8", reservationsCSV, nil},
	{"forwards.csv", "forwards.csv", "the forwards, as the router's form takes them, as a table", "text/csv; charset=utf-8", forwardsCSV, nil},
	{"nftables", "vestpin.nft", "nftables: a router's forwards, what may pass, and the way back", "text/plain; charset=utf-8", nil, nftables},
	{"iptables", "vestpin.rules", "iptables-restore: the same for older routers", "text/plain; charset=utf-8", nil, iptables},
}

// Find gives the target of that name, and otherwise an error that lists them.
func Find(name string) (Target, error) {
	names := make([]string, len(Targets))
	for i, t := range Targets {
		if names[i] = t.Name; t.Name == name {
			return t, nil
		}
	}
	return Target{}, &span.Malformed{Found: name, Want: "one of " + strings.Join(names, ", ")}
}

// OfRouter reports whether the file is of one router, not of the site.
func (t Target) OfRouter() bool { return t.writeOne != nil }

// Write writes the file; of what is of one router that of the one named, or of the one that
// faces the provider where none is. Its errors name the router that is none, or what does
// not fit.
func (t Target) Write(w io.Writer, s site.Site, router string) error {
	var b bytes.Buffer
	if err := t.writeWhole(&b, s, router); err != nil {
		return err
	}
	_, err := io.WriteString(w, plain.Text(b.String()))
	return err
}

func (t Target) writeWhole(w io.Writer, s site.Site, router string) error {
	v := site.NewView(s)
	if !t.OfRouter() {
		return t.write(w, v)
	}
	r, ok := v.Router(router)
	if router == "" {
		r, ok = reach.Outermost(v)
	}
	if !ok {
		return &strict.Refusal{Path: "router", Found: router, Want: "the id of a router of this site"}
	}
	return t.writeOne(w, v, r)
}

// comment makes one line of a text, whatever is in it.
func comment(text string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r == 0x85 || r == 0x2028 || r == 0x2029 {
			return ' '
		}
		return r
	}, text)
}

// hostNames gives each pinned interface a host name that no other has.
func hostNames(v site.View) map[string]string {
	names, used := map[string]string{}, map[string]bool{}
	for _, p := range v.Interfaces() {
		stem := form.HostName(p.Label())
		if mistakable(stem) || reservedNames[stem] {
			stem = "host-" + stem
		}
		name := freeName(stem, used)
		used[name] = true
		names[p.Interface.ID] = name
	}
	return names
}

// longestLabel is how long a host name may be (RFC 1035).
const longestLabel = 63

// freeName is the first of stem, stem-2, stem-3 … that is not used, each short
// enough for a host name.
func freeName(stem string, used map[string]bool) string {
	for n := 1; ; n++ {
		end := ""
		if n > 1 {
			end = fmt.Sprint("-", n)
		}
		name := strings.TrimRight(stem[:min(len(stem), longestLabel-len(end))], "-") + end
		if !used[name] {
			return name
		}
	}
}

// reservedNames mean something to every computer that reads them: itself, everybody
// (RFC 6761), or where to find its proxy.
var reservedNames = map[string]bool{
	"localhost": true, "localdomain": true, "broadcasthost": true, "ip6-localhost": true, "ip6-loopback": true, "ip6-allnodes": true, "ip6-allrouters": true,
	"local": true, "invalid": true, "test": true, "example": true, "wpad": true, "isatap": true, "gateway": true,
}

// mistakable finds host names that dnsmasq would take for a lease time, a MAC
// address or a word of its own.
func mistakable(name string) bool {
	_, err := site.ParseMAC(name)
	return err == nil || name == "ignore" || name == "infinite" || strings.Trim(strings.TrimRight(name, "smhdw"), "0123456789") == ""
}

func dnsmasq(w io.Writer, v site.View) error {
	if err := eachOnce(v); err != nil {
		return err
	}
	names := hostNames(v)
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n", comment(v.Name))
	for i, n := range v.Networks {
		// By number: names may be alike, and some are words of dnsmasq's own.
		tag := fmt.Sprint("net", i+1)
		fmt.Fprintf(&b, "\n# %s\n", comment(n.Name+" "+n.Subnet.String()))
		mask := ipv4.Mask(n.Subnet.Bits())
		for _, r := range n.Ranges {
			fmt.Fprintf(&b, "dhcp-range=set:%s,%s,%s,%s,24h\n", tag, r.From, r.To, mask)
		}
		reserved := 0
		var hosts strings.Builder
		for _, p := range v.Interfaces() {
			if pin := p.Interface.Pin; p.Interface.Network == n.ID && pin != nil && pin.Reserved() && p.Interface.MAC != "" {
				fmt.Fprintf(&hosts, "dhcp-host=%s,%s,%s\n", p.Interface.MAC, pin.Address, names[p.Interface.ID])
				reserved++
			}
		}
		if reserved > 0 && len(n.Ranges) == 0 {
			fmt.Fprintf(&b, "dhcp-range=set:%s,%s,static,%s\n", tag, n.Subnet.Masked().Addr(), mask)
		}
		if n.Gateway.IsValid() {
			fmt.Fprintf(&b, "dhcp-option=tag:%s,option:router,%s\n", tag, n.Gateway)
		}
		if len(n.DNS) > 0 {
			list := make([]string, len(n.DNS))
			for i, a := range n.DNS {
				list[i] = a.String()
			}
			fmt.Fprintf(&b, "dhcp-option=tag:%s,option:dns-server,%s\n", tag, strings.Join(list, ","))
		}
		b.WriteString(hosts.String())
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// eachOnce refuses reservations of one address for two, which no DHCP server takes, and
// subnets that overlap: one server cannot serve both.
func eachOnce(v site.View) error {
	for i, n := range v.Networks {
		for _, o := range v.Networks[:i] {
			if n.Subnet.Overlaps(o.Subnet) {
				return &strict.Refusal{Path: "network " + n.ID, Found: fmt.Sprintf("%s, as the network %s (%s)", n.Subnet, o.ID, o.Subnet), Want: "subnets that do not overlap in one file"}
			}
		}
	}
	type place struct {
		network string
		address netip.Addr
	}
	at, of := map[place]site.Placed{}, map[site.MAC]site.Placed{}
	for _, p := range v.Interfaces() {
		pin := p.Interface.Pin
		if pin == nil || !pin.Reserved() || p.Interface.MAC == "" {
			continue
		}
		here := place{p.Interface.Network, pin.Address}
		if o, twice := at[here]; twice {
			return &strict.Refusal{Path: "interface " + p.Interface.ID, Found: fmt.Sprintf("%s, which is reserved for %s too", pin.Address, o.Label()), Want: "each address reserved once: move " + p.Label() + " or " + o.Label()}
		}
		if o, twice := of[p.Interface.MAC]; twice && o.Interface.Network == p.Interface.Network {
			return &strict.Refusal{Path: "interface " + p.Interface.ID, Found: fmt.Sprintf("the MAC address %s, which %s has too", p.Interface.MAC, o.Label()), Want: "each MAC address once in a network"}
		}
		at[here], of[p.Interface.MAC] = p, p
	}
	return nil
}

func hosts(w io.Writer, v site.View) error {
	names := hostNames(v)
	pinned := slices.DeleteFunc(v.Interfaces(), func(p site.Placed) bool { return p.Interface.Pin == nil })
	slices.SortStableFunc(pinned, func(a, b site.Placed) int { return a.Interface.Pin.Address.Compare(b.Interface.Pin.Address) })
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n", comment(v.Name))
	for _, p := range pinned {
		fmt.Fprintf(&b, "%s\t%s\n", p.Interface.Pin.Address, names[p.Interface.ID])
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// table writes records as RFC 4180 has them. Every cell is in quotes, which
// encoding/csv does not do: a spreadsheet that separates by semicolons or tabs would
// find formulas in the middle of others.
func table(w io.Writer, heading []string, rows [][]string) error {
	var b strings.Builder
	for _, row := range append([][]string{heading}, rows...) {
		for i, text := range row {
			if i > 0 {
				b.WriteByte(',')
			}
			b.WriteString(`"` + strings.ReplaceAll(cell.Guard(text), `"`, `""`) + `"`)
		}
		b.WriteString("\n")
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// inventoryCSV writes a row for each interface, under headings that read knows.
func inventoryCSV(w io.Writer, v site.View) error {
	var rows [][]string
	for _, p := range v.Interfaces() {
		n, _ := v.Network(p.Interface.Network)
		row := []string{p.Device.Name, p.Device.Kind, p.Device.Place, n.Name, string(p.Interface.MAC), "", "", ""}
		if p.Interface.Seen.IsValid() {
			row[5] = p.Interface.Seen.String()
		}
		if pin := p.Interface.Pin; pin != nil {
			row[6], row[7] = pin.Address.String(), string(pin.By)
		}
		rows = append(rows, row)
	}
	return table(w, []string{"name", "kind", "place", "network", "mac", "address", "pin", "by"}, rows)
}

// routerName is the name of a router, or its id where the name is none or another's too.
func routerName(v site.View, r site.Router) string {
	if r.Name == "" || slices.ContainsFunc(v.Routers, func(o site.Router) bool { return o.ID != r.ID && (o.Name == r.Name || o.ID == r.Name) }) {
		return r.ID
	}
	return r.Name
}

func reservationsCSV(w io.Writer, v site.View) error {
	var rows [][]string
	for _, r := range v.Routers {
		for _, res := range form.Type(v, r).Reservations {
			p, _ := v.Interface(res.Interface)
			rows = append(rows, []string{routerName(v, r), res.Name, p.Device.Kind, p.Device.Place, string(res.MAC), res.Address.String()})
		}
	}
	return table(w, []string{"router", "name", "kind", "place", "mac", "address"}, rows)
}

func forwardsCSV(w io.Writer, v site.View) error {
	var rows [][]string
	names := map[string]string{}
	for _, f := range v.Forwards {
		names[f.ID] = f.Name
	}
	for _, r := range v.Routers {
		typed := form.Type(v, r)
		if typed.More > 0 {
			return &strict.Refusal{Path: "router " + r.ID, Found: fmt.Sprintf("%d lines", typed.All()), Want: fmt.Sprintf("at most %d in a file", form.MostLines)}
		}
		for _, l := range typed.Lines {
			name, address := names[l.Forward], ""
			if l.Address.IsValid() {
				address = l.Address.String()
			}
			from := make([]string, len(l.From))
			for i, s := range l.From {
				from[i] = s.String()
			}
			rows = append(rows, []string{routerName(v, r), name, string(l.Protocol), l.Outside.String(), address, l.Inside.String(), strings.Join(from, " ")})
		}
	}
	return table(w, []string{"router", "name", "protocol", "outside", "address", "inside", "from"}, rows)
}
