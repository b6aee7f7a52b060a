package next

import "testing"

// Along the work of a site each line leads to the next station, and counts what is left there.
func TestAlongTheWork(t *testing.T) {
	c := Counts{}
	for _, s := range []struct {
		does          func()
		says, station string
	}{
		{func() {}, "Add the network, with the + on the line above.", "survey"},
		{func() { c.Networks = 1 }, "Sweep the network, or paste the router's list of devices.", "survey"},
		{func() { c.Devices, c.Unnamed = 4, 1 }, "Name 1 device.", "survey"},
		{func() { c.Unnamed = 0 }, "Say what each device is wanted for.", "ports"},
		{func() { c.Services, c.Open, c.Want, c.Pinned = 3, 2, 3, 1 }, "Pin 2 devices.", "addresses"},
		{func() { c.Pinned = 3 }, "Find 2 services an outside port.", "ports"},
		{func() { c.Opened, c.Steps, c.Done = 2, 5, 4 }, "Put 1 step in place.", "place"},
		{func() { c.Done = 5 }, "Check from inside and outside that all of it works.", "checks"},
		{func() { c.Tried, c.Works = 2, 1 }, "Look why 1 service does not work.", "checks"},
		{func() { c.Works = 0 }, "Look why 2 services do not work.", "checks"},
		{func() { c.Works = 2 }, "Everything is in place and works.", "checks"},
	} {
		s.does()
		if got := Of(c); got != (Work{s.says, s.station}) {
			t.Errorf("%+v: %+v, want %q", c, got, s.says)
		}
	}
}
