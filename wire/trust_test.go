package wire

import (
	"net/netip"
	"testing"
	"time"

	"vestpin/core/reach"
)

// An answer counts from the one that was asked, from the port that was asked, with the number that was
// sent, once.
func TestAnswersOfThoseWhoWereAsked(t *testing.T) {
	a, b, resolver := netip.MustParseAddr("10.48.16.20"), netip.MustParseAddr("10.48.16.21"), netip.MustParseAddr("10.48.16.1")
	n := newNumbers([]netip.Addr{a, b})
	if n.of[a] == n.of[b] {
		t.Fatal("two questions have one number")
	}
	at := func(x netip.Addr, port uint16) netip.AddrPort { return netip.AddrPortFrom(x, port) }
	for _, c := range []struct {
		what   string
		by     netip.AddrPort
		number uint16
		want   bool
	}{
		{"another port", at(a, 5354), n.of[a], false},
		{"another number", at(a, 5355), n.of[a] + 7, false},
		{"the number of a neighbour", at(a, 5355), n.of[b], false},
		{"somebody who was not asked", at(resolver, 5355), n.of[a], false},
		{"the one that was asked", at(a, 5355), n.of[a], true},
		{"the same again", at(a, 5355), n.of[a], false},
		{"the next", at(b, 5355), n.of[b], true},
	} {
		if got := n.from(c.by, 5355, c.number); got != c.want {
			t.Errorf("%s: %v", c.what, got)
		}
	}
	if who, ok := newNumbers([]netip.Addr{a}).about(n.of[a]+1, resolver); ok {
		t.Errorf("a number that was not sent is about %s", who)
	}
}

// What somebody tells as the outside of a site is dialled only where it can be one.
func TestWhatCanBeOutside(t *testing.T) {
	links := []Link{{Own: netip.MustParsePrefix("203.0.113.130/25")}}
	for address, want := range map[string][2]bool{
		"198.51.100.7": {true, true}, "203.0.113.9": {true, true}, "203.0.113.200": {true, false}, "100.64.3.4": {true, true}, "192.168.0.9": {true, false},
		"127.0.0.1": {}, "127.9.9.9": {}, "0.0.0.0": {}, "0.1.2.3": {}, "169.254.1.1": {}, "224.0.0.1": {}, "239.9.9.9": {}, "240.0.0.1": {}, "255.255.255.255": {}, "::1": {}, "2001:db8::1": {}, "::ffff:127.0.0.1": {},
	} {
		a := netip.MustParseAddr(address)
		if got := [2]bool{reach.CanBeOutside(a), CanBeDialled(a, links)}; got != want {
			t.Errorf("%s: can be outside %v, can be dialled %v, want %v", address, got[0], got[1], want)
		}
	}
}

// A sleep is a gap in the time that the program runs, or in the clock, either way.
func TestSleepsAreNoticed(t *testing.T) {
	begun := time.Now()
	w := waking{begun}
	for _, c := range []struct {
		after time.Duration
		slept bool
	}{{200 * time.Millisecond, false}, {3 * time.Second, false}, {time.Hour, true}, {time.Hour + time.Second, false}, {time.Second, true}, {1200 * time.Millisecond, false}} {
		if got := w.slept(begun.Round(0).Add(c.after)); got != c.slept {
			t.Errorf("after %v: %v", c.after, got)
		}
	}
	w = waking{begun}
	if w.slept(begun.Add(time.Second)) || !w.slept(begun.Add(5*time.Second)) {
		t.Error("a halt is not told from none")
	}
}
