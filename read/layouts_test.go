package read

import (
	"fmt"
	"html"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// thing is a device of a made-up list.
type thing struct{ name, mac, address, link, lease string }

func things(r *rand.Rand) []thing {
	names := []string{"recorder", "cam-22", "Küche", "till 1", "Imprimante étiquettes", "カメラ", "door", "kiln-3", "office-pc", "media"}
	r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	var out []thing
	for i, n := range names[:3+r.IntN(len(names)-3)] {
		out = append(out, thing{
			name: n, mac: fmt.Sprintf("00:00:5e:00:53:%02x", 0x20+i), address: fmt.Sprintf("10.48.16.%d", 20+i),
			link: []string{"LAN 1", "LAN 2", "WLAN", "5 GHz"}[r.IntN(4)], lease: fmt.Sprintf("%d:%02d:10", r.IntN(24), r.IntN(60)),
		})
	}
	return out
}

// layouts write a list as some router's page would show it. Order says which
// column comes where.
var layouts = map[string]func(list []thing, order []int) string{
	"tabs":       func(list []thing, order []int) string { return rowsWith(list, order, "\t") },
	"semicolons": func(list []thing, order []int) string { return rowsWith(list, order, ";") },
	"quoted": func(list []thing, order []int) string {
		var b strings.Builder
		for _, d := range list {
			for i, c := range columnsOf(d, order) {
				if i > 0 {
					b.WriteByte(',')
				}
				fmt.Fprintf(&b, "%q", c)
			}
			b.WriteByte('\n')
		}
		return b.String()
	},
	"blanks": func(list []thing, order []int) string {
		var b strings.Builder
		for _, d := range list {
			for _, c := range columnsOf(d, order) {
				fmt.Fprintf(&b, "%-26s", c)
			}
			b.WriteByte('\n')
		}
		return b.String()
	},
	"page": func(list []thing, order []int) string {
		var b strings.Builder
		b.WriteString("<!DOCTYPE html><html><body><table>")
		for _, d := range list {
			b.WriteString("<tr>")
			for _, c := range columnsOf(d, order) {
				b.WriteString("<td>" + html.EscapeString(c) + "</td>")
			}
			b.WriteString("</tr>\n")
		}
		return b.String() + "</table></body></html>"
	},
	"cards with blank lines": func(list []thing, order []int) string {
		var b strings.Builder
		for _, d := range list {
			b.WriteString(strings.Join(columnsOf(d, order), "\n") + "\n\n")
		}
		return b.String()
	},
	"cards with labels": func(list []thing, order []int) string {
		labels := []string{"Gerät", "MAC-Adresse", "IP", "Anschluss", "Restzeit"}
		var b strings.Builder
		for _, d := range list {
			for i, c := range columnsOf(d, order) {
				b.WriteString(labels[order[i]] + ": " + c + "\n")
			}
		}
		return b.String()
	},
	"JSON": func(list []thing, _ []int) string {
		var all []string
		for _, d := range list {
			all = append(all, fmt.Sprintf(`{"hostname": %q, "hw": %q, "ip": %q, "port": %q, "left": %q}`, d.name, d.mac, d.address, d.link, d.lease))
		}
		return "[" + strings.Join(all, ",\n") + "]"
	},
}

func columnsOf(d thing, order []int) []string {
	all := []string{d.name, d.mac, d.address, d.link, d.lease}
	out := make([]string, len(order))
	for i, o := range order {
		out[i] = all[o]
	}
	return out
}

func rowsWith(list []thing, order []int, sep string) string {
	var b strings.Builder
	for _, d := range list {
		b.WriteString(strings.Join(columnsOf(d, order), sep) + "\n")
	}
	return b.String()
}

// Whatever the layout and the order of the columns: every device comes with its
// MAC address, its address and its name, and nothing is left over.
func TestAnyListInAnyLayout(t *testing.T) {
	r := rand.New(rand.NewPCG(71, 72))
	for name, layout := range layouts {
		t.Run(name, func(t *testing.T) {
			wrong := 0
			for range 150 {
				list, order := things(r), r.Perm(5)
				// A card's first line is its name or its first label.
				if strings.HasPrefix(name, "cards") {
					at := slices.Index(order, 0)
					order[0], order[at] = order[at], order[0]
				}
				text := layout(list, order)
				got, err := Text("x", "", []byte(text))
				if err != nil {
					t.Fatal(err)
				}
				var want []string
				for _, d := range list {
					want = append(want, d.mac+" "+d.address+" "+d.name)
				}
				if !slices.Equal(unnumbered(got), want) {
					if wrong++; wrong > 3 {
						t.Fatalf("columns %v:\ngot  %q\nwant %q\nof\n%s\nnot understood %+v", order, unnumbered(got), want, text, got.Unread)
					}
				}
			}
			if wrong > 0 {
				t.Logf("%d of 150 lists were taken wrongly", wrong)
			}
		})
	}
}

// The routing table of Windows in eight languages: the words for "on the link"
// have one to three words.
func TestRoutesInEveryLanguage(t *testing.T) {
	onLink := map[string]string{
		"German": "Auf Verbindung", "French": "On-link", "Spanish": "En vínculo", "Italian": "On-link", "Polish": "On-link", "Dutch": "Op verbinding", "Portuguese": "No vínculo", "Japanese": "リンク上",
	}
	for language, w := range languages {
		link := onLink[language]
		if link == "" {
			t.Fatalf("no word for %s", language)
		}
		text := "===========================================================================\r\n" + w.iface + "\r\n 12...00 00 5e 00 53 7e ......Ethernet\r\n===========================================================================\r\n\r\n" +
			"          0.0.0.0          0.0.0.0       10.48.16.1     10.48.16.126     25\r\n" +
			"       10.48.16.0    255.255.255.0     " + link + "      10.48.16.126    281\r\n" +
			"     10.48.16.126  255.255.255.255     " + link + "      10.48.16.126    281\r\n" +
			"        127.0.0.0        255.0.0.0     " + link + "         127.0.0.1    331\r\n" +
			"  255.255.255.255  255.255.255.255     " + link + "      10.48.16.126    281\r\n"
		r, err := Text("x", "", []byte(text))
		if got := facts(r); err != nil || got != gw+"[] []" || len(r.Sightings) != 0 {
			t.Errorf("%s: %s, %q, %v", language, got, short(r), err)
		}
	}
}

// All that a laptop's own settings tell, with several adapters: the one with the
// gateway is proposed, the others are told.
func TestSeveralAdapters(t *testing.T) {
	text := "Ethernet adapter Virtual:\r\n\r\n   IPv4 Address. . . . . . . . . . . : 172.20.0.1(Preferred)\r\n   Subnet Mask . . . . . . . . . . . : 255.255.0.0\r\n   Default Gateway . . . . . . . . . : \r\n\r\n" +
		"Wireless LAN adapter Wi-Fi:\r\n\r\n   IPv4 Address. . . . . . . . . . . : 10.48.16.126(Preferred)\r\n   Subnet Mask . . . . . . . . . . . : 255.255.255.0\r\n   Lease Obtained. . . . . . . . . . : Monday, November 23, 2026 8:12:01 AM\r\n   Lease Expires . . . . . . . . . . : Tuesday, November 24, 2026 8:12:01 AM\r\n   Default Gateway . . . . . . . . . : 10.48.16.1\r\n   DHCP Server . . . . . . . . . . . : 10.48.16.2\r\n   DNS Servers . . . . . . . . . . . : 10.48.16.1\r\n                                       192.0.2.53\r\n   NetBIOS over Tcpip. . . . . . . . : Enabled\r\n"
	r, err := Text("x", "", []byte(text))
	f := r.Facts
	if err != nil || facts(r) != gw+"[10.48.16.1 192.0.2.53] []" || len(f.Adapters) != 2 || f.Adapters[0].Own.String() != "172.20.0.1/16" || f.Adapters[0].Gateway.IsValid() || f.Adapters[1].Gateway.String() != "10.48.16.1" {
		t.Errorf("%s, adapters %+v, %v", facts(r), f.Adapters, err)
	}
	if len(f.DHCP) != 1 || f.DHCP[0].String() != "10.48.16.2" || !strings.Contains(f.LeaseFrom, "November 23") || !strings.Contains(f.LeaseUntil, "November 24") {
		t.Errorf("DHCP %v, lease %q to %q", f.DHCP, f.LeaseFrom, f.LeaseUntil)
	}
	for text, want := range map[string]int{
		"dhcp-range=10.48.16.100,10.48.16.179,12h\n": 43200, "dhcp-range=10.48.16.100,10.48.16.179,45m\n": 2700,
		"       valid_lft 85932sec preferred_lft 85932sec\n": 85932, "DHCP4.OPTION[2]:   dhcp_lease_time = 600\n": 600, "default-lease-time 7200;\n": 7200,
	} {
		if r, err := Text("x", "", []byte(text)); err != nil || r.Facts.Lease != want {
			t.Errorf("%q: a lease of %d seconds, want %d, %v", text, r.Facts.Lease, want, err)
		}
	}
}

// Picking a reader by name leaves all else alone.
func TestOneReaderAlone(t *testing.T) {
	text := "1795431600 00:00:5e:00:53:21 10.48.16.112 rec *\n10.48.16.20 dev eth0 lladdr 00:00:5e:00:53:22 REACHABLE\ndefault via 10.48.16.1 dev eth0\nx\t00:00:5e:00:53:23\t10.48.16.23\n"
	for as, want := range map[string][]string{
		"leases": {"00:00:5e:00:53:21 10.48.16.112 rec"}, "neighbours": {"00:00:5e:00:53:22 10.48.16.20"}, "own-settings": nil,
	} {
		r, err := Text("x", as, []byte(text))
		if err != nil || !slices.Equal(unnumbered(r), want) {
			t.Errorf("%s: %q, %v", as, unnumbered(r), err)
		}
		if gateway := r.Facts.Gateway.IsValid(); gateway != (as == "own-settings") {
			t.Errorf("%s: a gateway is told: %v", as, gateway)
		}
		if len(r.Unread) == 0 {
			t.Errorf("%s: what was left alone is not shown", as)
		}
	}
}
