package store

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
	"vestpin/core/strict"
)

func ports(n int) span.Ports { return span.Port(n) }

// full is a site that has something in every list, which TestFullIsFull holds it to.
func full() site.Site {
	a := netip.MustParseAddr
	sender, _ := site.ParseSender("198.51.100.0/24")
	return site.Site{
		Name: "Saltmarsh Pottery",
		Networks: []site.Network{{
			ID: "main", Name: "Main", Subnet: netip.MustParsePrefix("10.48.16.0/24"), Gateway: a("10.48.16.1"), DNS: []netip.Addr{a("10.48.16.1"), a("192.0.2.53")},
			Ranges:   []site.Range{{From: a("10.48.16.100"), To: a("10.48.16.179")}},
			Bands:    []site.Band{{Name: "cameras", From: a("10.48.16.20"), To: a("10.48.16.39"), Kinds: []string{"camera", "recorder"}}},
			KeepFree: []site.KeepFree{{From: a("10.48.16.240"), To: a("10.48.16.254"), Why: "lift"}},
			Servers:  []site.DHCPServer{{Address: a("10.48.16.1"), Offers: a("10.48.16.120"), Gateway: a("10.48.16.1"), Lease: 86400, At: "2026-11-23T09:00:00Z"}},
			Crowds:   []site.Crowd{{MAC: "00:00:5e:00:53:66", Address: a("10.48.16.66"), Left: 7, At: "2026-11-23T09:00:00Z"}},
		}, {ID: "phones", Subnet: netip.MustParsePrefix("10.48.17.0/24")}},
		Routers: []site.Router{
			{ID: "inner", Network: "main", Upstream: "edge", WAN: site.WAN{Kind: "unknown"}, UPnP: "off", Form: site.Form{PortsPerLine: "one", Renumber: "one", LimitsSender: "no", Reserves: "no"}},
			{ID: "edge", Network: "main", Networks: []string{"main", "phones"}, ExposedHost: "rec.0", WAN: site.WAN{Address: a("203.0.113.47"), Kind: "dynamic", Name: "studio.example.net"}, UPnP: "on",
				OwnPorts: []site.OwnPort{{Protocol: "tcp", Ports: ports(443), Why: "page"}},
				Form: site.Form{PortsPerLine: "range", Renumber: "one", Protocols: []site.Protocol{"tcp", "udp"}, LimitsSender: "no", Lines: 16, Reserves: "anywhere",
					Separator: ":", SameIsBlank: true, Refuses: ports(25),
					Fields:            []site.FormField{{Is: "fixed", Label: "Kind", Part: "service", Max: 9, Alphabet: "word", Says: map[string]string{"both": "TCP & UDP"}, Anyone: "*", Value: "Custom"}},
					ReservationFields: []site.FormField{{Is: "name", Label: "Name", Part: "rule", Max: 9, Alphabet: "ascii", Says: map[string]string{"x": "y"}, Anyone: "*", Value: "v"}}}},
		},
		Devices: []site.Device{
			{ID: "z", Name: "a \"quoted\"\nname", Kind: "camera", Place: "yard", Rank: 2, Accepted: true, Interfaces: []site.Interface{{ID: "z.0", Name: "wired", Network: "main", MAC: "00:00:5e:00:53:01", Wants: "auto",
				Evidence: []site.Evidence{{Source: "sweep", Traits: []site.Trait{{Name: "port", Value: "80/tcp"}, {Name: "title", Value: "Lens"}}}}}},
				Services: []site.Service{{ID: "z.web", Interface: "z.0", Protocol: "tcp", Ports: ports(80), CanSetTo: []span.Ports{ports(81)}, Claims: ports(8081), Open: &site.Open{Port: "same", From: []site.Sender{sender}}}}},
			{ID: "rec", Name: "Recorder", Interfaces: []site.Interface{{
				ID: "rec.0", Network: "main", Seen: a("10.48.16.112"), Wants: "pin", Pin: &site.Pin{Address: a("10.48.16.20"), By: "both", Locked: true}, First: "2026-11-22T09:00:00Z",
				Evidence: []site.Evidence{{Source: "leases", Line: 3, At: "2026-11-23T09:38:12Z", Address: a("10.48.16.112"), Host: "rec", State: "lease", Until: "2026-11-24T09:38:12Z"}},
			}}, Services: []site.Service{{
				ID: "rec.web", Name: "page", Interface: "rec.0", Protocol: "tcp", Ports: ports(80), CanSetTo: []span.Ports{ports(81)},
				Open: &site.Open{Port: "any", Prefer: ports(8020), From: []site.Sender{sender}, Router: "edge"},
			}}},
		},
		Forwards: []site.Forward{{ID: "f1", Name: "Recorder", Router: "edge", Enabled: true, Protocol: "tcp", Outside: ports(8020), To: "rec.0", Inside: ports(80), From: []site.Sender{sender}, Service: "rec.web", Locked: true}},
		Done:     []site.Done{{Step: "reserve:rec.0", At: "2026-11-23T09:42:00Z", Values: "IP 10.48.16.20"}},
		Proofs: []site.Proof{{ID: "p1", At: "2026-11-23T10:00:00Z", Visit: "v1", From: "both", Notes: []string{"slow"},
			Router:     site.ProofRouter{Answers: true, Told: []site.ToldOutside{{Address: a("203.0.113.47"), By: "stun"}}, Hops: []netip.Addr{a("10.48.16.1")}, Mappings: []site.HeldForward{{Name: "x", Protocol: site.TCP, Outside: span.Port(80), Address: a("10.48.16.20"), Inside: span.Port(81), From: []string{"198.51.100.7"}, Enabled: true, Line: 2}}, Speaks: []string{"upnp"}, Keys: []string{"router"}, Control: "silent", Gateways: []site.ProofGateway{{Network: "main", MAC: "00:00:5e:00:53:01"}}},
			Name:       site.ProofName{Name: "studio.example.net", Points: []netip.Addr{a("203.0.113.47")}, Own: []netip.Addr{a("203.0.113.47")}, TTL: 60, Why: "x", Absent: true, Since: "2026-11-20T09:00:00Z"},
			Interfaces: []site.ProofThere{{Interface: "rec.0", Planned: a("10.48.16.20"), Answers: "no", MAC: "00:00:5e:00:53:21", Found: a("10.48.16.112"), Why: "x"}},
			Services:   []site.ProofHeard{{Service: "rec.web", Inside: site.Heard{Result: "answers", Says: "x", MS: 3, By: "here", At: netip.MustParseAddrPort("10.48.16.20:80"), Key: "k", When: "2026-11-23T10:00:00Z"}, Outside: site.Heard{Result: "silent", Says: "x", MS: 9, By: "afar", At: netip.MustParseAddrPort("203.0.113.47:8020"), Key: "k", When: "2026-11-23T10:00:00Z"}, Stray: 8002, AsksFor: a("10.48.16.254"), StoodIn: "lost"}}}},
		Visits: []site.Visit{{ID: "v1", From: "2026-11-23T09:00:00Z", Until: "2026-11-23T12:00:00Z", Note: "first", Seen: []site.SeenThen{{Interface: "rec.0", MAC: "00:00:5e:00:53:21", Address: a("10.48.16.112"), Host: "rec"}}}},
		Makers: []site.Maker{{Prefix: "00:00:5e:00:53", Name: "Larkbridge"}},
		Links: []site.Link{
			{ID: "l1", Name: "picture", End: site.Listens, Service: "rec.web", Far: site.Far{Site: "farm", Name: "Farm office"}},
			{ID: "l2", Name: "sound", End: site.Calls, Interface: "rec.0", Far: site.Far{Name: "Hall", Dial: "hall.example.net:7001"}},
		},
		Kinds: []site.Kind{{ID: "kiln", Name: "kiln", Also: []string{"oven"}, Words: "kiln|oven", WordsWeigh: 3, Traits: []site.KindTrait{{Trait: "title", Is: "kiln", Weight: 2}},
			Purposes: []site.Purpose{{ID: "watch", Name: "watch it", Services: []string{"page"}, Optional: []string{"page"}}},
			Services: []site.KindService{{ID: "page", Name: "web page", Protocol: site.TCP, Ports: ports(80), Open: "same", CanSetTo: []span.Ports{ports(81)}, Risk: "plain", Check: "http", Address: "http://{host}:{port}/", Tells: []string{"outside-port"},
				Interface: "control", Optional: true, Listens: true, Helps: "udp", HelpsWith: "sound", What: "a kiln"}}}},
	}.Whole()
}

// A field that is added to the site must be added to full, or what loses it is not found.
func TestFullIsFull(t *testing.T) {
	filled := map[string]bool{}
	var look func(path string, v reflect.Value)
	look = func(path string, v reflect.Value) {
		if _, text := v.Interface().(interface{ MarshalText() ([]byte, error) }); text {
			filled[path] = filled[path] || !v.IsZero()
			return
		}
		switch v.Kind() {
		case reflect.Pointer:
			if !v.IsNil() {
				look(path, v.Elem())
			}
		case reflect.Slice:
			filled[path] = filled[path] || v.Len() > 0
			for i := range v.Len() {
				look(path, v.Index(i))
			}
		case reflect.Struct:
			for i := range v.NumField() {
				look(path+"."+v.Type().Field(i).Name, v.Field(i))
			}
		default:
			filled[path] = filled[path] || !v.IsZero()
		}
	}
	look("Site", reflect.ValueOf(full()))
	for path, is := range filled {
		if !is && path != "Site.Routers.Form.ReservationLines" && path != "Site.Routers.Name" {
			t.Errorf("%s is empty everywhere in the site that has everything", path)
		}
	}
}

func open(t *testing.T, path string) *Store {
	t.Helper()
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

var bg = context.Background()

func editAs(s *Store, id string, version int, who, title string, edits []edit.Edit) (Stored, error) {
	st, _, err := s.Edit(bg, id, Change{Version: version, Who: who, Title: title, Edits: edits})
	return st, err
}

func rename(text string) []edit.Edit { return []edit.Edit{edit.RenameSite{Name: text}} }

func TestSiteComesBackWhole(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a file with spaces?.db")
	st, err := open(t, path).Create(bg, "pottery", full())
	if err != nil {
		t.Fatal(err)
	}
	again, err := open(t, path).Get(bg, st.ID)
	if err != nil || !reflect.DeepEqual(again.Site, full()) {
		t.Errorf("%v\ngot  %+v\nwant %+v", err, again.Site, full())
	}
}

// randomBatch makes edits of any verb that fit the site, most of the time; joined
// and split devices among them.
func randomBatch(r *rand.Rand, s site.Site) []edit.Edit {
	able := attached(s)
	d, o := able[r.IntN(len(able))], able[r.IntN(len(able))]
	name, n := fmt.Sprint("name ", r.IntN(1000)), fmt.Sprintf("n%d", r.IntN(30))
	var at *int
	if place := r.IntN(3); r.IntN(2) == 0 {
		at = &place
	}
	a := netip.AddrFrom4([4]byte{10, 48, 16, byte(1 + r.IntN(250))})
	iface := d.Interfaces[r.IntN(len(d.Interfaces))]
	evidence := []site.Evidence{{Source: name, Address: a, Traits: []site.Trait{{Name: "port", Value: n}}}}
	sender, _ := site.ParseSender(fmt.Sprintf("192.0.2.%d", r.IntN(255)))
	open := &site.Open{Port: "any", From: []site.Sender{sender}}
	service := site.Service{ID: n + ".s", Interface: iface.ID, Protocol: "udp", Ports: ports(1 + r.IntN(9)), Open: open, CanSetTo: []span.Ports{ports(70)}}
	if len(d.Services) > 0 && r.IntN(2) == 0 {
		service.ID = d.Services[0].ID
	}
	put := iface
	put.Evidence, put.Name = append(evidence, iface.Evidence...), name
	network, router, visit := s.Networks[0], s.Routers[len(s.Routers)-1], s.Visits
	proof := fmt.Sprint("p", r.IntN(3))
	network.Name, router.Name = name, name
	network.Servers = append(slices.Clone(network.Servers), site.DHCPServer{Address: a, At: name})[:min(9, 1+len(network.Servers))]
	forward := n
	if len(s.Forwards) > 0 {
		forward = s.Forwards[r.IntN(len(s.Forwards))].ID
	}
	choices := [][]edit.Edit{
		{edit.RenameSite{Name: name}}, {edit.PutNetwork{Network: network, At: at}}, {edit.PutRouter{Router: router, At: at}},
		{edit.PutNetwork{Network: site.Network{ID: n, Subnet: network.Subnet}, At: at}}, {edit.RemoveNetwork{ID: n}},
		{edit.PutRouter{Router: site.Router{ID: n, Network: "main", UPnP: "off"}, At: at}}, {edit.RemoveRouter{ID: n}},
		{edit.PutDevice{At: at, Device: site.Device{ID: n, Name: name, Interfaces: []site.Interface{{ID: n + ".0", Network: "main", Wants: "auto", Evidence: evidence}, {ID: n + ".1", Network: "main", Wants: "auto"}},
			Services: []site.Service{{ID: n + ".t", Interface: n + ".1", Protocol: "udp", Ports: ports(7), Open: open, CanSetTo: []span.Ports{ports(71)}}}}}},
		{edit.RemoveDevice{ID: d.ID}}, {edit.Describe{ID: d.ID, Name: &name, Place: &n}},
		{edit.PutInterface{ID: d.ID, Interface: put, At: at}}, {edit.RemoveInterface{ID: iface.ID}},
		{edit.PutService{ID: d.ID, Service: service, At: at}}, {edit.RemoveService{ID: service.ID}},
		{edit.SetPin{ID: iface.ID, Pin: &site.Pin{Address: a, By: "device"}}}, {edit.SetPin{ID: iface.ID}}, {edit.SetWants{ID: iface.ID, Wants: "pin"}},
		{edit.SetOpen{ID: service.ID, Open: open}}, {edit.SetOpen{ID: service.ID}},
		{edit.PutForward{At: at, Forward: site.Forward{ID: n, Router: "edge", Protocol: "tcp", Outside: ports(1 + r.IntN(99)), To: iface.ID, From: open.From}}}, {edit.RemoveForward{ID: forward}},
		{edit.Tick{ID: "step:" + d.ID, Done: &site.Done{At: name}, At: at}}, {edit.Tick{ID: "step:" + d.ID}},
		{edit.PutVisit{Visit: site.Visit{ID: n, From: name, Seen: []site.SeenThen{{Interface: iface.ID, Host: name}}}, At: at}}, {edit.RemoveVisit{ID: visit[r.IntN(len(visit))].ID}},
		{edit.PutProof{Proof: site.Proof{ID: proof, At: name, From: "inside", Services: []site.ProofHeard{{Service: service.ID, Inside: site.Heard{Result: site.HeardSilent}, Outside: site.Heard{Result: site.Untried}}}}, At: at}}, {edit.RemoveProof{ID: proof}},
		{edit.PatchHeld{ID: "edge", Add: []site.HeldForward{{Name: name, Protocol: "tcp", Outside: ports(1 + r.IntN(99)), Address: a, Enabled: true}}}},
		{edit.SetLinks{Links: []site.Link{{ID: n, Name: name, End: site.Calls, Interface: iface.ID, Far: site.Far{Dial: "far.example:7001"}}}}},
		{edit.SetKinds{Kinds: []site.Kind{{ID: n, Name: name}}}},
		{edit.SetMakers{Makers: []site.Maker{{Prefix: fmt.Sprintf("%06x", r.IntN(999)), Name: name}, {Prefix: "0", Name: n}}[r.IntN(2):]}},
		sighting.Split(s, d, iface.ID), sighting.Split(s, o, o.Interfaces[0].ID),
	}
	if d.ID != o.ID {
		choices = append(choices, sighting.Join(d, o), sighting.Join(o, d), sighting.Join(d, o), sighting.HandOver(site.NewView(s), site.Placed{Device: &d, Interface: &iface}, site.Placed{Device: &o, Interface: &o.Interfaces[0]}))
	}
	return choices[r.IntN(len(choices))]
}

func attached(s site.Site) []site.Device {
	return slices.DeleteFunc(slices.Clone(s.Devices), func(d site.Device) bool { return len(d.Interfaces) == 0 })
}

// What a program started anew reads is what was acknowledged, after every batch of
// whatever edits; undone to the start and redone to the end, each state comes back.
func TestWhatWasAcknowledgedStays(t *testing.T) {
	verbs := map[edit.Verb]int{}
	joins := 0
	for seed := range uint64(6) {
		path := filepath.Join(t.TempDir(), "v.db")
		s := open(t, path)
		st, err := s.Create(bg, "p", full())
		if err != nil {
			t.Fatal(err)
		}
		r := rand.New(rand.NewPCG(seed, 1))
		states := []site.Site{st.Site}
		same := func(what string, want site.Site) {
			t.Helper()
			if again, err := load(bg, s.read, "p"); err != nil || !reflect.DeepEqual(again.Site, want) || !reflect.DeepEqual(st.Site, want) {
				t.Fatalf("seed %d, %s: %v\ngot\n%s\nwant\n%s", seed, what, err, sitefile.Write(again.Site), sitefile.Write(want))
			}
		}
		for len(states) < 150 {
			batch := randomBatch(r, st.Site)
			if r.IntN(3) == 0 {
				batch = slices.Concat(batch, randomBatch(r, st.Site))
			}
			next, err := editAs(s, st.ID, st.Version, "test", "", batch)
			var refused *strict.Refusal
			if errors.As(err, &refused) || len(batch) == 0 || len(attached(next.Site)) == 0 || len(next.Site.Visits) == 0 {
				if err == nil {
					if st, err = s.Undo(bg, st.ID, Turn{Version: next.Version}); err != nil {
						t.Fatal(err)
					}
				}
				continue
			}
			if err != nil {
				t.Fatal(err)
			}
			for _, e := range batch {
				verbs[e.Verb()]++
			}
			if moves(batch, nil) || len(batch) == 2 && batch[0].Verb() == "remove-device" {
				joins++
			}
			st = next
			states = append(states, st.Site)
			same(fmt.Sprintf("after %s", marshal(batch)), st.Site)
		}
		for i := len(states) - 2; i >= 0; i-- {
			if i%10 == 0 {
				s = open(t, path)
			}
			if st, err = s.Undo(bg, st.ID, Turn{Version: st.Version}); err != nil {
				t.Fatal(err)
			}
			same("undone", states[i])
		}
		if _, err := s.Undo(bg, st.ID, Turn{Version: st.Version}); !errors.Is(err, ErrNothing) {
			t.Errorf("undo past the beginning: %v", err)
		}
		for i := 1; i < len(states); i++ {
			if st, err = s.Redo(bg, st.ID, Turn{Version: st.Version}); err != nil {
				t.Fatal(err)
			}
			same("redone", states[i])
		}
	}
	if len(verbs) < len(edit.Each) || joins < 20 {
		t.Errorf("%d joined or handed over; only these verbs were taken: %v", joins, verbs)
	}
}

func marshal(v any) string {
	data, _ := json.Marshal(v)
	return string(data)
}

// Edits of two windows go one on top of the other where they overwrite nothing in
// common, and are refused with what was done where they do.
func TestTwoWindows(t *testing.T) {
	pin := func(last byte) edit.Edit {
		return edit.SetPin{ID: "rec.0", Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 48, 16, last}), By: "reservation"}}
	}
	name, place := "Gallery recorder", "office"
	old := full().Devices[1]
	old.Interfaces = slices.Clone(old.Interfaces)
	old.Interfaces[0].Pin = nil // a preview of before anything was pinned
	router := full().Routers[1]
	router.UPnP = "off"
	gone := edit.RemoveDevice{ID: "rec"}
	joined := full().Devices[1]
	joined.Interfaces = append(slices.Clone(joined.Interfaces), site.Interface{ID: "rec.1", Network: "main"})
	swept := full().Devices[1] // only evidence is new
	swept.Interfaces = slices.Clone(swept.Interfaces)
	swept.Interfaces[0].Evidence = append([]site.Evidence{{Source: "sweep"}}, swept.Interfaces[0].Evidence...)
	for what, c := range map[string]struct {
		first, second edit.Edit
		merges        bool
	}{
		"name and place":             {edit.Describe{ID: "rec", Name: &name}, edit.Describe{ID: "rec", Place: &place}, true},
		"name and name":              {edit.Describe{ID: "rec", Name: &name}, edit.Describe{ID: "rec", Name: &place}, false},
		"pin and name":               {pin(30), edit.Describe{ID: "rec", Name: &name}, true},
		"a sweep, a name":            {edit.PutDevice{Device: swept}, edit.Describe{ID: "rec", Name: &name}, true},
		"a sweep, a pin":             {edit.PutDevice{Device: swept}, pin(31), true},
		"a name, a sweep before it":  {edit.Describe{ID: "rec", Name: &name}, edit.PutDevice{Device: swept}, false},
		"joined, the device before":  {edit.PutDevice{Device: joined}, edit.PutDevice{Device: full().Devices[1]}, false},
		"joined, a name":             {edit.PutDevice{Device: joined}, edit.Describe{ID: "rec", Name: &name}, true},
		"pin and pin":                {pin(30), pin(31), false},
		"a newer pin, an old device": {pin(30), edit.PutDevice{Device: old}, false},
		"a new device, a pin":        {edit.PutDevice{Device: site.Device{ID: "new"}}, pin(31), true},
		"a removed device, its pin":  {gone, pin(31), false},
		"a pin, its device removed":  {pin(30), gone, false},
		"a forward, its device gone": {edit.PutForward{Forward: site.Forward{ID: "f2", Router: "edge", Protocol: "tcp", Outside: ports(81), To: "rec.0"}}, gone, false},
		"router and router":          {edit.PutRouter{Router: router}, edit.PutRouter{Router: full().Routers[1]}, false},
		"open and its service":       {edit.SetOpen{ID: "rec.web"}, edit.PutService{ID: "rec", Service: full().Devices[1].Services[0]}, false},
	} {
		s := open(t, filepath.Join(t.TempDir(), "v.db"))
		st, err := s.Create(bg, "p", full())
		if err != nil {
			t.Fatal(err)
		}
		if _, _, err := s.Edit(bg, "p", Change{Version: 1, Window: "a", Edits: []edit.Edit{c.first}}); err != nil {
			t.Fatal(what, err)
		}
		both, over, err := s.Edit(bg, "p", Change{Version: 1, Window: "b", Edits: []edit.Edit{c.second}})
		var stale *StaleError
		if c.merges {
			want, _, _ := edit.Apply(st.Site, []edit.Edit{c.first, c.second})
			if err != nil || len(over.Over) != 1 || !reflect.DeepEqual(both.Site, want) {
				t.Errorf("%s: %v, over %v", what, err, over)
			}
		} else if !errors.As(err, &stale) || len(stale.Meanwhile) != 1 || stale.Over == "" {
			t.Errorf("%s: got %v", what, err)
		}
		// What one window does in a row never stands in its own way.
		if _, _, err := s.Edit(bg, "p", Change{Version: 1, Window: "a", Edits: []edit.Edit{c.first}}); err != nil && !c.merges && what != "a removed device, its pin" {
			t.Errorf("%s, again by the same window: %v", what, err)
		}
	}
}

// Undo takes back the entry that is named, on top of what was done since, or says
// why not.
func TestUndoOfAnEntry(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	first, err := editAs(s, "p", 1, "", "", []edit.Edit{edit.SetPin{ID: "rec.0"}})
	if err != nil {
		t.Fatal(err)
	}
	name := "x"
	second, err := editAs(s, "p", 2, "", "", []edit.Edit{edit.Describe{ID: "rec", Name: &name}})
	if err != nil {
		t.Fatal(err)
	}
	back, err := s.Undo(bg, "p", Turn{Seq: first.UndoSeq})
	if err != nil || back.Site.Devices[1].Name != "x" || back.Site.Devices[1].Interfaces[0].Pin == nil || back.Undo != "take back: "+first.Undo {
		t.Errorf("the first of two: %v, undo %q", err, back.Undo)
	}
	var stale *StaleError
	if _, err := s.Undo(bg, "p", Turn{Seq: first.UndoSeq}); !errors.As(err, &stale) || len(stale.Meanwhile) != 1 {
		t.Errorf("what was taken back already: %v", err)
	}
	if _, err := s.Undo(bg, "p", Turn{Seq: second.UndoSeq}); err != nil {
		t.Errorf("the second of them: %v", err)
	}
	for range 4 {
		if st, err = s.Get(bg, "p"); err == nil {
			st, err = s.Undo(bg, "p", Turn{Version: st.Version})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if !reflect.DeepEqual(st.Site, full()) {
		t.Errorf("undone to the start: %s", sitefile.Write(st.Site))
	}
	if _, err := s.Redo(bg, "p", Turn{Seq: 99}); !errors.As(err, &stale) {
		t.Errorf("redo of another entry: %v", err)
	}
}

// The database is removed, or replaced, while the program runs: nothing is said to
// be saved, and all that was is written to a new file.
func TestFileRemovedUnderTheProgram(t *testing.T) {
	for _, replaced := range []bool{false, true} {
		path := filepath.Join(t.TempDir(), "v.db")
		s := open(t, path)
		if _, err := s.Create(bg, "p", full()); err != nil {
			t.Fatal(err)
		}
		if info, _ := os.Stat(path); info.Mode().Perm() != 0o600 {
			t.Errorf("the file is %v", info.Mode())
		}
		kept, err := editAs(s, "p", 1, "", "", rename("kept"))
		if err != nil {
			t.Fatal(err)
		}
		os.Remove(path)
		if replaced {
			open(t, path)
		}
		if _, err := editAs(s, "p", 2, "", "", rename("lost")); !errors.Is(err, ErrGone) || !errors.Is(err, ErrCannotSave) {
			t.Fatalf("an edit: %v", err)
		}
		if _, err := s.List(bg); !errors.Is(err, ErrGone) {
			t.Errorf("the list: %v", err)
		}
		var wg sync.WaitGroup
		var done atomic.Int32
		var fresh string
		for range 3 { // from three windows at once
			wg.Go(func() {
				r, err := s.Rescue(bg)
				if err == nil && r.Missing == "" && done.Add(1) == 1 {
					fresh = r.Path
				} else if !errors.Is(err, ErrNotGone) {
					t.Errorf("%+v %v", r, err)
				}
			})
		}
		wg.Wait()
		if done.Load() != 1 || (fresh == path) == replaced {
			t.Fatalf("rescued %d times, to %s", done.Load(), fresh)
		}
		got, err := open(t, fresh).Get(bg, "p")
		if err != nil || !reflect.DeepEqual(got.Site, kept.Site) {
			t.Errorf("rescued: %v", err)
		}
		if _, err := editAs(s, "p", 2, "", "", rename("goes on")); err != nil {
			t.Errorf("after that: %v", err)
		}
		if _, err := s.Rescue(bg); !errors.Is(err, ErrNotGone) {
			t.Errorf("nothing was to be rescued: %v", err)
		}
	}
}

// Where the old file cannot be read any more, what memory has is written, and what
// may be missing is told.
func TestRescueOfWhatIsLeft(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	s := open(t, path)
	if _, err := s.Create(bg, "p", full()); err != nil {
		t.Fatal(err)
	}
	os.Remove(path)
	s.write.Close()
	r, err := s.Rescue(bg)
	if err != nil || !strings.Contains(r.Missing, "not looked at") {
		t.Fatalf("%+v %v", r, err)
	}
	if got, err := open(t, path).Get(bg, "p"); err != nil || !reflect.DeepEqual(got.Site, full()) || got.Notice == "" {
		t.Errorf("%v, told %q", err, got.Notice)
	}
}

// A site that cannot be read is listed, exported as it stands, and removed; the
// others are not touched by it.
func TestDamagedSite(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	s := open(t, path)
	for range 2 {
		if _, err := s.Create(bg, "p", full()); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.write.Exec(`UPDATE parts SET body = '{"id":"rec","colour":"red"}' WHERE site = 'p' AND key = 'device:rec'`); err != nil {
		t.Fatal(err)
	}
	s = open(t, path)
	all, err := s.List(bg)
	if err != nil || len(all) != 2 || (all[0].Damaged == nil) == (all[1].Damaged == nil) {
		t.Fatalf("%v %+v", err, all)
	}
	var damaged *DamagedError
	if _, err := s.Get(bg, "p"); !errors.As(err, &damaged) || !strings.Contains(err.Error(), "colour") {
		t.Errorf("got %v", err)
	}
	if _, file, err := s.Export(bg, "p"); err != nil || !strings.Contains(string(file), `"colour": "red"`) || !strings.Contains(string(file), "Larkbridge") {
		t.Errorf("%v %s", err, file)
	}
	if err := s.Remove(bg, "p"); err != nil {
		t.Fatal(err)
	}
	if err := s.Remove(bg, "p"); !errors.Is(err, ErrNoSite) {
		t.Errorf("removed twice: %v", err)
	}
	if err := s.Forget(bg, "p"); err != nil {
		t.Fatal(err)
	}
	other := full()
	other.Name = "another of the same id"
	if st, err := s.Create(bg, "p", other); err != nil || st.ID != "p" || st.Site.Name != other.Name {
		t.Errorf("a new site in its place: %v, %q", err, st.Site.Name)
	}
	if err := s.Remove(bg, "p"); err != nil {
		t.Fatal(err)
	}
	if left, err := open(t, path).List(bg); err != nil || len(left) != 1 || !reflect.DeepEqual(left[0].Site, full()) {
		t.Errorf("%v %+v", err, left)
	}
}

func TestStaleVersionIsRefusedWithWhatHappened(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := editAs(s, st.ID, st.Version, "first window", "", rename("one")); err != nil {
		t.Fatal(err)
	}
	_, err = editAs(s, st.ID, st.Version, "second window", "", rename("two"))
	var stale *StaleError
	if !errors.As(err, &stale) || stale.Version != 2 || len(stale.Meanwhile) != 1 || stale.Meanwhile[0].Title != "rename the site" {
		t.Fatalf("got %+v", err)
	}
	if now, _ := s.Get(bg, st.ID); now.Site.Name != "one" || now.Version != 2 {
		t.Errorf("the refused edit left its mark: %q at %d", now.Site.Name, now.Version)
	}
}

func TestNewerDatabaseIsRefusedAndLeftAlone(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	s := open(t, path)
	if _, err := s.write.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)`); err != nil {
		t.Fatal(err)
	}
	s.Close()
	before, _ := os.ReadFile(path)
	_, err := Open(path)
	var newer *NewerError
	if !errors.As(err, &newer) || newer.Version != 99 {
		t.Fatalf("got %v", err)
	}
	if after, _ := os.ReadFile(path); string(after) != string(before) {
		t.Error("the file was changed")
	}
}

func TestFilesThatCannotBeUsed(t *testing.T) {
	dir := t.TempDir()
	other := filepath.Join(dir, "letter.txt")
	if err := os.WriteFile(other, []byte(strings.Repeat("Dear Sir, ", 200)), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(other); err == nil || !strings.Contains(err.Error(), "not a database of Vest Pin") {
		t.Errorf("another file: %v", err)
	}
	if _, err := Open(filepath.Join(other, "v.db")); !errors.Is(err, ErrCannotSave) {
		t.Errorf("a folder that cannot be made: %v", err)
	}
}

func TestFullDisk(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.write.Exec(`PRAGMA max_page_count = 1`); err != nil { // it stays at the size it has
		t.Fatal(err)
	}
	for range 400 {
		if st, err = editAs(s, st.ID, st.Version, "", strings.Repeat("long ", 500), rename("x")); err != nil {
			break
		}
	}
	if !errors.Is(err, ErrCannotSave) || !strings.Contains(err.Error(), "the disk is full") {
		t.Errorf("got %v", err)
	}
}

// A program killed in the middle of a thousand edits has kept every one that it
// said was kept.
func TestKilledInTheMiddle(t *testing.T) {
	if path := os.Getenv("VESTPIN_EDIT_UNTIL_KILLED"); path != "" {
		s := open(t, path)
		st, err := s.Get(bg, "p")
		for i := 0; i < 1000 && err == nil; i++ {
			st, err = editAs(s, "p", st.Version, "", "", rename("edit "+strconv.Itoa(i)))
			fmt.Println("kept", i)
		}
		t.Fatalf("came to the end: %v", err)
	}
	for _, after := range []int{1, 57, 200} {
		path := filepath.Join(t.TempDir(), "v.db")
		s := open(t, path)
		if _, err := s.Create(bg, "p", full()); err != nil {
			t.Fatal(err)
		}
		s.Close()
		cmd := exec.Command(os.Args[0], "-test.run", "^TestKilledInTheMiddle$")
		cmd.Env = append(os.Environ(), "VESTPIN_EDIT_UNTIL_KILLED="+path)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		last := -1
		for lines := bufio.NewScanner(out); lines.Scan(); {
			if n, ok := strings.CutPrefix(lines.Text(), "kept "); ok {
				last, _ = strconv.Atoi(n)
				if last == after {
					cmd.Process.Kill()
				}
			}
		}
		cmd.Wait()
		st, err := open(t, path).Get(bg, "p")
		if err != nil {
			t.Fatal(err)
		}
		got, _ := strconv.Atoi(strings.TrimPrefix(st.Site.Name, "edit "))
		if last < after || got < last || got > last+1 {
			t.Errorf("killed after %d was kept: the site is at %q", last, st.Site.Name)
		}
	}
}

// BenchmarkEdit and its yardstick write the same rows in one transaction.
func BenchmarkEdit(b *testing.B) {
	s, err := Open(filepath.Join(b.TempDir(), "v.db"))
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	st, err := s.Create(bg, "p", full())
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if st, err = editAs(s, "p", st.Version, "bench", "", rename("x"+strconv.Itoa(st.Version))); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkPlainTransaction(b *testing.B) {
	s, err := Open(filepath.Join(b.TempDir(), "v.db"))
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	if _, err := s.Create(bg, "p", full()); err != nil {
		b.Fatal(err)
	}
	n := 0
	for b.Loop() {
		n++
		plainTransaction(b, s.write, n)
	}
}

func plainTransaction(b *testing.B, db *sql.DB, n int) {
	tx, err := db.Begin()
	if err != nil {
		b.Fatal(err)
	}
	_, e1 := tx.Exec(`UPDATE sites SET version = version + 1, name = ?, changed = ? WHERE id = 'p'`, n, "2026-11-23T09:42:00.123456789Z")
	_, e2 := tx.Exec(`INSERT INTO journal (site, seq, version, at, who, title, edits, undo, state) VALUES ('p', ?, ?, '2026-11-23T09:42:00.123456789Z', 'bench', 'rename the site', '[{"do":"rename-site","name":"x1"}]', '[{"do":"rename-site","name":"x0"}]', 'done')`, n, n)
	if err := errors.Join(e1, e2, tx.Commit()); err != nil {
		b.Fatal(err)
	}
}

// A device that was joined from two meanwhile is not put back as one of them.
func TestOldDeviceOverAJoin(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Edit(bg, "p", Change{Version: 1, Window: "a", Edits: sighting.Join(st.Site.Devices[0], st.Site.Devices[1])}); err != nil {
		t.Fatal(err)
	}
	var stale *StaleError
	if _, _, err := s.Edit(bg, "p", Change{Version: 1, Window: "b", Edits: []edit.Edit{edit.PutDevice{Device: st.Site.Devices[0]}}}); !errors.As(err, &stale) {
		t.Errorf("got %v", err)
	}
}
