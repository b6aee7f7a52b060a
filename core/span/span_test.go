package span

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// Sets are held against plain maps of numbers.
func TestSetsAgainstMaps(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		a, ma := randomSet(r)
		b, mb := randomSet(r)
		both, either, only := map[uint32]bool{}, map[uint32]bool{}, map[uint32]bool{}
		for n := range uint32(60) {
			if ma[n] && mb[n] {
				both[n] = true
			}
			if ma[n] || mb[n] {
				either[n] = true
			}
			if ma[n] && !mb[n] {
				only[n] = true
			}
			if a.Contains(n) != ma[n] {
				t.Fatalf("%v contains %d: %v", a, n, a.Contains(n))
			}
		}
		for _, c := range []struct {
			name string
			got  Set
			want map[uint32]bool
		}{{"overlap", a.Overlap(b), both}, {"union", a.Union(b), either}, {"minus", a.Minus(b), only}} {
			if got := slices.Collect(c.got.Numbers); len(got) != len(c.want) || c.got.Len() != len(c.want) || slices.ContainsFunc(got, func(n uint32) bool { return !c.want[n] }) {
				t.Fatalf("%s of %v and %v: %v", c.name, a, b, c.got)
			}
			for i, run := range c.got.runs {
				if run.Hi < run.Lo || (i > 0 && c.got.runs[i-1].Hi+1 >= run.Lo) {
					t.Fatalf("%s of %v and %v is not tidy: %v", c.name, a, b, c.got)
				}
			}
		}
	}
}

func randomSet(r *rand.Rand) (Set, map[uint32]bool) {
	var runs []Run
	m := map[uint32]bool{}
	for range r.IntN(6) {
		lo := uint32(r.IntN(55))
		run := Run{lo, lo + uint32(r.IntN(5))}
		runs = append(runs, run)
		for n := run.Lo; n <= run.Hi; n++ {
			m[n] = true
		}
	}
	return Of(runs...), m
}

func TestEdgesOfTheNumbers(t *testing.T) {
	top := ^uint32(0)
	all := Of(Run{0, top})
	if got := all.Minus(One(top)).Minus(One(0)).Runs(); !slices.Equal(got, []Run{{1, top - 1}}) {
		t.Errorf("all but the ends: %v", got)
	}
	if got, ok := Of(Run{5, 6}, Run{10, 14}).First(4); !ok || got != (Run{10, 13}) {
		t.Errorf("the first four: %v, %v", got, ok)
	}
	if _, ok := all.First(0); ok {
		t.Error("a run of no numbers")
	}
}

func TestParsePorts(t *testing.T) {
	cases := []struct {
		text, want string
		bad        bool
	}{
		{"80", "80", false}, {" 16400 – 16463 ", "16400-16463", false}, {"5060,5062-5063", "5060,5062-5063", false}, {"5062,5060", "5062,5060", false}, {"1", "1", false}, {"65535", "65535", false},
		{"", "", true}, {"0", "", true}, {"65536", "", true}, {"80-79", "", true}, {"80,80", "", true}, {"80-90,85", "", true}, {"80,", "", true}, {"-80", "", true}, {"+80", "", true}, {"8O", "", true}, {"80-", "", true}, {"1-2-3", "", true},
	}
	for _, c := range cases {
		p, err := ParsePorts(c.text)
		if p.String() != c.want || (err != nil) != c.bad {
			t.Errorf("%q: got %q, %v", c.text, p, err)
		}
	}
	p, _ := ParsePorts("5062-5063,5060")
	if p.At(2) != 5060 || p.Index(5063) != 1 || p.Index(9) != -1 || p.Len() != 3 {
		t.Errorf("the order of a list is lost: %v", p)
	}
}

func FuzzParsePorts(f *testing.F) {
	f.Add("5060,5062-5063")
	f.Fuzz(func(t *testing.T, text string) {
		p, err := ParsePorts(text)
		if err != nil {
			return
		}
		again, err := ParsePorts(p.String())
		if err != nil || !again.Equal(p) || p.Len() != p.Set().Len() {
			t.Errorf("%q became %q", text, p)
		}
	})
}

func TestQuoteKeepsMessagesShort(t *testing.T) {
	long := ""
	for range 500 {
		long += "ü\n"
	}
	if q := Quote(long); len([]rune(q)) > 140 || q[0] != '"' {
		t.Errorf("got %s", q)
	}
}
