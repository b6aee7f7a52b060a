package wire

import (
	"context"
	"net/netip"
	"slices"
	"time"

	"vestpin/core/site"
)

// The states of somebody who is watched.
const (
	NeverGone = "there"   // answers, and did all the time
	Gone      = "gone"    // answered, and does not now
	CameBack  = "back"    // was gone, and answers again
	Missing   = "missing" // has not answered yet
)

// Back is one who is watched after a restart: the gateway, or a pinned interface. Gone and
// Back are when it went and came back, RFC 3339.
type Back struct {
	Interface string     `json:"interface,omitempty" doc:"Absent for the gateway"`
	Address   netip.Addr `json:"address"`
	State     string     `json:"state" enum:"there,gone,back,missing"`
	Gone      string     `json:"gone,omitempty"`
	Back      string     `json:"back,omitempty"`
	Took      int        `json:"took,omitempty" doc:"How long it was gone, in seconds"`

	since time.Time
	mac   site.MAC
}

// longestWatch is after what time nobody is waited for any more.
const longestWatch = 30 * time.Minute

// Watch looks again and again who answers by ARP: first the gateways, then each pinned
// interface, those that are named in their order and the others in that of the site. It tells
// all of them whenever one changes, and ends when the gateway has gone and come back and all
// others answer, or with the context.
func Watch(ctx context.Context, n Network, v site.View, order []string, report func([]Back)) error {
	links, err := n.Links()
	if err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(ctx, longestWatch)
	defer stop()
	p := &trial{Trial: Trial{Site: v}, net: n, report: func(Trying) {}}
	var all []Back
	on := map[netip.Addr]site.Network{}
	by := map[string]Link{}
	for _, w := range v.Networks {
		i := slices.IndexFunc(links, func(l Link) bool { return AttachedTo(l, w) })
		if i < 0 {
			continue
		}
		by[w.ID] = links[i]
		if w.Gateway.IsValid() {
			all, on[w.Gateway] = append(all, Back{Address: w.Gateway, State: Missing}), w
		}
	}
	for _, d := range v.Devices {
		for _, i := range d.Interfaces {
			w, ok := v.Network(i.Network)
			if _, here := by[i.Network]; ok && here && i.Pin != nil {
				all, on[i.Pin.Address] = append(all, Back{Interface: i.ID, Address: i.Pin.Address, State: Missing, mac: i.MAC}), w
			}
		}
	}
	place := func(b Back) int {
		switch i := slices.Index(order, b.Interface); {
		case b.Interface == "":
			return -1
		case i < 0:
			return len(order)
		default:
			return i
		}
	}
	slices.SortStableFunc(all, func(a, b Back) int { return place(a) - place(b) })
	if len(by) == 0 {
		return &RefusedError{Why: "this computer is attached to no network of the site"}
	}
	report(slices.Clone(all))
	for round := 0; ; round++ {
		there := map[netip.Addr][]site.MAC{}
		for id, l := range by {
			w, _ := v.Network(id)
			var ask []netip.Addr
			for _, b := range all {
				if on[b.Address].ID == id {
					ask = append(ask, b.Address)
				}
			}
			found, err := p.arp(ctx, l, w.Subnet, ask)
			if err != nil {
				return err
			}
			for a, who := range found {
				there[a] = who
			}
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if now := time.Now(); noticed(all, there, round == 0, now) {
			report(slices.Clone(all))
		}
		if allBack(all) {
			return nil
		}
		if err := pause(ctx, 700*time.Millisecond); err != nil {
			return err
		}
	}
}

// noticed puts into all what a look found, and reports whether any changed.
func noticed(all []Back, there map[netip.Addr][]site.MAC, first bool, now time.Time) bool {
	changed := first
	for i := range all {
		b := &all[i]
		who := there[b.Address]
		answers := len(who) > 0 && (b.mac == "" || slices.Contains(who, b.mac))
		before := b.State
		switch {
		case answers && first:
			b.State = NeverGone
		case answers && (b.State == Gone || b.State == Missing):
			b.State, b.Back = CameBack, now.UTC().Format(time.RFC3339)
			if !b.since.IsZero() {
				b.Took = int(now.Sub(b.since).Seconds())
			}
		case !answers && (b.State == NeverGone || b.State == CameBack):
			b.State, b.Gone, b.since, b.Back = Gone, now.UTC().Format(time.RFC3339), now, ""
		}
		changed = changed || b.State != before
	}
	return changed
}

// allBack reports whether the gateways have gone and come back, and nobody is missing.
func allBack(all []Back) bool {
	restarted := false
	for _, b := range all {
		if b.State == Gone || b.State == Missing {
			return false
		}
		restarted = restarted || b.Interface == "" && b.State == CameBack
	}
	return restarted
}
