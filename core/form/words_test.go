package form

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// words is a site of one camera behind a page of the given form.
func words(t *testing.T, form string) (site.View, Page) {
	t.Helper()
	s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
	 "routers":[{"id":"edge","network":"main","form":{` + form + `}}],
	 "devices":[{"id":"cam","name":"Kamera Küche","interfaces":[{"id":"cam.0","network":"main","mac":"00:00:5e:00:53:22","pin":{"address":"10.48.16.21"}}]}],
	 "forwards":[{"id":"a","name":"Küche: Bild & Ton","router":"edge","protocol":"both","outside":"8021,8030-8032","inside":"80,8030-8032","to":"cam.0","from":["198.51.100.0/24"]},
	  {"id":"b","name":"Küche: Bild & Ton","router":"edge","protocol":"tcp","outside":"554","to":"cam.0"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	return site.NewView(s), Of(s.Routers[0].Form)
}

func TestWordsOfThePage(t *testing.T) {
	cases := []struct {
		name, form string
		want       []string // one line each
	}{
		{"in the order and words of the page", `"protocols":["tcp","udp","both"],"limitsSender":"network","sameIsBlank":true,"separator":":","fields":[
			{"is":"fixed","label":"Service","value":"Custom"},{"is":"name","label":"Name","max":12,"alphabet":"word"},{"is":"outside","label":"Ext. ports"},
			{"is":"protocol","label":"Proto","says":{"both":"TCP & UDP"}},{"is":"last-number","label":"10.48.16."},{"is":"inside","label":"Int."},{"is":"sender","label":"Source","anyone":"*"},{"is":"enabled","label":"On","says":{"on":"yes"}}]`,
			[]string{
				"Service=Custom Name=Kueche-Bild Ext. ports=8021 Proto=TCP & UDP 10.48.16.=21 Int.=80 Source=198.51.100.0/24 On=yes",
				"Service=Custom Name=Kueche-Bil-2 Ext. ports=8030:8032 Proto=TCP & UDP 10.48.16.=21 Int.= Source=198.51.100.0/24 On=yes",
				"Service=Custom Name=Kueche-Bil-3 Ext. ports=554 Proto=TCP 10.48.16.=21 Int.= Source=* On=yes",
			}},
		{"two parts, from and to, devices by name", `"protocols":["tcp","udp","both"],"limitsSender":"network","fields":[
			{"is":"name","label":"Service","part":"service","alphabet":"ascii"},{"is":"outside-from","label":"From","part":"service"},{"is":"outside-to","label":"To","part":"service"},
			{"is":"inside-from","label":"Start","part":"service"},{"is":"inside-to","label":"End","part":"service"},{"is":"name","label":"Use"},{"is":"device","label":"Device"},{"is":"mac","label":"MAC"},{"is":"address","label":"IP"}]`,
			[]string{
				"Service=Kueche: Bild & Ton From=8021 To=8021 Start=80 End=80 Use=Kueche: Bild & Ton Device=Kamera Küche MAC=00:00:5E:00:53:22 IP=10.48.16.21",
				"Service=Kueche: Bild & Ton 2 From=8030 To=8032 Start=8030 End=8032 Use=Kueche: Bild & Ton 2 Device=Kamera Küche MAC=00:00:5E:00:53:22 IP=10.48.16.21",
				"Service=Kueche: Bild & Ton 3 From=554 To=554 Start=554 End=554 Use=Kueche: Bild & Ton 3 Device=Kamera Küche MAC=00:00:5E:00:53:22 IP=10.48.16.21",
			}},
		{"a list with its own separators", `"portsPerLine":"list","protocols":["tcp","udp","both"],"limitsSender":"network","separator":";..","fields":[{"is":"outside","label":"P"}]`,
			[]string{"P=8030..8032", "P=8021", "P=554"}},
		{"nothing known of it", `"protocols":["tcp","udp","both"],"limitsSender":"network"`, []string{
			"Service=kueche-bild-ton From port=8021 To port=8021 Protocol=BOTH Device=10.48.16.21 Its port=80 Only from=198.51.100.0/24",
			"Service=kueche-bild-ton-2 From port=8030 To port=8032 Protocol=BOTH Device=10.48.16.21 Its ports=8030-8032 Only from=198.51.100.0/24",
			"Service=kueche-bild-ton-3 From port=554 To port=554 Protocol=TCP Device=10.48.16.21 Its port=554",
		}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			v, page := words(t, c.form)
			var got []string
			for _, fields := range page.LineFields(v, Type(v, v.Routers[0]).Lines) {
				var line []string
				for _, f := range fields {
					line = append(line, f.Label+"="+f.Value)
				}
				got = append(got, strings.Join(line, " "))
			}
			if !slices.Equal(got, c.want) {
				t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(c.want, "\n"))
			}
		})
	}
	v, page := words(t, `"refuses":"554,8030","reservationFields":[{"is":"name","label":"Host","max":8,"alphabet":"word"},{"is":"mac","label":"Hardware"},{"is":"last-number","label":"IP 10.48.16."},{"is":"fixed","label":"Type","value":"static","part":"rule"}]`)
	typed := Type(v, v.Routers[0])
	if len(typed.Faults) != 2 || !strings.Contains(typed.Faults[1].Why, "does not take 554") {
		t.Errorf("refused ports: %+v", typed.Faults)
	}
	want := [][]Field{{{"Host", "Kamera-K", "rule"}, {"Hardware", "00:00:5E:00:53:22", "rule"}, {"IP 10.48.16.", "21", "rule"}, {"Type", "static", "rule"}}}
	if got := page.ReservationFields(typed.Reservations); !reflect.DeepEqual(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
}

// Whatever the names and the field, each name is there once, fits, and is of its alphabet.
func TestNamesFit(t *testing.T) {
	r := rand.New(rand.NewPCG(51, 52))
	for range 2000 {
		field := site.FormField{Is: "name", Max: past.Pick(r, 0, 3, 4, 8, 15), Alphabet: past.Pick[site.Alphabet](r, "any", "ascii", "word")}
		n := Of(site.Form{}).names([]site.FormField{field})
		seen := map[string]bool{}
		for range 1 + r.IntN(40) {
			name := past.Pick(r, "Küche", "Kueche", "a", "", "Kamera Hof 1", "Kamera Hof 2", "-- 12 --", "مسجل", strings.Repeat("lang ", r.IntN(9)))
			got := n.of(name)
			plain := strings.ContainsFunc(got, func(c rune) bool {
				return field.Alphabet == "ascii" && (c < ' ' || c > '~') || field.Alphabet == "word" && !strings.ContainsRune("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-", c)
			})
			if seen[got] || plain || field.Max > 0 && utf8.RuneCountInString(got) > field.Max {
				t.Fatalf("%+v: %q became %q", field, name, got)
			}
			seen[got] = true
		}
	}
}

// Lines become the forward again that they were made of.
func TestThereAndBack(t *testing.T) {
	r := rand.New(rand.NewPCG(61, 62))
	back := 0
	for range 4000 {
		f := site.Forward{ID: "f", Enabled: true, Protocol: past.Pick(r, site.TCP, site.UDP, site.Both), From: past.Senders([]string{"198.51.100.7", "203.0.113.0/24"}[:r.IntN(3)]...)}
		n := 1 + r.IntN(6)
		f.Outside, f.Inside = randomPorts(t, r, n), randomPorts(t, r, n)
		page := Of(site.Form{PortsPerLine: past.Pick[site.PortsPerLine](r, "one", "range", "list"), Renumber: past.Pick[site.Renumbering](r, "one", "range"), LimitsSender: "network", Protocols: past.Pick(r, []site.Protocol{"tcp", "udp"}, nil)})
		lines, err := page.Lines(f)
		if err != nil {
			t.Fatal(err)
		}
		got := Forwards(lines)
		if len(got) != 1 {
			t.Fatalf("%+v became %+v", f, got)
		}
		a, b := atoms(f.Protocol, f.Outside, f.Inside, f.From), atoms(got[0].Protocol, got[0].Outside, got[0].InsidePorts(), got[0].From)
		slices.Sort(a)
		slices.Sort(b)
		if !slices.Equal(a, b) {
			t.Fatalf("%+v became %+v by %+v", f, got[0], lines)
		}
		back += len(lines)
	}
	for i := range 2 { // without an id each line is a forward, as it stands on the page
		l := Line{Protocol: site.TCP, Outside: past.Ports(fmt.Sprint(80 + i)), Inside: past.Ports("80")}
		if got := Forwards([]Line{l, l}); len(got) != 2 || !got[0].Outside.Equal(l.Outside) {
			t.Errorf("got %+v", got)
		}
	}
	if back < 4000 {
		t.Errorf("only %d lines", back)
	}
}
