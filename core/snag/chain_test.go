package snag

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"slices"
	"strconv"
	"testing"

	"vestpin/core/addressing"
	"vestpin/core/edit"
	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/suggest"
)

// On sites with a past, in chains of routers: no mend brings a snag that stops work, each
// ends its own; and taking what mends pin and open, one by one, comes to what the
// suggestion for the whole site does.
func TestMendsOneByOne(t *testing.T) {
	seed := uint64(71)
	if n, err := strconv.Atoi(os.Getenv("SEED")); err == nil {
		seed = uint64(n)
	}
	r := rand.New(rand.NewPCG(seed, 72))
	taken, opened, costly := 0, 0, 0
	for round := range 600 {
		s := past.Chain(r, 4)
		snags := Check(site.NewView(s))
		before := stopsOf(snags)
		for _, sn := range snags {
			for _, m := range sn.Mends {
				taken++
				next, _, err := edit.Apply(s, m.Edits)
				if err != nil {
					t.Fatalf("round %d: %q is refused: %v", round, m.Does, err)
				}
				for _, after := range Check(site.NewView(next)) {
					if after.Code == sn.Code && slices.Equal(after.About, sn.About) && after.Says == sn.Says {
						t.Fatalf("round %d: %q does not end %s: %s\n%s", round, m.Does, sn.Code, sn.Says, sitefile.Write(s))
					}
					if key := after.Code + fmt.Sprint(after.About); after.Weight == Stops && !before[key] && !sharedFault(after, snags) {
						t.Fatalf("round %d: %q of %s: %s\nbrings %s: %s\n%s", round, m.Does, sn.Code, sn.Says, key, after.Says, sitefile.Write(s))
					}
				}
			}
		}
		whole, err := suggest.For(context.Background(), s, suggest.Halves{Addresses: true, Ports: true})
		if err != nil {
			t.Fatal(err)
		}
		if more, err := suggest.For(context.Background(), whole.Site, suggest.Halves{Addresses: true, Ports: true}); err != nil || len(more.Changes) > 0 {
			t.Fatalf("round %d: after all is taken there is more: %+v, %v\n%s", round, more.Changes, err, sitefile.Write(s))
		}
		now := s
		for range 20 {
			m, ok := firstOpening(now)
			if !ok {
				break
			}
			if now, _, err = edit.Apply(now, m.Edits); err != nil {
				t.Fatal(err)
			}
			opened++
		}
		// Where the suggestion as a whole leaves a forward made by hand without its partner,
		// which a mend never does, mends may do less.
		costs := false
		for key := range stopsOf(Check(site.NewView(whole.Site))) {
			costs = costs || !before[key]
		}
		if costs {
			costly++
			continue
		}
		if pinsOf(whole.Site) != pinsOf(now) {
			t.Fatalf("round %d: all at once %s, one by one %s\n%s", round, pinsOf(whole.Site), pinsOf(now), sitefile.Write(s))
		}
		all, each := reach.Of(site.NewView(whole.Site)), reach.Of(site.NewView(now))
		for _, w := range site.NewView(s).Wishes() {
			there, _ := site.NewView(whole.Site).Service(w.Service.ID)
			here, _ := site.NewView(now).Service(w.Service.ID)
			if all.Met(there) && !each.Met(here) {
				t.Fatalf("round %d: %s is met by the whole, and not one by one\n%s\nwhole\n%s\none by one\n%s", round, w.Service.ID, sitefile.Write(s), sitefile.Write(whole.Site), sitefile.Write(now))
			}
		}
	}
	if costly > 100 || opened < 200 {
		t.Errorf("%d mends taken, %d one after the other; on %d sites the suggestion costs more than mends may", taken, opened, costly)
	}
}

func stopsOf(snags []Snag) map[string]bool {
	out := map[string]bool{}
	for _, sn := range snags {
		if sn.Weight == Stops {
			out[sn.Code+fmt.Sprint(sn.About)] = true
		}
	}
	return out
}

// firstOpening gives the first mend that pins what is loose or opens what is shut.
func firstOpening(s site.Site) (Mend, bool) {
	plan := map[string]site.Pin{}
	for _, sg := range addressing.Suggest(site.NewView(s)).Suggestions {
		plan[sg.Interface] = sg.Pin
	}
	for _, sn := range Check(site.NewView(s)) {
		if !slices.Contains([]string{"open-but-loose", "wish-unmet", "router-cannot-reserve-there", "address-unusable", "address-answers-already"}, sn.Code) {
			continue
		}
		for _, m := range sn.Mends {
			_, shuts := m.Edits[0].(edit.SetOpen)
			set, pins := m.Edits[0].(edit.SetPin)
			if !shuts && (!pins || reflect.DeepEqual(plan[set.ID], *set.Pin)) { // else a way that the suggestion does not take
				return m, true
			}
		}
	}
	return Mend{}, false
}

func pinsOf(s site.Site) string {
	out := ""
	for _, p := range site.NewView(s).Interfaces() {
		if p.Interface.Pin != nil && len(p.Device.Services) > 0 { // no snag asks for a pin where nothing is opened
			out += fmt.Sprintln(p.Interface.ID, p.Interface.Pin.Address, p.Interface.Pin.By)
		}
	}
	return out
}
