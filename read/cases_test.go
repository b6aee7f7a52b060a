package read

import (
	"encoding/json"
	"fmt"
	"iter"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode"

	"vestpin/core/sighting"
	"vestpin/core/span"
)

// truth is what a file of testdata/cases holds, written by hand: sightings that must come
// and those that may, as MAC address, address and names ("a|b" is either), facts, those
// that are not judged, what is reserved there, and texts that must be told as not understood.
type truth struct {
	File                          string
	Sightings, Optional           [][3]string
	Facts                         map[string]any
	NoFacts, Reservations, Unread []string

	As                    string
	Forwards, OptForwards [][7]any // protocol, outside, address, inside, on, senders, name
	NoForwards            bool
}

// tally is how often something came right.
type tally struct{ wanted, right, nameless, missing, silent, wrong int }

// hold holds a result against the truth, and gives the faults.
func (n *tally) hold(e truth, r Result) (faults []string) {
	used := map[int]bool{}
	fits := func(s sighting.Sighting, w [3]string, name bool) bool {
		address := ""
		if s.Address.IsValid() {
			address = s.Address.String()
		}
		return string(s.MAC) == w[0] && address == w[1] && (!name || w[2] == "*" || slices.Contains(strings.Split(w[2], "|"), s.Host))
	}
	find := func(w [3]string, ok func(i int, s sighting.Sighting) bool) bool {
		found := false
		for i, s := range r.Sightings {
			if fits(s, w, false) && ok(i, s) {
				used[i], found = true, true
			}
		}
		return found
	}
	unread := ""
	for _, u := range r.Unread {
		unread += strings.ToLower(u.Text) + " "
	}
	for _, w := range e.Sightings {
		n.wanted++
		switch {
		case find(w, func(_ int, s sighting.Sighting) bool { return fits(s, w, true) }):
			n.right++
		case find(w, func(i int, s sighting.Sighting) bool { return !used[i] && s.Host == "" }):
			n.nameless++
			faults = append(faults, "no name: "+strings.Join(w[:], " "))
		case find(w, func(i int, _ sighting.Sighting) bool { return !used[i] }):
			n.wrong++
			faults = append(faults, "a wrong name: "+strings.Join(w[:], " "))
		default:
			n.missing++
			told := w[0] != "" && (strings.Contains(unread, w[0]) || strings.Contains(unread, strings.ReplaceAll(w[0], ":", "-")) || strings.Contains(unread, strings.ReplaceAll(w[0], ":", ""))) || w[1] != "" && strings.Contains(unread, w[1])
			if !told {
				n.silent++
			}
			faults = append(faults, "missing: "+strings.Join(w[:], " "))
		}
	}
	for i, s := range r.Sightings {
		may := func(w [3]string) bool { return fits(s, w, true) }
		if !used[i] && !slices.ContainsFunc(e.Sightings, may) && !slices.ContainsFunc(e.Optional, may) {
			n.wrong++
			faults = append(faults, "wrong: "+string(s.MAC)+" "+s.Address.String()+" "+s.Host)
		}
	}
	return faults
}

// truths gives the files of a folder that have their truth beside them, with what was read of each.
func truths(t *testing.T, dir string) iter.Seq2[truth, Result] {
	files, err := filepath.Glob(dir + "/*.expect.json")
	if err != nil || len(files) < 100 {
		t.Fatalf("%d files, %v", len(files), err)
	}
	return func(yield func(truth, Result) bool) {
		for _, file := range files {
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			var e truth
			if err := json.Unmarshal(text, &e); err != nil {
				t.Fatalf("%s: %v", file, err)
			}
			if e.As == "port-list" {
				continue
			}
			data, err := os.ReadFile(filepath.Join(dir, e.File))
			if err != nil {
				t.Fatal(err)
			}
			r, err := Text(e.File, e.As, data)
			if err != nil {
				t.Errorf("%s: %v", e.File, err)
			} else if !yield(e, r) {
				return
			}
		}
	}
}

// Files as they come, with the truth beside each.
func TestCases(t *testing.T) {
	var n tally
	for e, r := range truths(t, "testdata/cases") {
		for _, f := range n.hold(e, r) {
			t.Logf("%s: %s", e.File, f)
		}
		faults := factFaults(t, e, r)
		for _, mac := range e.Reservations {
			if !slices.ContainsFunc(r.Sightings, func(s sighting.Sighting) bool { return string(s.MAC) == mac && s.State == sighting.StateReserved }) {
				faults = append(faults, mac+" is reserved there")
			}
		}
		for _, text := range e.Unread {
			if !slices.ContainsFunc(r.Unread, func(u Unread) bool { return strings.Contains(u.Text, text) }) {
				faults = append(faults, "not told: "+text)
			}
		}
		for _, f := range faults {
			t.Errorf("%s: %s", e.File, f)
		}
	}
	t.Logf("%+v", n)
	if n.right*100 < n.wanted*97 || n.wrong*100 > n.wanted || n.silent > 0 {
		t.Errorf("too many faults: %+v", n)
	}
}

// spoken gives each port of a forward, as text.
func spoken(protocol, outside, address, inside string) (out []string) {
	o, err := span.ParsePorts(outside)
	i, err2 := span.ParsePorts(inside)
	if err != nil || err2 != nil {
		return []string{fmt.Sprint(protocol, outside, address, inside)}
	}
	each := []string{protocol}
	if protocol == "both" || protocol == "*" {
		each = []string{"tcp", "udp"}
	}
	for _, p := range each {
		for k := range o.Len() {
			out = append(out, fmt.Sprint(p, " ", o.At(k), " ", address, " ", i.At(min(k, i.Len()-1))))
		}
	}
	return out
}

// Pages, lists, notes and configurations that were written by others, with the truth beside
// each: how many devices and forwards are right, how many wrong, and none lost without a word.
func TestPages(t *testing.T) {
	var n tally
	wanted, right, wrong, silent := 0, 0, 0, 0
	for e, r := range truths(t, "testdata/pages") {
		for _, f := range n.hold(e, r) {
			t.Logf("%s: %s", e.File, f)
		}
		is, said := map[string]bool{}, map[string]ForwardLine{}
		for _, f := range r.Forwards {
			for _, p := range spoken(string(f.Protocol), f.Outside.String(), f.Address.String(), f.Inside.String()) {
				said[p] = f
			}
		}
		for k, w := range append(e.Forwards, e.OptForwards...) {
			all, some := true, false
			for _, p := range spoken(w[0].(string), w[1].(string), w[2].(string), w[3].(string)) {
				is[p] = true
				f, have := said[p]
				if have && (f.Enabled != w[4].(bool) || !slices.Contains(strings.Split(w[5].(string), "|"), strings.Join(f.From, ","))) {
					wrong++
					t.Logf("%s: wrong: %+v, not %v", e.File, f, w)
				}
				all, some = all && (have || w[0] == "*"), some || have
			}
			if k >= len(e.Forwards) || e.NoForwards {
				continue
			}
			wanted++
			if all && some {
				right++
			} else if len(r.Unread) == 0 {
				silent++
			}
		}
		for p, f := range said {
			if !is[p] && !e.NoForwards {
				wrong++
				t.Logf("%s: came, is none: %+v", e.File, f)
			}
		}
	}
	t.Logf("devices %+v; forwards %d of %d right, %d wrong, %d silent", n, right, wanted, wrong, silent)
	if n.right*100 < n.wanted*94 || n.wrong > 10 || n.silent > 1 || right*100 < wanted*93 || wrong > 0 || silent > 0 {
		t.Errorf("devices %+v; forwards %d of %d right, %d wrong, %d silent", n, right, wanted, wrong, silent)
	}
}

// factFaults compares the facts as JSON; what the truth does not name must be absent.
func factFaults(t *testing.T, e truth, r Result) (faults []string) {
	got := map[string]any{}
	text, err := json.Marshal(r.Facts)
	if err == nil {
		err = json.Unmarshal(text, &got)
	}
	if err != nil {
		t.Fatal(err)
	}
	for _, key := range []string{"subnet", "gateway", "dns", "ranges"} {
		have, want := normal(got[key]), normal(e.Facts[key])
		if have != want && !slices.Contains(e.NoFacts, key) {
			faults = append(faults, key+" "+have+", not "+want)
		}
	}
	return faults
}

func normal(v any) string {
	text, _ := json.Marshal(v)
	if s := string(text); s != "null" && s != "[]" && s != `""` {
		return strings.Map(func(c rune) rune {
			if unicode.IsSpace(c) {
				return -1
			}
			return c
		}, s)
	}
	return ""
}
