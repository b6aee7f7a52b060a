package store

import (
	"database/sql"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// table is how one kind of row is kept: its first keys columns tell rows of a
// site apart. Every table also has the column site in front.
type table struct {
	name    string
	keys    int
	columns []string
}

// tables are in an order in which rows may be put in; they are taken out in the
// reverse one.
var tables = []table{
	{"networks", 1, []string{"id", "pos", "name", "subnet", "gateway"}},
	{"network_dns", 2, []string{"network", "pos", "address"}},
	{"ranges", 2, []string{"network", "pos", "low", "high"}},
	{"bands", 2, []string{"network", "pos", "name", "low", "high"}},
	{"band_kinds", 3, []string{"network", "band", "pos", "kind"}},
	{"keep_free", 2, []string{"network", "pos", "low", "high", "why"}},
	{"dhcp_servers", 2, []string{"network", "pos", "address", "offers", "gateway", "lease", "at"}},
	{"routers", 1, []string{"id", "pos", "name", "network", "upstream", "wan_address", "wan_kind", "wan_name", "upnp",
		"ports_per_line", "renumber", "limits_sender", "lines", "reserves", "reservation_lines"}},
	{"form_protocols", 2, []string{"router", "pos", "protocol"}},
	{"own_ports", 2, []string{"router", "pos", "protocol", "ports", "why"}},
	{"devices", 1, []string{"id", "pos", "name", "kind", "place", "rank", "accepted"}},
	{"interfaces", 1, []string{"id", "device", "pos", "name", "network", "mac", "seen", "wants", "pin_address", "pin_by", "pin_locked", "first"}},
	{"evidence", 2, []string{"interface", "pos", "source", "line", "at", "address", "host", "state", "until"}},
	{"traits", 3, []string{"interface", "evidence", "pos", "name", "value"}},
	{"services", 1, []string{"id", "device", "pos", "name", "interface", "protocol", "ports", "open_port", "open_prefer", "open_router"}},
	{"open_senders", 2, []string{"service", "pos", "sender"}},
	{"alternatives", 2, []string{"service", "pos", "ports"}},
	{"forwards", 1, []string{"id", "pos", "name", "router", "enabled", "protocol", "outside", "target", "inside", "service", "locked"}},
	{"forward_senders", 2, []string{"forward", "pos", "sender"}},
	{"done", 1, []string{"step", "at", "values"}},
	{"makers", 1, []string{"pos", "prefix", "name"}},
	{"visits", 1, []string{"id", "pos", "since", "until", "note"}},
	{"visit_seen", 2, []string{"visit", "pos", "interface", "mac", "address", "host"}},
}

// rows are the rows of a site by table, each under its key.
type rows map[string]map[string][]any

func (r rows) add(name string, values ...any) {
	t := tables[slices.IndexFunc(tables, func(t table) bool { return t.name == name })]
	if r[name] == nil {
		r[name] = map[string][]any{}
	}
	r[name][fmt.Sprintf("%q", values[:t.keys])] = values
}

func text(a netip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	return a.String()
}

func orNull(s string) any {
	if s == "" {
		return nil
	}
	return s
}

func bit(b bool) int64 {
	if b {
		return 1
	}
	return 0
}

// rowsOf takes a site apart.
func rowsOf(s site.Site) rows {
	r := rows{}
	for i, n := range s.Networks {
		r.add("networks", n.ID, i, n.Name, n.Subnet.String(), text(n.Gateway))
		for j, a := range n.DNS {
			r.add("network_dns", n.ID, j, text(a))
		}
		for j, x := range n.Ranges {
			r.add("ranges", n.ID, j, text(x.From), text(x.To))
		}
		for j, b := range n.Bands {
			r.add("bands", n.ID, j, b.Name, text(b.From), text(b.To))
			for k, kind := range b.Kinds {
				r.add("band_kinds", n.ID, j, k, kind)
			}
		}
		for j, k := range n.KeepFree {
			r.add("keep_free", n.ID, j, text(k.From), text(k.To), k.Why)
		}
		for j, v := range n.Servers {
			r.add("dhcp_servers", n.ID, j, text(v.Address), text(v.Offers), text(v.Gateway), v.Lease, v.At)
		}
	}
	for i, x := range s.Routers {
		r.add("routers", x.ID, i, x.Name, x.Network, orNull(x.Upstream), text(x.WAN.Address), x.WAN.Kind, x.WAN.Name, x.UPnP,
			x.Form.PortsPerLine, x.Form.Renumber, x.Form.LimitsSender, x.Form.Lines, x.Form.Reserves, x.Form.ReservationLines)
		for j, p := range x.Form.Protocols {
			r.add("form_protocols", x.ID, j, string(p))
		}
		for j, o := range x.OwnPorts {
			r.add("own_ports", x.ID, j, string(o.Protocol), o.Ports.String(), o.Why)
		}
	}
	for i, d := range s.Devices {
		r.addDevice(i, d)
	}
	for i, f := range s.Forwards {
		r.add("forwards", f.ID, i, f.Name, f.Router, bit(f.Enabled), string(f.Protocol), f.Outside.String(), f.To, f.Inside.String(), orNull(f.Service), bit(f.Locked))
		for j, x := range f.From {
			r.add("forward_senders", f.ID, j, x.String())
		}
	}
	for _, d := range s.Done {
		r.add("done", d.Step, d.At, d.Values)
	}
	for i, m := range s.Makers {
		r.add("makers", i, m.Prefix, m.Name)
	}
	for i, v := range s.Visits {
		r.add("visits", v.ID, i, v.From, v.Until, v.Note)
		for j, n := range v.Seen {
			r.add("visit_seen", v.ID, j, n.Interface, string(n.MAC), text(n.Address), n.Host)
		}
	}
	return r
}

func (r rows) addDevice(i int, d site.Device) {
	r.add("devices", d.ID, i, d.Name, d.Kind, d.Place, d.Rank, bit(d.Accepted))
	for j, n := range d.Interfaces {
		var address, by any
		locked := false
		if n.Pin != nil {
			address, by, locked = text(n.Pin.Address), n.Pin.By, n.Pin.Locked
		}
		r.add("interfaces", n.ID, d.ID, j, n.Name, n.Network, string(n.MAC), text(n.Seen), n.Wants, address, by, bit(locked), n.First)
		for k, e := range n.Evidence {
			r.add("evidence", n.ID, k, e.Source, e.Line, e.At, text(e.Address), e.Host, e.State, e.Until)
			for m, t := range e.Traits {
				r.add("traits", n.ID, k, m, t.Name, t.Value)
			}
		}
	}
	for j, sv := range d.Services {
		var port, router any
		prefer := ""
		if sv.Open != nil {
			port, prefer, router = sv.Open.Port, sv.Open.Prefer.String(), orNull(sv.Open.Router)
			for k, x := range sv.Open.From {
				r.add("open_senders", sv.ID, k, x.String())
			}
		}
		r.add("services", sv.ID, d.ID, j, sv.Name, sv.Interface, string(sv.Protocol), sv.Ports.String(), port, prefer, router)
		for k, p := range sv.CanSetTo {
			r.add("alternatives", sv.ID, k, p.String())
		}
	}
}

// statement is one line of SQL with its values.
type statement struct {
	sql  string
	args []any
}

// changes gives the statements that turn the rows of one site into others.
func changes(id string, before, after rows) []statement {
	var out []statement
	for _, t := range slices.Backward(tables) {
		where := "site = ?"
		for _, c := range t.columns[:t.keys] {
			where += fmt.Sprintf(" AND %q = ?", c)
		}
		for key, row := range before[t.name] {
			if _, stays := after[t.name][key]; !stays {
				out = append(out, statement{fmt.Sprintf("DELETE FROM %q WHERE %s", t.name, where), append([]any{id}, row[:t.keys]...)})
			}
		}
	}
	for _, t := range tables {
		insert := t.upsert()
		for key, row := range after[t.name] {
			if old, was := before[t.name][key]; !was || !slices.Equal(old, row) {
				out = append(out, statement{insert, append([]any{id}, row...)})
			}
		}
	}
	return out
}

func (t table) upsert() string {
	quoted, sets := []string{`"site"`}, []string{}
	for i, c := range t.columns {
		q := fmt.Sprintf("%q", c)
		quoted = append(quoted, q)
		if i >= t.keys {
			sets = append(sets, q+" = excluded."+q)
		}
	}
	return fmt.Sprintf("INSERT INTO %q (%s) VALUES (?%s) ON CONFLICT (%s) DO UPDATE SET %s", t.name,
		strings.Join(quoted, ", "), strings.Repeat(", ?", len(t.columns)), strings.Join(quoted[:t.keys+1], ", "), strings.Join(sets, ", "))
}

// loader reads the rows of a site back; its first error ends it.
type loader struct {
	tx  *sql.Tx
	id  string
	err error
}

// each runs a query over a table in the order of pos and calls f for each row
// with what scans it.
func (l *loader) each(query string, f func(scan func(...any))) {
	if l.err != nil {
		return
	}
	rs, err := l.tx.Query(query, l.id)
	if err != nil {
		l.err = err
		return
	}
	defer rs.Close()
	for rs.Next() && l.err == nil {
		f(func(into ...any) {
			if err := rs.Scan(into...); err != nil {
				l.err = err
			}
		})
	}
	if l.err == nil {
		l.err = rs.Err()
	}
}

func (l *loader) addr(s string) netip.Addr {
	if s == "" || l.err != nil {
		return netip.Addr{}
	}
	a, err := span.ParseAddr(s)
	l.err = err
	return a
}

func (l *loader) ports(s string) span.Ports {
	if s == "" || l.err != nil {
		return span.Ports{}
	}
	p, err := span.ParsePorts(s)
	l.err = err
	return p
}

func (l *loader) sender(s string) site.Sender {
	x, err := site.ParseSender(s)
	if l.err == nil {
		l.err = err
	}
	return x
}

func (l *loader) site() site.Site {
	var s site.Site
	l.each(`SELECT name FROM sites WHERE id = ?`, func(scan func(...any)) { scan(&s.Name) })
	s.Networks = l.networks()
	s.Routers = l.routers()
	s.Devices = l.devices()
	s.Forwards = l.forwards()
	l.each(`SELECT step, at, "values" FROM done WHERE site = ? ORDER BY step`, func(scan func(...any)) {
		var d site.Done
		scan(&d.Step, &d.At, &d.Values)
		s.Done = append(s.Done, d)
	})
	l.each(`SELECT prefix, name FROM makers WHERE site = ? ORDER BY pos`, func(scan func(...any)) {
		var m site.Maker
		scan(&m.Prefix, &m.Name)
		s.Makers = append(s.Makers, m)
	})
	s.Visits = l.visits()
	return s
}

func (l *loader) visits() (list []site.Visit) {
	place := map[string]int{}
	l.each(`SELECT id, since, until, note FROM visits WHERE site = ? ORDER BY pos`, func(scan func(...any)) {
		var v site.Visit
		scan(&v.ID, &v.From, &v.Until, &v.Note)
		place[v.ID] = len(list)
		list = append(list, v)
	})
	l.each(`SELECT visit, interface, mac, address, host FROM visit_seen WHERE site = ? ORDER BY visit, pos`, func(scan func(...any)) {
		var id, mac, address string
		var n site.SeenThen
		scan(&id, &n.Interface, &mac, &address, &n.Host)
		n.MAC, n.Address = site.MAC(mac), l.addr(address)
		v := &list[place[id]]
		v.Seen = append(v.Seen, n)
	})
	return list
}

func (l *loader) networks() (list []site.Network) {
	place := map[string]int{}
	l.each(`SELECT id, name, subnet, gateway FROM networks WHERE site = ? ORDER BY pos`, func(scan func(...any)) {
		var n site.Network
		var subnet, gateway string
		scan(&n.ID, &n.Name, &subnet, &gateway)
		if p, err := netip.ParsePrefix(subnet); err == nil {
			n.Subnet = p
		}
		n.Gateway = l.addr(gateway)
		place[n.ID] = len(list)
		list = append(list, n)
	})
	var id, a, b, c string
	l.each(`SELECT network, address FROM network_dns WHERE site = ? ORDER BY network, pos`, func(scan func(...any)) {
		scan(&id, &a)
		n := &list[place[id]]
		n.DNS = append(n.DNS, l.addr(a))
	})
	l.each(`SELECT network, low, high FROM ranges WHERE site = ? ORDER BY network, pos`, func(scan func(...any)) {
		scan(&id, &a, &b)
		n := &list[place[id]]
		n.Ranges = append(n.Ranges, site.Range{From: l.addr(a), To: l.addr(b)})
	})
	l.each(`SELECT network, name, low, high FROM bands WHERE site = ? ORDER BY network, pos`, func(scan func(...any)) {
		scan(&id, &c, &a, &b)
		n := &list[place[id]]
		n.Bands = append(n.Bands, site.Band{Name: c, From: l.addr(a), To: l.addr(b)})
	})
	l.each(`SELECT network, band, kind FROM band_kinds WHERE site = ? ORDER BY network, band, pos`, func(scan func(...any)) {
		var band int
		scan(&id, &band, &a)
		bands := list[place[id]].Bands
		bands[band].Kinds = append(bands[band].Kinds, a)
	})
	l.each(`SELECT network, low, high, why FROM keep_free WHERE site = ? ORDER BY network, pos`, func(scan func(...any)) {
		scan(&id, &a, &b, &c)
		n := &list[place[id]]
		n.KeepFree = append(n.KeepFree, site.KeepFree{From: l.addr(a), To: l.addr(b), Why: c})
	})
	l.each(`SELECT network, address, offers, gateway, lease, at FROM dhcp_servers WHERE site = ? ORDER BY network, pos`, func(scan func(...any)) {
		var v site.DHCPServer
		scan(&id, &a, &b, &c, &v.Lease, &v.At)
		v.Address, v.Offers, v.Gateway = l.addr(a), l.addr(b), l.addr(c)
		n := &list[place[id]]
		n.Servers = append(n.Servers, v)
	})
	return list
}

func (l *loader) routers() (list []site.Router) {
	place := map[string]int{}
	l.each(`SELECT id, name, network, upstream, wan_address, wan_kind, wan_name, upnp, ports_per_line, renumber, limits_sender,
		lines, reserves, reservation_lines FROM routers WHERE site = ? ORDER BY pos`, func(scan func(...any)) {
		var r site.Router
		var upstream sql.NullString
		var wan string
		f := &r.Form
		scan(&r.ID, &r.Name, &r.Network, &upstream, &wan, &r.WAN.Kind, &r.WAN.Name, &r.UPnP, &f.PortsPerLine, &f.Renumber, &f.LimitsSender,
			&f.Lines, &f.Reserves, &f.ReservationLines)
		r.Upstream, r.WAN.Address = upstream.String, l.addr(wan)
		place[r.ID] = len(list)
		list = append(list, r)
	})
	var id, a, b, c string
	l.each(`SELECT router, protocol FROM form_protocols WHERE site = ? ORDER BY router, pos`, func(scan func(...any)) {
		scan(&id, &a)
		f := &list[place[id]].Form
		f.Protocols = append(f.Protocols, site.Protocol(a))
	})
	l.each(`SELECT router, protocol, ports, why FROM own_ports WHERE site = ? ORDER BY router, pos`, func(scan func(...any)) {
		scan(&id, &a, &b, &c)
		r := &list[place[id]]
		r.OwnPorts = append(r.OwnPorts, site.OwnPort{Protocol: site.Protocol(a), Ports: l.ports(b), Why: c})
	})
	return list
}

func (l *loader) devices() (list []site.Device) {
	place := map[string]int{}
	l.each(`SELECT id, name, kind, place, rank, accepted FROM devices WHERE site = ? ORDER BY pos`, func(scan func(...any)) {
		var d site.Device
		scan(&d.ID, &d.Name, &d.Kind, &d.Place, &d.Rank, &d.Accepted)
		place[d.ID] = len(list)
		list = append(list, d)
	})
	ifaces := map[string]*site.Interface{}
	l.each(`SELECT i.id, i.device, i.name, i.network, i.mac, i.seen, i.wants, i.pin_address, i.pin_by, i.pin_locked, i.first
		FROM interfaces i WHERE site = ? ORDER BY device, pos`, func(scan func(...any)) {
		var n site.Interface
		var device, mac, seen string
		var address, by sql.NullString
		var locked bool
		scan(&n.ID, &device, &n.Name, &n.Network, &mac, &seen, &n.Wants, &address, &by, &locked, &n.First)
		n.MAC, n.Seen = site.MAC(mac), l.addr(seen)
		if address.Valid {
			n.Pin = &site.Pin{Address: l.addr(address.String), By: by.String, Locked: locked}
		}
		d := &list[place[device]]
		d.Interfaces = append(d.Interfaces, n)
	})
	for i := range list {
		for j := range list[i].Interfaces {
			ifaces[list[i].Interfaces[j].ID] = &list[i].Interfaces[j]
		}
	}
	l.each(`SELECT interface, source, line, at, address, host, state, until FROM evidence WHERE site = ? ORDER BY interface, pos`, func(scan func(...any)) {
		var id, address string
		var e site.Evidence
		scan(&id, &e.Source, &e.Line, &e.At, &address, &e.Host, &e.State, &e.Until)
		e.Address = l.addr(address)
		ifaces[id].Evidence = append(ifaces[id].Evidence, e)
	})
	l.each(`SELECT interface, evidence, name, value FROM traits WHERE site = ? ORDER BY interface, evidence, pos`, func(scan func(...any)) {
		var id string
		var at int
		var t site.Trait
		scan(&id, &at, &t.Name, &t.Value)
		e := &ifaces[id].Evidence[at]
		e.Traits = append(e.Traits, t)
	})
	l.services(list, place)
	return list
}

func (l *loader) services(list []site.Device, place map[string]int) {
	l.each(`SELECT id, device, name, interface, protocol, ports, open_port, open_prefer, open_router
		FROM services WHERE site = ? ORDER BY device, pos`, func(scan func(...any)) {
		var s site.Service
		var device, protocol, ports, prefer string
		var port, router sql.NullString
		scan(&s.ID, &device, &s.Name, &s.Interface, &protocol, &ports, &port, &prefer, &router)
		s.Protocol, s.Ports = site.Protocol(protocol), l.ports(ports)
		if port.Valid {
			s.Open = &site.Open{Port: port.String, Prefer: l.ports(prefer), Router: router.String}
		}
		d := &list[place[device]]
		d.Services = append(d.Services, s)
	})
	services := map[string]*site.Service{}
	for i := range list {
		for j := range list[i].Services {
			services[list[i].Services[j].ID] = &list[i].Services[j]
		}
	}
	var id, a string
	l.each(`SELECT service, sender FROM open_senders WHERE site = ? ORDER BY service, pos`, func(scan func(...any)) {
		scan(&id, &a)
		services[id].Open.From = append(services[id].Open.From, l.sender(a))
	})
	l.each(`SELECT service, ports FROM alternatives WHERE site = ? ORDER BY service, pos`, func(scan func(...any)) {
		scan(&id, &a)
		services[id].CanSetTo = append(services[id].CanSetTo, l.ports(a))
	})
}

func (l *loader) forwards() (list []site.Forward) {
	place := map[string]int{}
	l.each(`SELECT id, name, router, enabled, protocol, outside, target, inside, service, locked FROM forwards WHERE site = ? ORDER BY pos`, func(scan func(...any)) {
		var f site.Forward
		var protocol, outside, inside string
		var service sql.NullString
		scan(&f.ID, &f.Name, &f.Router, &f.Enabled, &protocol, &outside, &f.To, &inside, &service, &f.Locked)
		f.Protocol, f.Outside, f.Inside, f.Service = site.Protocol(protocol), l.ports(outside), l.ports(inside), service.String
		place[f.ID] = len(list)
		list = append(list, f)
	})
	var id, a string
	l.each(`SELECT forward, sender FROM forward_senders WHERE site = ? ORDER BY forward, pos`, func(scan func(...any)) {
		scan(&id, &a)
		f := &list[place[id]]
		f.From = append(f.From, l.sender(a))
	})
	return list
}
