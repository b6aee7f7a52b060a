package read

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"
)

// line writes a sighting in short.
func short(r Result) []string {
	out := []string{}
	for _, s := range r.Sightings {
		a := ""
		if s.Address.IsValid() {
			a = s.Address.String()
		}
		out = append(out, strings.TrimSpace(fmt.Sprintf("%d %s %s %s", s.Line, s.MAC, a, s.Host)))
	}
	return out
}

func facts(r Result) string {
	f := r.Facts
	return fmt.Sprintf("%v %v %v %v %v", f.Subnet, f.Own, f.Gateway, f.DNS, f.Ranges)
}

const none = "invalid Prefix invalid IP invalid IP [] []"

func TestEachFormat(t *testing.T) {
	cases := []struct {
		name, text string
		want       []string
		facts      string
		unread     int
	}{
		{"dnsmasq leases", "1795431600 00:00:5e:00:53:21 10.48.16.112 rec 01:00:00:5e:00:53:21\n0 00:00:5e:00:53:22 10.48.16.113 * *\nduid 00:01:00:01:2c\n1795431600 1 fd00::5 rec 00:01\n",
			[]string{"1 00:00:5e:00:53:21 10.48.16.112 rec", "2 00:00:5e:00:53:22 10.48.16.113"}, none, 0},
		{"dnsmasq configuration", "dhcp-range=10.48.16.100,10.48.16.179,24h\ndhcp-host=00:00:5e:00:53:21,10.48.16.20,rec\ndhcp-option=option:router,10.48.16.1\n",
			[]string{"2 00:00:5e:00:53:21 10.48.16.20 rec"}, "invalid Prefix invalid IP 10.48.16.1 [] [{10.48.16.100 10.48.16.179}]", 0},
		{"ip neigh", "10.48.16.20 dev eth0 lladdr 00:00:5e:00:53:21 REACHABLE \n10.48.16.9 dev eth0  FAILED \nfe80::200:5eff:fe00:5301 dev eth0 lladdr 00:00:5e:00:53:01 router STALE\n10.48.16.8 dev eth0 INCOMPLETE\n",
			[]string{"1 00:00:5e:00:53:21 10.48.16.20", "3 00:00:5e:00:53:01"}, none, 0},
		{"arp -a of Linux", "rec.lan (10.48.16.20) at 00:00:5e:00:53:21 [ether] on eth0\n? (10.48.16.9) at <incomplete> on eth0\n",
			[]string{"1 00:00:5e:00:53:21 10.48.16.20 rec.lan"}, none, 0},
		{"arp -a of macOS", "? (10.48.16.1) at 0:0:5e:0:53:1 on en0 ifscope [ethernet]\n? (10.48.16.255) at ff:ff:ff:ff:ff:ff on en0 ifscope [ethernet]\n? (10.48.16.7) at (incomplete) on en0 ifscope [ethernet]\n",
			[]string{"1 00:00:5e:00:53:01 10.48.16.1"}, none, 0},
		{"arp -n of Linux", "Address                  HWtype  HWaddress           Flags Mask            Iface\n10.48.16.20              ether   00:00:5e:00:53:21   C                     eth0\n",
			[]string{"2 00:00:5e:00:53:21 10.48.16.20"}, none, 0},
		{"/proc/net/arp", "10.48.16.20      0x1         0x2         00:00:5e:00:53:21     *        eth0\n10.48.16.9       0x1         0x0         00:00:00:00:00:00     *        eth0\n",
			[]string{"1 00:00:5e:00:53:21 10.48.16.20"}, none, 0},
		{"arp -a of Windows, German", "\r\nSchnittstelle: 10.48.16.126 --- 0x5\r\n  Internetadresse       Physische Adresse     Typ\r\n  10.48.16.1            00-00-5e-00-53-01     dynamisch \r\n  224.0.0.22            01-00-5e-00-00-16     statisch  \r\n",
			[]string{"4 00:00:5e:00:53:01 10.48.16.1"}, none, 0},
		{"ip addr and ip route", "1: lo: <LOOPBACK,UP,LOWER_UP> mtu 65536\n    inet 127.0.0.1/8 scope host lo\n2: eth0: <BROADCAST,MULTICAST,UP,LOWER_UP> mtu 1500 qdisc fq state UP\n    link/ether 00:00:5e:00:53:7e brd ff:ff:ff:ff:ff:ff\n    inet 10.48.16.126/24 brd 10.48.16.255 scope global dynamic eth0\n       valid_lft 85932sec preferred_lft 85932sec\n3: br0: <BROADCAST,UP> mtu 1500\n    inet 172.20.0.1/16 scope global br0\ndefault via 10.48.16.1 dev eth0 proto dhcp\n10.48.16.0/24 dev eth0 proto kernel scope link\nnameserver 10.48.16.1\n",
			[]string{}, "10.48.16.0/24 10.48.16.126 10.48.16.1 [10.48.16.1] []", 0},
		{"ipconfig /all, French", "Carte Ethernet Ethernet :\r\n\r\n   Suffixe DNS propre à la connexion. . . : lan\r\n   Adresse physique . . . . . . . . . . . : 00-00-5E-00-53-7E\r\n   DHCP activé. . . . . . . . . . . . . . : Oui\r\n   Adresse IPv4. . . . . . . . . . . . . .: 10.48.16.126(préféré)\r\n   Masque de sous-réseau. . . . . . . . . : 255.255.255.0\r\n   Bail obtenu. . . . . . . . . . . . . . : lundi 23 novembre 2026 08:12:01\r\n   Bail expirant. . . . . . . . . . . . . : mardi 24 novembre 2026 08:12:01\r\n   Passerelle par défaut. . . . . . . . . : fe80::1%5\r\n                                       10.48.16.1\r\n   Serveur DHCP . . . . . . . . . . . . . : 10.48.16.1\r\n   Serveurs DNS. . .  . . . . . . . . . . : 10.48.16.1\r\n                                       192.0.2.53\r\n",
			[]string{}, "10.48.16.0/24 10.48.16.126 10.48.16.1 [10.48.16.1 192.0.2.53] []", 0},
		{"ipconfig of two adapters", "Ethernet adapter Virtual:\r\n\r\n   IPv4 Address. . . . . . . . . . . : 172.20.0.1\r\n   Subnet Mask . . . . . . . . . . . : 255.255.0.0\r\n   Default Gateway . . . . . . . . . : \r\n\r\nWireless LAN adapter Wi-Fi:\r\n\r\n   IPv4 Address. . . . . . . . . . . : 10.48.16.126\r\n   Subnet Mask . . . . . . . . . . . : 255.255.255.0\r\n   Default Gateway . . . . . . . . . : 10.48.16.1\r\n",
			[]string{}, "10.48.16.0/24 10.48.16.126 10.48.16.1 [] []", 0},
		{"a router page with tabs, in any order", "Verbindung\tIP-Adresse\tGerätename\tMAC-Adresse\nLAN 1\t10.48.16.20\trec\t00:00:5E:00:53:21\nWLAN\t10.48.16.21\tcam 22\t00:00:5E:00:53:22\nWLAN\t10.48.16.22\tKüche\t0000.5e00.5323\n",
			[]string{"2 00:00:5e:00:53:21 10.48.16.20 rec", "3 00:00:5e:00:53:22 10.48.16.21 cam 22", "4 00:00:5e:00:53:23 10.48.16.22 Küche"}, none, 0},
		{"a router page with blanks", "Device name     IP address     MAC address        Lease\nrec             10.48.16.20    00005e005321       23:12:40\nkiln-3          10.48.16.21    00-00-5e-00-53-22  1d 4h\n",
			[]string{"2 00:00:5e:00:53:21 10.48.16.20 rec", "3 00:00:5e:00:53:22 10.48.16.21 kiln-3"}, none, 0},
		{"a table with commas", "\"name\",\"mac\",\"address\"\n\"rec, big\",\"00:00:5e:00:53:21\",\"10.48.16.20\"\n", []string{"2 00:00:5e:00:53:21 10.48.16.20 rec, big"}, none, 0},
		{"rubbish", "hello\n\n\x1b[31mred\x1b[0m\n80:00\n", []string{}, none, 3},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r, err := Text("x", "", []byte(c.text))
			if err != nil {
				t.Fatal(err)
			}
			if got := short(r); !reflect.DeepEqual(got, c.want) {
				t.Errorf("got  %q\nwant %q", got, c.want)
			}
			if got := facts(r); got != c.facts {
				t.Errorf("facts %s, want %s", got, c.facts)
			}
			if len(r.Unread) != c.unread {
				t.Errorf("not understood: %+v, want %d", r.Unread, c.unread)
			}
		})
	}
}

func TestUTF16AndOldCodePages(t *testing.T) {
	wide := []byte{0xff, 0xfe}
	for _, b := range []byte("10.48.16.20 dev eth0 lladdr 00:00:5e:00:53:21 STALE\r\n") {
		wide = append(wide, b, 0)
	}
	old := []byte("K\xfcche\t10.48.16.20\t00:00:5e:00:53:21\n")
	for _, c := range []struct {
		data []byte
		want string
	}{{wide, "1 00:00:5e:00:53:21 10.48.16.20"}, {old, "1 00:00:5e:00:53:21 10.48.16.20 Küche"}} {
		r, err := Text("x", "", c.data)
		if err != nil || len(short(r)) != 1 || short(r)[0] != c.want {
			t.Errorf("got %q, %v; want %q", short(r), err, c.want)
		}
	}
}

func TestWhatIsNotReadAtAll(t *testing.T) {
	var long *TooLongError
	if _, err := Text("x", "", make([]byte, MaxBytes+1)); !errors.As(err, &long) {
		t.Errorf("too much: %v", err)
	}
	if _, err := Text("x", "", []byte("\x89PNG\r\n\x1a\n\x00\x00\x00")); !errors.Is(err, ErrBinary) {
		t.Errorf("a picture: %v", err)
	}
	if _, err := Text("x", "tea-leaves", nil); err == nil {
		t.Error("an unknown reader was taken")
	}
}

// The samples of testdata were printed by the real programs; see their README.
func TestSamplesOfRealPrograms(t *testing.T) {
	want := map[string]string{
		"ip-neigh.txt": "00:00:5e:00:53:10", "arp-a.txt": "00:00:5e:00:53:10", "arp-n.txt": "00:00:5e:00:53:10", "proc-net-arp.txt": "00:00:5e:00:53:10", "dnsmasq.leases": "00:00:5e:00:53:10",
	}
	for name, mac := range want {
		data, err := os.ReadFile(filepath.Join("testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		r, err := Text(name, "", data)
		if err != nil || !strings.Contains(strings.Join(short(r), "\n"), mac) {
			t.Errorf("%s: %q, %v", name, short(r), err)
		}
	}
	data, err := os.ReadFile(filepath.Join("testdata", "ip-addr.txt"))
	if err != nil {
		t.Fatal(err)
	}
	if r, err := Text("own", "", data); err != nil || r.Facts.Subnet.String() != "10.48.16.0/24" || r.Facts.Gateway.String() != "10.48.16.1" {
		t.Errorf("own settings: %s, %v", facts(r), err)
	}
}

func FuzzText(f *testing.F) {
	f.Add([]byte("10.48.16.20 dev eth0 lladdr 00:00:5e:00:53:21 STALE\n1795431600 00:00:5e:00:53:21 10.48.16.112 rec *\na\t10.48.16.20\t00:00:5e:00:53:21\n   x. . : 10.0.0.1\n   y. . : 255.0.0.0"))
	for _, dir := range []string{"testdata/cases", "testdata/pages"} { // what it is given grows with what is read
		files, err := os.ReadDir(dir)
		if err != nil {
			f.Fatal(err)
		}
		for _, file := range files {
			if data, err := os.ReadFile(filepath.Join(dir, file.Name())); err == nil && len(data) < 4000 && !strings.HasSuffix(file.Name(), ".expect.json") {
				f.Add(data)
			}
		}
	}
	f.Add([]byte("[14.05.24, 09:12:03] Ana: \n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		begin := time.Now()
		r, err := Text("x", "", data)
		if took := time.Since(begin); took > 3*time.Second+time.Duration(len(data))*5*time.Microsecond { // also on a machine that does much besides
			t.Errorf("%d bytes took %v", len(data), took)
		}
		if err != nil {
			return
		}
		lines := strings.Count(string(data), "\n") + 1
		for _, s := range r.Sightings {
			if s.Line < 1 || s.Line > lines || (s.MAC == "" && !s.Address.IsValid()) {
				t.Errorf("a sighting of nothing: %+v", s)
			}
		}
	})
}
