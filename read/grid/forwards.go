package grid

import (
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// assignPorts finds the columns of a list of port forwards.
func assignPorts(columns []column, roles []Role, sure bool) {
	porty := func(c column) bool {
		return c.share(isNumber|isPorts|isNothing) > 0.6 && c.count(isNumber|isPorts) > 0
	}
	anyHead := false
	for i, c := range columns {
		if roles[i] != None || c.filled == 0 {
			continue
		}
		switch {
		case c.share(isProtocolPort) > 0.5:
			roles[i] = Service
		case c.share(isProtocol) > 0.6 && !c.says(Name, DeviceName):
			roles[i] = Protocol
		case porty(c) && c.says(OutsideEnd):
			roles[i] = OutsideEnd
		case porty(c) && c.says(InsideEnd):
			roles[i] = InsideEnd
		case porty(c) && c.says(Outside):
			roles[i], anyHead = Outside, true
		case porty(c) && c.says(Inside):
			roles[i], anyHead = Inside, true
		case porty(c) && c.says(Port):
			roles[i], anyHead = Port, true
		case c.says(Sender):
			roles[i] = Sender
		case c.says(Enabled), c.says(State) && c.share(isYes|isNo) > 0.6:
			roles[i] = Enabled
		}
	}
	if anyHead || !slices.Contains(roles, Protocol) && !sure {
		return
	}
	// Without headings the first ports are the outside ones.
	for i, c := range columns {
		if roles[i] != None || c.filled == 0 || !porty(c) || c.headed && len(c.head) > 0 && !c.says(Range) {
			continue
		}
		switch {
		case !slices.Contains(roles, Outside):
			roles[i] = Outside
		case !slices.Contains(roles, Inside):
			roles[i] = Inside
		}
	}
}

// Forward is what a row says of a port forward: one line of a router's page as it stands.
type Forward struct {
	Line            int
	Name            string
	Protocol        site.Protocol
	Outside, Inside span.Ports
	Address         netip.Addr
	From            []string
	Enabled         bool
}

// Forward gives what a row says of a port forward; false where it is none that can be
// understood.
func (r Reading) Forward(row Row) (Forward, bool) {
	f := Forward{Line: row.Line, Protocol: site.Both, Enabled: true}
	text := map[Role]string{}
	for c, role := range r.Roles {
		if t := strings.TrimSpace(r.splits[c].cell(row)); t != "" && text[role] == "" {
			text[role] = t
		}
	}
	to := text[Target]
	if to == "" {
		to = text[Address] + text[ReservedAddr]
	}
	var ok bool
	if f.Address, ok = AddressIn(to); !ok {
		return f, false
	}
	f.Name = text[Name]
	if f.Name == "" {
		f.Name = text[Note]
	}
	if sortOf(f.Name)&isNothing != 0 {
		f.Name = ""
	}
	if p, ok := protocolIn(text[Protocol]); ok {
		f.Protocol = p
	} else if text[Protocol] != "" {
		return f, false
	}
	outside, inside := text[Outside], text[Inside]
	if text[OutsideEnd] != "" && outside != "" && text[OutsideEnd] != outside {
		outside += "-" + text[OutsideEnd]
	}
	if text[InsideEnd] != "" && inside != "" && text[InsideEnd] != inside {
		inside += "-" + text[InsideEnd]
	}
	if outside == "" {
		outside = text[Port]
	} else if inside == "" {
		inside = text[Port]
	}
	if m := protocolPort.FindStringSubmatch(text[Service]); m != nil {
		if p, ok := protocolIn(m[1] + m[4]); ok {
			f.Protocol = p
		}
		if outside == "" {
			outside = m[2] + m[3]
		}
	}
	if outside == "" {
		outside = inside
	}
	if inside == "" {
		inside = portAfter(to)
	}
	if outside == "" {
		outside = inside
	}
	if f.Outside, ok = ports(outside); !ok {
		return f, false
	}
	f.Inside = f.Outside
	if inside != "" && sortOf(inside)&isNothing == 0 {
		if f.Inside, ok = ports(inside); !ok {
			return f, false
		}
		if one, single := f.Inside.Single(); single && f.Outside.Len() > 1 {
			f.Inside = span.PortList(span.Run{Lo: uint32(one), Hi: uint32(one + f.Outside.Len() - 1)})
		}
	}
	if s := text[Sender]; s != "" && sortOf(s)&(isNothing|isProtocol) == 0 && s != "0.0.0.0" && s != "0.0.0.0/0" {
		f.From = strings.FieldsFunc(s, func(c rune) bool { return c == ',' || c == ' ' || c == ';' })
	}
	for _, role := range []Role{Enabled, State} {
		if sortOf(text[role])&isNo != 0 {
			f.Enabled = false
		}
	}
	return f, true
}

func ports(text string) (span.Ports, bool) {
	p, err := span.ParsePorts(strings.NewReplacer(":", "-", "~", "-", " ", "").Replace(text))
	return p, err == nil
}

// protocolIn reads how pages write the protocols.
func protocolIn(text string) (site.Protocol, bool) {
	low := strings.ToLower(text)
	tcp, udp := strings.Contains(low, "tcp"), strings.Contains(low, "udp")
	switch {
	case tcp && !udp || low == "6":
		return site.TCP, true
	case udp && !tcp || low == "17":
		return site.UDP, true
	case tcp && udp, sortOf(text)&(isProtocol|isNothing) != 0 && text != "":
		return site.Both, true
	}
	return "", false
}
