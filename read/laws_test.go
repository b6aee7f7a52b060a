package read

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"vestpin/core/site"
)

// What the law is held against knows nothing of the ledger: it looks with two patterns.
var (
	macPattern  = regexp.MustCompile(`(?i)(?:^|[^0-9a-z:.-])((?:[0-9a-f]{2}:){5}[0-9a-f]{2}|(?:[0-9a-f]{2}-){5}[0-9a-f]{2}|(?:[0-9a-f]{4}\.){2}[0-9a-f]{4})(?:$|[^0-9a-z:.-])`)
	addrPattern = regexp.MustCompile(`(?:^|[^0-9A-Za-z.:-])((?:10|192\.168|172\.(?:1[6-9]|2\d|3[01]))(?:\.\d{1,3}){2,3})(?:$|[^0-9A-Za-z.])`)
)

// silentIn gives what a text names that is nowhere in a result, though nobody said so.
func silentIn(text string, r Result) (out []string) {
	answer, _ := json.Marshal(r)
	said := strings.ToLower(string(answer))
	for number, l := range strings.Split(text, "\n") {
		told := slices.ContainsFunc(r.Unread, func(u Unread) bool { return u.Line == number+1 })
		for _, m := range macPattern.FindAllStringSubmatch(l, -1) {
			if mac, err := site.ParseMAC(m[1]); err == nil && !told && !strings.Contains(said, string(mac)) && !strings.Contains(said, strings.ToLower(m[1])) {
				out = append(out, fmt.Sprint(number+1, " ", mac))
			}
		}
		for _, m := range addrPattern.FindAllStringSubmatch(l, -1) {
			a, err := netip.ParseAddr(m[1])
			if err != nil || !a.IsPrivate() || a.As4()[3] == 0 || a.As4()[3] == 255 || told {
				continue
			}
			if !regexp.MustCompile(`(^|[^\d.])` + regexp.QuoteMeta(m[1]) + `($|[^\d])`).MatchString(said) {
				out = append(out, fmt.Sprint(number+1, " ", a))
			}
		}
	}
	return out
}

// quietly are files of programs that say who did not answer, of what a firewall lets by or of
// what is written beside a MAC address in one's own settings: understood, and nothing comes of it.
var quietly = regexp.MustCompile(`^(arp|ip-|proc|nb_|own|log|nft|iptables|ifconfig|ipconfig|kea|le_|o0|q34|q36|real_|l1[15]_|d_l0[34]|d_w03|e_l02|k_l0[38]|l_l02|m_l01|n_l01|[eg]_o0)`)

// Nothing is silent: of all files that are here, and of noise made of their lines.
func TestNothingIsSilent(t *testing.T) {
	var lines []string
	for _, dir := range []string{"testdata", "testdata/cases", "testdata/pages"} {
		files, err := os.ReadDir(dir)
		if err != nil {
			t.Fatal(err)
		}
		looked := 0
		for _, f := range files {
			if f.IsDir() || strings.HasSuffix(f.Name(), ".expect.json") || strings.HasSuffix(f.Name(), ".xlsx") || strings.HasSuffix(f.Name(), ".pcap") {
				continue
			}
			data, err := os.ReadFile(filepath.Join(dir, f.Name()))
			if err != nil {
				t.Fatal(err)
			}
			text, err := decode(string(data))
			if err != nil {
				continue
			}
			lines = append(lines, strings.Split(text, "\n")...)
			if quietly.MatchString(f.Name()) {
				continue
			}
			looked++
			r, err := Text("x", "", []byte(text))
			if err != nil {
				t.Errorf("%s: %v", f.Name(), err)
			}
			if silent := silentIn(text, r); len(silent) > 0 {
				t.Errorf("%s: nothing is said of %v", f.Name(), silent)
			}
		}
		if looked < 3 {
			t.Errorf("%d files of %s were looked at", looked, dir)
		}
	}
	r := rand.New(rand.NewPCG(20, 1))
	for round := range 3000 {
		var b strings.Builder
		at := r.IntN(len(lines))
		for range 1 + r.IntN(8) {
			if r.IntN(3) == 0 {
				at = r.IntN(len(lines))
			}
			b.WriteString(strings.ReplaceAll(lines[at%len(lines)], "dhcp", "zzzz") + "\n")
			at++
		}
		text := b.String()
		got, err := Text("x", "", []byte(text))
		if err != nil {
			continue
		}
		if silent := silentIn(text, got); len(silent) > 0 && !programs.MatchString(text) {
			t.Errorf("round %d: nothing is said of %v in\n%s", round, silent, text)
		}
	}
}

// programs are the forms of programs whose lines are understood though nothing comes of them.
var programs = regexp.MustCompile(`(?i)\bdev \S+|lladdr|incomplete|src=|dst=|iptables|-A \S|\bdnat\b|saddr|daddr|bytes from|ping|0x|DHCP|-- 0x|lease |hardware ethernet|inet |link/|nameserver|IP4|\.\s\.|ether|option:|^\d{9,} |\s(netif|U[GHSc]+)\s|"(dst|lladdr|local|addr_info|hw-address)"|Unreachable|Permanent|Store|IPv4Address|hwaddr,client_id|GENERAL`)

// written are forwards with their truth, in some shape.
func writtenForwards(r *rand.Rand, heads string) (text string, want []string) {
	type column struct {
		head  string
		cells []string
	}
	n := 3 + r.IntN(5)
	names := []string{"recorder page", "till feed", "door station", "kiln", "pump house", "desk", "yard camera", "sign", "phone trunk"}
	r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	inside := []string{"80", "443", "554", "22", "3389", "80", "8000-8003"}
	columns := []column{{head: "Name"}, {head: "Protocol"}, {head: "Outside port"}, {head: "Address"}, {head: "Inside port"}, {head: "On"}}
	if r.IntN(2) == 0 {
		columns = append(columns, column{head: "Allowed from"})
	}
	used := map[string]bool{}
	for i := range n {
		in := inside[r.IntN(len(inside))]
		out := fmt.Sprint(8000 + r.IntN(900)*10)
		if strings.Contains(in, "-") {
			var lo int
			fmt.Sscan(out, &lo)
			out = fmt.Sprintf("%d-%d", lo, lo+3)
		}
		if used[out] {
			continue
		}
		used[out] = true
		proto, on, from := []string{"TCP", "UDP", "TCP"}[r.IntN(3)], r.IntN(4) > 0, ""
		if r.IntN(4) == 0 && len(columns) > 6 {
			from = fmt.Sprintf("198.51.100.%d", 1+r.IntN(200))
		}
		address := fmt.Sprintf("10.48.16.%d", 20+i)
		cells := []string{names[i], proto, out, address, in, map[bool]string{true: "yes", false: "no"}[on], from}
		if from == "" {
			cells[6] = "any"
		}
		for c := range columns {
			columns[c].cells = append(columns[c].cells, cells[c])
		}
		if len(columns) < 7 {
			from = ""
		}
		want = append(want, fmt.Sprintf("%s %s %s %s %v %s", strings.ToLower(proto), out, address, in, on, from))
	}
	order := []int{0, 1, 2, 3, 4, 5, 6}[:len(columns)]
	switch r.IntN(3) {
	case 1:
		order = []int{5, 0, 2, 1, 3, 4, 6}[:6]
	case 2:
		order = []int{0, 3, 4, 1, 2, 5}
	}
	if len(columns) > 6 && len(order) < 7 {
		order = append(slices.Clone(order), 6)
	}
	nonsense := []string{"qub", "zolt", "varn", "mip", "tesk", "lorp", "vend"}
	var b strings.Builder
	line := func(cells []string) { b.WriteString(strings.Join(cells, "\t") + "\n") }
	if r.IntN(4) == 0 {
		b.WriteString("<html><body><table>")
		line = func(cells []string) { b.WriteString("<tr><td>" + strings.Join(cells, "</td><td>") + "</td></tr>\n") }
	}
	if heads != "dropped" {
		var cells []string
		for k, c := range order {
			if heads == "nonsense" {
				cells = append(cells, nonsense[k])
			} else {
				cells = append(cells, columns[c].head)
			}
		}
		line(cells)
	}
	for i := range columns[0].cells {
		var cells []string
		for _, c := range order {
			cells = append(cells, columns[c].cells[i])
		}
		line(cells)
	}
	return b.String(), want
}

// Forwards in all shapes, with headings, without, and with headings in no language: what is not
// asked about is right, and none is believed that is not.
func TestForwardsByStructure(t *testing.T) {
	for _, heads := range []string{"usual", "dropped", "nonsense"} {
		wanted, right, wrong, silent := 0, 0, 0, 0
		shown := 0
		for seed := range uint64(1000) {
			text, want := writtenForwards(rand.New(rand.NewPCG(seed, 20)), heads)
			r, err := Text("x", "", []byte(text))
			if err != nil {
				t.Fatal(err)
			}
			var got []string
			for _, f := range r.Forwards {
				got = append(got, fmt.Sprintf("%s %s %s %s %v %s", f.Protocol, f.Outside, f.Address, f.Inside, f.Enabled, strings.Join(f.From, ",")))
			}
			bad := 0
			for _, g := range got {
				if !slices.Contains(want, g) {
					bad++
				}
			}
			wrong += bad
			for _, w := range want {
				wanted++
				if slices.Contains(got, w) {
					right++
				} else if bad == 0 && len(r.Unread) == 0 {
					silent++
				}
			}
			if (bad > 0 || silent > 0) && shown < 2 {
				shown++
				t.Logf("%s, seed %d: got %q of\n%s\nquestions %+v, lists %+v", heads, seed, got, text, r.Questions, r.Lists)
			}
		}
		t.Logf("%s: %d of %d right, %d wrong, %d silent", heads, right, wanted, wrong, silent)
		if right*100 < wanted*85 || wrong > 0 || silent > 0 {
			t.Errorf("%s: %d of %d right, %d wrong, %d silent", heads, right, wanted, wrong, silent)
		}
	}
}

// Lists of devices below headings in no language.
func TestDevicesByStructure(t *testing.T) {
	nonsense := tongue{"Qub", "Zolt", "Varn", "Mip", "Tesk", "Lorp", "Vend", "Hask", "%d minutes ago", "Wired", "Online", "Offline"}
	var n tally
	for seed := range uint64(1000) {
		r := rand.New(rand.NewPCG(seed, 21))
		layout := []string{"tabs", "semicolons", "commas", "columns", "page", "parts"}[r.IntN(6)]
		junk := []string{"link", "lease", "signal", "maker", "state"}
		r.Shuffle(len(junk), func(i, j int) { junk[i], junk[j] = junk[j], junk[i] })
		keys := append([]string{"name", "address", "mac"}, junk[:r.IntN(4)]...)
		r.Shuffle(len(keys), func(i, j int) { keys[i], keys[j] = keys[j], keys[i] })
		list := randomDevices(r, nonsense)
		var e truth
		for _, d := range list {
			e.Sightings = append(e.Sightings, [3]string{d.mac, d.address, d.name})
		}
		text := write(r, nonsense, list, keys, true, layout)
		got, err := Text("x", "", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		before := n
		faults := n.hold(e, got)
		if n.wrong > before.wrong && n.wrong < 20 {
			t.Logf("seed %d, %s:\n%s%s\nlists %+v", seed, layout, text, strings.Join(faults, "\n"), got.Lists)
		}
	}
	t.Logf("%+v", n)
	if n.right*100 < n.wanted*85 || n.wrong > 0 || n.silent > 0 {
		t.Errorf("%+v", n)
	}
}

// What a list leaves open is asked, and nothing is believed that hangs on it; what has no doubt
// is not asked.
func TestWhatIsAsked(t *testing.T) {
	const head = "Name\tProtocol\tOutside port\tAddress\tInside port\tStatus\n"
	row := func(n int, rest string) string {
		return fmt.Sprintf("door %d\ttcp\t80%d\t10.48.16.%d\t80\t%s\n", n, 20+n, 20+n, rest)
	}
	for name, c := range map[string]struct {
		text      string
		questions int
		forwards  string // on, and who may connect
		devices   string
		told      string
	}{
		"ports that are close":         {"Zul\tProtocol\tMorr\tVant\tPort\na\tTCP\t9101\t10.48.16.40\t9102\nb\tTCP\t9201\t10.48.16.41\t9200\n", 1, "", "", "9101"},
		"words that nobody knows":      {head + row(1, "zelt") + row(2, "quark"), 1, "", "", "zelt"},
		"a word and its opposite":      {head + row(1, "zelt") + row(2, "nicht zelt"), 0, "true[] false[]", "", ""},
		"a word of three is unknown":   {head + row(1, "on") + row(2, "off") + row(3, "quark"), 1, "true[] false[]", "", "quark"},
		"the third protocol is both":   {strings.Replace(head, "Status", "Kram", 1) + strings.Replace(row(1, "x")+row(2, "x"), "door 2\ttcp", "door 2\tquark", 1), 0, "true[] true[]", "", ""},
		"the third protocol is none":   {strings.Replace(head, "Status", "Kram", 1) + strings.Replace(row(1, "x")+row(2, "x"), "door 2\ttcp", "door 2\tGRE", 1), 0, "true[]", "", "GRE"},
		"one of two words is known":    {head + row(1, "yes") + row(2, "quark"), 0, "true[] false[]", "", ""},
		"two words below no heading":   {strings.Replace(head, "Status", "Kram", 1) + row(1, "jo") + row(2, "ne"), 0, "true[] false[]", "", ""},
		"two words of nobody":          {strings.Replace(head, "Status", "Kram", 1) + row(1, "zil") + row(2, "pok"), 1, "", "", "zil"},
		"pictures say what is on":      {strings.Replace(head, "Status", "Enabled", 1) + row(1, "") + row(2, ""), 1, "", "", "door 1"},
		"ticks below TCP and UDP":      {"Name\tTCP\tUDP\tOutside port\tAddress\tInside port\na\tx\t\t8021\t10.48.16.21\t80\nb\tx\tx\t8022\t10.48.16.22\t80\n", 0, "true[] true[]", "", ""},
		"neither TCP nor UDP":          {"Name\tTCP\tUDP\tOutside port\tAddress\tInside port\na\tx\t-\t8021\t10.48.16.21\t80\nb\t-\t\t8022\t10.48.16.22\t80\n", 0, "true[]", "", "8022"},
		"words below TCP and UDP":      {"Name\tTCP\tUDP\tOutside port\tAddress\tInside port\na\tzil\tpok\t8021\t10.48.16.21\t80\nb\tpok\tzil\t8022\t10.48.16.22\t80\n", 0, "", "", "8021"},
		"a class that says nothing":    {"<html><body><table><tr><th>Status</th><th>Name</th><th>Protocol</th><th>Outside port</th><th>Host</th><th>Inside port</th></tr><tr><td><i class='icon no-border'></i></td><td>a</td><td>TCP</td><td>8021</td><td>10.48.16.21</td><td>80</td></tr><tr><td><i class='icon no-border'></i></td><td>b</td><td>TCP</td><td>8022</td><td>10.48.16.22</td><td>443</td></tr></table></body></html>", 0, "true[] true[]", "", ""},
		"protocols without ports":      {strings.Replace(head, "Status", "Kram", 1) + strings.Replace(row(1, "x"), "\ttcp", "\tGRE", 1) + strings.Replace(row(2, "x"), "\ttcp", "\tESP", 1), 0, "", "", "GRE"},
		"several senders":              {"Name,Protocol,Public port,Private IP,Private port,Sources\nrec,TCP,8021,10.48.16.21,80,\"198.51.100.7, 203.0.113.0/24\"\n", 0, "true[198.51.100.7 203.0.113.0/24]", "", ""},
		"several of nobody knows what": {"Name,Protocol,Public port,Private IP,Private port,Zul\nrec,TCP,8021,10.48.16.21,80,\"198.51.100.7, 203.0.113.0/24\"\n", 0, "", "", "8021"},
		"ports below TCP and UDP":      {"Name\tTCP\tUDP\tAddress\na\t8021\t\t10.48.16.21\nb\t8022\t5062\t10.48.16.22\n", 0, "true[] true[] true[]", "", ""},
		"a line that is struck out":    {"- ~~tcp 8021 -> 10.48.16.21:80~~\n- tcp 8022 -> 10.48.16.22:80\n", 0, "true[]", "", "8021"},
		"a device struck out":          {"~~cam 10.48.16.21 00:00:5e:00:53:21~~\ndoor 10.48.16.22 00:00:5e:00:53:22\n", 0, "", "10.48.16.22", "10.48.16.21"},
		"to, said of the outside":      {"From\tTo port\tSent to\tAt port\tProtocol\nany\t8021\t10.48.16.21\t80\tTCP\nany\t8444\t10.48.16.22\t443\tTCP\n", 0, "true[] true[]", "", ""},
		"how cameras are spoken to":    {"Camera\tAddress\tPort\tStatus\tProtocol\nyard\t10.48.16.21\t80\tOnline\tZilt\ngate\t10.48.16.22\t80\tOffline\tZilt\n", 0, "", "10.48.16.21 10.48.16.22", ""},
		"ticks and blanks":             {head + row(1, "✔") + row(2, ""), 0, "true[] false[]", "", ""},
		"off, and blanks":              {head + row(1, "disabled") + row(2, ""), 0, "false[] true[]", "", ""},
		"a column of what is off":      {strings.Replace(head, "Status", "Disabled", 1) + row(1, "yes") + row(2, "no"), 0, "false[] true[]", "", ""},
		"senders by a name":            {strings.Replace(head, "Status", "Source", 1) + row(1, "office") + row(2, "any"), 0, "true[]", "", "office"},
		"senders below no heading":     {strings.Replace(head, "Status", "Kram", 1) + row(1, "198.51.100.7") + row(2, "any"), 0, "true[198.51.100.7] true[]", "", ""},
		"a line with two addresses":    {"tcp 8021 -> 10.48.16.21:80 198.51.100.9 or so\n", 0, "", "", "8021"},
		"a line that says no":          {"do not forward tcp 8021 -> 10.48.16.21:80\n", 0, "", "", "8021"},
		"a line with its sender":       {"tcp 8021 -> 10.48.16.21:80 from 198.51.100.9\n", 0, "true[198.51.100.9]", "", ""},
		"on and off below each line":   {"Recorder\ntcp 8021 -> 10.48.16.21:80\nOff\nVoice\nudp 5060 -> 10.48.16.22:5060\nOn\n", 0, "false[] true[]", "", ""},
		"no one knows what is below":   {"tcp 8021 -> 10.48.16.21:80\nzelt\n\ntcp 8022 -> 10.48.16.22:80\nquark\n", 0, "", "", "8021"},
		"a figure without its place":   {"tcp 8021 -> 10.48.16.21:80 for 3 days\n", 0, "", "", "8021"},
		"an arrow that points back":    {"10.48.16.21:80 <- 8021/tcp\n", 0, "true[]", "", ""},
		"what is logged is not on":     {"Name\tProtocol\tExternal\tInternal\tHost\tLog\nrec\tTCP\t8021\t80\t10.48.16.21\tNo\nbel\tTCP\t8022\t443\t10.48.16.22\tYes\n", 0, "true[] true[]", "", ""},
		"rules of a firewall":          {"Chain\tAction\tProtocol\tDestination\tPort\nin\taccept\ttcp\t10.48.16.21\t80\nin\tdrop\ttcp\t10.48.16.22\t443\n", 0, "", "", "10.48.16.21"},
		"rules of a queue":             {"Rule\tProtocol\tHost\tPorts\tPriority\na\tUDP\t10.48.16.21\t5060\thigh\nb\tTCP\t10.48.16.22\t554\tlow\n", 0, "", "", "10.48.16.21"},
		"a row that a class puts off":  {"<html><body><table><tr><th>Name</th><th>Protocol</th><th>Outside port</th><th>Host</th><th>Inside port</th></tr><tr class=disabled><td>a</td><td>TCP</td><td>8021</td><td>10.48.16.21</td><td>80</td></tr><tr><td>b</td><td>TCP</td><td>8022</td><td>10.48.16.22</td><td>443</td></tr></table></body></html>", 0, "false[] true[]", "", ""},
		"a title that puts them off":   {"Disabled:\ntcp 8021 -> 10.48.16.21:80\ntcp 8022 -> 10.48.16.22:80\n", 0, "false[] false[]", "", ""},
		"a title set apart":            {"Off:\n\ntcp 8021 -> 10.48.16.21:80\n\nOn:\n\ntcp 8022 -> 10.48.16.22:80\n", 0, "false[] true[]", "", ""},
		"off above or below, unclear":  {"Off\ntcp 8021 -> 10.48.16.21:80\nOn\ntcp 8022 -> 10.48.16.22:80\n", 0, "", "", "8021"},
		"what is said above a named":   {"only in summer\nrec: tcp 8021 -> 10.48.16.21:80\nbel: tcp 8022 -> 10.48.16.22:80\n", 0, "true[] true[]", "", "only in summer"},
		"an address that changes":      {"cam 10.48.16.21 -> 10.48.16.22 00:00:5e:00:53:21\n", 0, "", "10.48.16.22", ""},
		"two addresses of one device":  {"cam was 10.48.16.21, now 10.48.16.22, 00:00:5e:00:53:21\n", 0, "", "10.48.16.22", ""},
		"a radio's own MAC address":    {"SSID\tBSSID\tChannel\nshop\t00:00:5e:00:53:21\t6\nyard\t00:00:5e:00:53:22\t11\n", 0, "", "", "00:00:5e:00:53:21"},
		"a MAC address with blanks":    {"written on the box is 00 00 5e 00 53 21\n", 0, "", "", "00 00 5e 00 53 21"},
		"one network and short ones":   {"Barn, 10.48.16.0/24\nrec .20 00:00:5e:00:53:21\ngate .21 00:00:5e:00:53:22\n", 0, "", "10.48.16.20 10.48.16.21", ""},
		"two networks and short ones":  {"Barn, 10.48.16.0/24, house 10.48.17.0/24\nrec .20 00:00:5e:00:53:21\ngate .21 00:00:5e:00:53:22\n", 1, "", "invalid IP invalid IP", ""},
		"default is a name":            {"default rack 10.48.16.9\n", 0, "", "", "10.48.16.9"},
		"an address out there":         {"J. Sample | Quay | 198.51.100.80 | x\nK. Sample | Quay | 198.51.100.81 | x\n", 0, "", "", "198.51.100.80"},
	} {
		r, err := Text("x", "", []byte(c.text))
		if err != nil {
			t.Fatal(err)
		}
		var forwards, devices []string
		for _, f := range r.Forwards {
			forwards = append(forwards, fmt.Sprintf("%v%v", f.Enabled, f.From))
		}
		for _, s := range r.Sightings {
			devices = append(devices, s.Address.String())
		}
		if len(r.Questions) != c.questions || strings.Join(forwards, " ") != c.forwards || strings.Join(devices, " ") != c.devices || r.Facts.Gateway.IsValid() || !slices.ContainsFunc(append(r.Unread, Unread{}), func(u Unread) bool { return c.told == "" || strings.Contains(u.Text, c.told) }) {
			t.Errorf("%s: %d questions, forwards %q, devices %q, told %+v", name, len(r.Questions), forwards, devices, r.Unread)
		}
	}
}

// What is beyond the bound of what is told is counted all the same.
func TestAllThatIsMissedIsCounted(t *testing.T) {
	noise := strings.Repeat("nobody reads this, 7\n", MostUnread+50)
	before, err := Text("x", "", []byte(noise))
	if err != nil {
		t.Fatal(err)
	}
	// A comment is passed by, and the address in it is not.
	after, err := Text("x", "", []byte(noise+"# 10.48.16.77 was here\n"))
	if err != nil || after.Missed != before.Missed+1 || len(after.Unread) != MostUnread {
		t.Errorf("%d missed, then %d; %d told, %v", before.Missed, after.Missed, len(after.Unread), err)
	}
}

// Of a list that is longer than what its columns are judged by, each row says whether it is on.
func TestSwitchesOfALongList(t *testing.T) {
	var b strings.Builder
	b.WriteString("Name\tProtocol\tOutside port\tAddress\tInside port\tStatus\n")
	for i := range 3001 {
		state := "disabled"
		if i == 7 || i == 2999 {
			state = "enabled"
		}
		fmt.Fprintf(&b, "n%d\ttcp\t%d\t10.48.%d.%d\t80\t%s\n", i, 10000+i, i/250, 1+i%250, state)
	}
	r, err := Text("x", "", []byte(b.String()))
	if err != nil || len(r.Forwards) != 3001 {
		t.Fatalf("%d forwards, %v", len(r.Forwards), err)
	}
	for i, f := range r.Forwards {
		if f.Enabled != (i == 7 || i == 2999) {
			t.Errorf("row %d: on is %v", i, f.Enabled)
		}
	}
}

// A list that a script packs into one long text is read whole.
func TestLongPackedText(t *testing.T) {
	var b strings.Builder
	for i := range 200 {
		fmt.Fprintf(&b, "<1>host-%d>10.48.16.%d>00:00:5e:00:53:%02x>LAN", i, i+1, i)
	}
	r, err := Text("x", "", []byte("<html><body><script>var list = \""+b.String()+"\";</script></body></html>"))
	if err != nil || len(r.Sightings) != 200 || r.Sightings[7].Host != "host-7" || r.Missed > 0 {
		t.Errorf("%d sightings, %d missed, %v", len(r.Sightings), r.Missed, err)
	}
}

// A laptop's settings are one device with an interface for each adapter that has an address.
func TestOwnAdapters(t *testing.T) {
	adapter := func(kind string, n int) string {
		return fmt.Sprintf("\n%s:\n\n   Description . . . . : x\n   Physical Address. . . : 00-00-5E-00-53-%02X\n   IPv4 Address. . . . . : 10.48.16.%d(Preferred)\n   Subnet Mask . . . . . : 255.255.255.0\n   Default Gateway . . . : 10.48.16.1\n", kind, n, n)
	}
	idle := "\nWireless adapter 2:\n\n   Media State . . . : disconnected\n   Physical Address. . . : 00-00-5E-00-53-63\n"
	r, err := Text("x", "", []byte("Configuration\n\n   Host Name . . . . : laptop-7\n   Node Type . . . . : Hybrid\n"+adapter("Ethernet adapter", 0x61)+adapter("Wireless adapter", 0x62)+idle))
	var got []string
	for _, s := range r.Sightings {
		got = append(got, fmt.Sprint(s.MAC, " ", s.Address, " ", s.Host, " ", s.State))
	}
	want := "00:00:5e:00:53:61 10.48.16.97 laptop-7 this computer|00:00:5e:00:53:62 10.48.16.98 laptop-7 this computer"
	if err != nil || strings.Join(got, "|") != want || r.Facts.Gateway.String() != "10.48.16.1" {
		t.Errorf("got %q, %+v, %v", got, r.Facts, err)
	}
}

// An address with its mask may be of any network; with a range or a gateway it is the site's.
func TestNetworkOfSettings(t *testing.T) {
	for text, want := range map[string]string{
		"Address: 10.48.16.1\nSubnet mask: 255.255.255.0\n":                                                          "invalid Prefix",
		"Address: 10.48.16.1\nSubnet mask: 255.255.255.0\nFirst address: 10.48.16.100\nLast address: 10.48.16.179\n": "10.48.16.0/24",
		"Address: 10.48.16.1\nSubnet mask: 255.255.255.0\nFirst address: 10.48.17.100\nLast address: 10.48.17.179\n": "invalid Prefix",
	} {
		if r, err := Text("x", "", []byte(text)); err != nil || r.Facts.Subnet.String() != want {
			t.Errorf("%s: %v, %v", text, r.Facts.Subnet, err)
		}
	}
}
