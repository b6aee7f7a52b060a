package read

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"vestpin/lab"
)

const gw = "10.48.16.0/24 10.48.16.126 10.48.16.1 "

func TestOwnSettingsOfEverySystem(t *testing.T) {
	cases := []struct{ name, text, facts string }{
		{"ifconfig of macOS", "en0: flags=8863<UP,BROADCAST,SMART,RUNNING,SIMPLEX,MULTICAST> mtu 1500\n\toptions=6460<TSO4,TSO6,CHANNEL_IO>\n\tether 00:00:5e:00:53:7e\n\tinet6 fe80::1%en0 prefixlen 64 secured scopeid 0xb\n\tinet 10.48.16.126 netmask 0xffffff00 broadcast 10.48.16.255\n\tnd6 options=201<PERFORMNUD,DAD>\n\tmedia: autoselect\n\tstatus: active\n",
			"10.48.16.0/24 10.48.16.126 invalid IP [] []"},
		{"the older ifconfig, German", "eth0      Link encap:Ethernet  Hardware Adresse 00:00:5e:00:53:7e\n          inet Adresse:10.48.16.126  Bcast:10.48.16.255  Maske:255.255.255.0\n          RX packets:30 errors:0 dropped:0\n",
			"10.48.16.0/24 10.48.16.126 invalid IP [] []"},
		{"netstat -rn of macOS", "Routing tables\n\nInternet:\nDestination        Gateway            Flags               Netif Expire\ndefault            10.48.16.1         UGScg                 en0\n10.48.16/24        link#11            UCS                   en0      !\n127                127.0.0.1          UCS                   lo0\n224.0.0/4          link#11            UmCS                  en0      !\n",
			"10.48.16.0/24 invalid IP 10.48.16.1 [] []"},
		{"route print of Windows, German", "===========================================================================\r\nSchnittstellenliste\r\n 12...00 00 5e 00 53 7e ......Netzwerkadapter\r\n  1...........................Software Loopback Interface 1\r\n===========================================================================\r\n\r\nIPv4-Routentabelle\r\n===========================================================================\r\nAktive Routen:\r\n     Netzwerkziel    Netzwerkmaske          Gateway    Schnittstelle Metrik\r\n          0.0.0.0          0.0.0.0       10.48.16.1     10.48.16.126     25\r\n       10.48.16.0    255.255.255.0   Auf Verbindung      10.48.16.126    281\r\n     10.48.16.126  255.255.255.255   Auf Verbindung      10.48.16.126    281\r\n        127.0.0.0        255.0.0.0   Auf Verbindung         127.0.0.1    331\r\n        224.0.0.0        240.0.0.0   Auf Verbindung      10.48.16.126    281\r\n",
			gw + "[] []"},
		{"nmcli dev show", "GENERAL.DEVICE:                         eth0\nGENERAL.HWADDR:                         00:00:5E:00:53:7E\nGENERAL.STATE:                          100 (verbunden)\nIP4.ADDRESS[1]:                         10.48.16.126/24\nIP4.GATEWAY:                            10.48.16.1\nIP4.ROUTE[1]:                           dst = 0.0.0.0/0, nh = 10.48.16.1, mt = 100\nIP4.DNS[1]:                             10.48.16.1\nIP4.DNS[2]:                             192.0.2.53\nDHCP4.OPTION[3]:                        dhcp_server_identifier = 10.48.16.1\n\nGENERAL.DEVICE:                         lo\nIP4.ADDRESS[1]:                         127.0.0.1/8\nIP4.GATEWAY:                            --\n",
			gw + "[10.48.16.1 192.0.2.53] []"},
		{"resolv.conf", "# made by hand\ndomain lan\nsearch lan\nnameserver 127.0.0.53\nnameserver 192.0.2.53\noptions edns0\n", "invalid Prefix invalid IP invalid IP [192.0.2.53] []"},
		{"the client of ISC", "lease {\n  interface \"eth0\";\n  fixed-address 10.48.16.126;\n  option subnet-mask 255.255.255.0;\n  option routers 10.48.16.1;\n  option dhcp-lease-time 600;\n  option domain-name-servers 10.48.16.1,192.0.2.53;\n  expire 1 2026/11/23 10:53:03;\n}\n",
			gw + "[10.48.16.1 192.0.2.53] []"},
		{"Kea with comments", "// studio\n{ \"Dhcp4\": { /* two */ \"subnet4\": [ { \"subnet\": \"10.48.16.0/24\", # x\n \"pools\": [ {\"pool\": \"10.48.16.128/26\"} ], \"option-data\": [ {\"code\": 3, \"data\": \"10.48.16.1\"} ] } ] } }\n",
			"10.48.16.0/24 invalid IP 10.48.16.1 [] [{10.48.16.128 10.48.16.191}]"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r, err := Text("x", "", []byte(c.text))
			if got := facts(r); err != nil || got != c.facts {
				t.Errorf("got %s, %v; want %s", got, err, c.facts)
			}
			if len(r.Sightings) != 0 {
				t.Errorf("sightings of what is only the laptop itself: %q", short(r))
			}
		})
	}
}

// three is what every list of these devices has to come to.
var three = []string{"00:00:5e:00:53:21 10.48.16.20 rec", "00:00:5e:00:53:22 10.48.16.21 cam 22", "00:00:5e:00:53:23 10.48.16.22 Küche"}

func TestDeviceListsInAnyLayout(t *testing.T) {
	cases := []struct{ name, text string }{
		{"rows with tabs, the kind of link all different", "LAN 1\trec\t10.48.16.20\t00:00:5e:00:53:21\nLAN 2\tcam 22\t10.48.16.21\t00:00:5e:00:53:22\n5 GHz\tKüche\t10.48.16.22\t00:00:5e:00:53:23\n"},
		{"rows numbered with #", "#\tName\tIP\tMAC\n#1\trec\t10.48.16.20\t00:00:5e:00:53:21\n#2\tcam 22\t10.48.16.21\t00:00:5e:00:53:22\n#3\tKüche\t10.48.16.22\t00:00:5e:00:53:23\n"},
		{"two devices in a row", "rec\t10.48.16.20\t00:00:5e:00:53:21\tcam 22\t10.48.16.21\t00:00:5e:00:53:22\nKüche\t10.48.16.22\t00:00:5e:00:53:23\n"},
		{"cards with blank lines", "Connected devices\n\nrec\n10.48.16.20\n00:00:5e:00:53:21\nLAN 1\n\ncam 22\n10.48.16.21\n00:00:5e:00:53:22\n23:59:10\n\nKüche\n10.48.16.22\n00:00:5e:00:53:23\nWLAN\n"},
		{"cards without", "Connected devices\nrec\n00:00:5e:00:53:21\n10.48.16.20\nLAN 1\n23:59:10\ncam 22\n00:00:5e:00:53:22\n10.48.16.21\nWLAN\n11:59:10\nKüche\n00:00:5e:00:53:23\n10.48.16.22\nLAN 2\n1d 3h\nRefresh\n"},
		{"cards with labels, French", "Appareils\nNom : rec\nAdresse IP : 10.48.16.20\nAdresse MAC : 00:00:5e:00:53:21\nType : LAN\nNom : cam 22\nAdresse IP : 10.48.16.21\nAdresse MAC : 00:00:5e:00:53:22\nNom : Küche\nAdresse IP : 10.48.16.22\nAdresse MAC : 00:00:5e:00:53:23\nType : Wi-Fi\n"},
		{"MAC addresses cut by a line break", "rec\t10.48.16.20\t00:00:5e:\n00:53:21\ncam 22\t10.48.16.21\t00:00:5e\n:00:53:22\nKüche\t10.48.16.22\t00:00:5e:00:53:\n23\n"},
		{"a page", "<!DOCTYPE html><html><head><title>10.0.0.1 page</title><script>var a='00:00:5e:00:53:99 10.48.16.99'</script></head><body><h1>Ger&auml;te</h1><table><tr><th>Name<th>IP<th>MAC</tr><tr><td>rec</td><td>10.48.16.20</td><td>00:00:5e:<br>00:53:21</td></tr><tr><td> cam 22 <td>10.48.16.21<td>00:00:5e:00:53:22</tr>\n<tr><td><a href=x>K&uuml;che</a></td><td>10.48.16.22</td><td>00:00:5e:00:53:23</td></tr></table></body></html>"},
		{"a page with cards", "<html><body><ul><li><div>rec</div><div>10.48.16.20</div><div>00:00:5e:00:53:21</div></li><li><div>cam 22</div><div>10.48.16.21</div><div>00:00:5e:00:53:22</div></li><li><div>Küche</div><div>10.48.16.22</div><div>00:00:5e:00:53:23</div></li></ul></body></html>"},
		{"JSON of somebody's", `{"devices":[{"mac":"00:00:5E:00:53:21","ip":"10.48.16.20","hostName":"rec","mask":"255.255.255.0"},{"mac":"00:00:5E:00:53:22","ip":"10.48.16.21","hostName":"cam 22"},{"mac":"00:00:5E:00:53:23","ip":"10.48.16.22","hostName":"Küche"}]}`},
		{"CSV with semicolons", "Name;Kind;IP;MAC\nrec;recorder;10.48.16.20;00:00:5e:00:53:21\ncam 22;camera;10.48.16.21;00:00:5e:00:53:22\nKüche;camera;10.48.16.22;00:00:5e:00:53:23\n"},
		{"our own inventory", "name,kind,place,network,mac,address,pin,by\nrec,recorder,office,Main,00:00:5e:00:53:21,10.48.16.20,,\ncam 22,camera,yard,Main,00:00:5e:00:53:22,10.48.16.21,,\nKüche,camera,\"shop, back\",Main,00:00:5e:00:53:23,10.48.16.22,,\n"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r, err := Text("x", "", []byte(c.text))
			if err != nil {
				t.Fatal(err)
			}
			if got := unnumbered(r); !reflect.DeepEqual(got, three) {
				t.Errorf("got  %q\nwant %q\nnot understood %+v", got, three, r.Unread)
			}
		})
	}
}

func unnumbered(r Result) (out []string) {
	for _, s := range short(r) {
		_, s, _ = strings.Cut(s, " ")
		out = append(out, s)
	}
	return out
}

func TestWorkbook(t *testing.T) {
	for _, heading := range []bool{true, false} {
		f := excelize.NewFile()
		var rows [][]any
		if heading {
			rows = append(rows, []any{"Name", "Address", "MAC"})
		}
		for _, d := range three {
			w := strings.SplitN(d, " ", 3)
			rows = append(rows, []any{w[2], w[1], w[0]})
		}
		for i, row := range rows {
			if err := f.SetSheetRow("Sheet1", fmt.Sprint("A", i+1), &row); err != nil {
				t.Fatal(err)
			}
		}
		var b bytes.Buffer
		if err := f.Write(&b); err != nil {
			t.Fatal(err)
		}
		r, err := Text("list.xlsx", "", b.Bytes())
		if err != nil || !reflect.DeepEqual(unnumbered(r), three) {
			t.Errorf("got %q, %v", unnumbered(r), err)
		}
	}
	if _, err := Text("x.zip", "", []byte("PK\x03\x04 and no workbook")); err == nil {
		t.Error("an archive that is no workbook was read")
	}
}

// A text that no cell may hold, however often it is shared and however small it is packed.
func TestWorkbookWithALongText(t *testing.T) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	part, err := w.Create("xl/sharedStrings.xml")
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprintf(part, "<sst><si><t>%s</t></si></sst>", strings.Repeat("é", mostInCell+1))
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	var large *LargeWorkbookError
	if _, err := Text("x.xlsx", "", b.Bytes()); !errors.As(err, &large) || !strings.Contains(err.Error(), "32767 characters in a cell") {
		t.Errorf("a text of %d characters in a cell: %v", mostInCell+1, err)
	}
	look := partLook{tags: 9, inTag: mostInCell}
	if look.read(strings.NewReader("<t>" + strings.Repeat("é", mostInCell) + "</t>")); look.want != "" {
		t.Error("the longest text that a cell may hold is refused")
	}
}

func TestNeighboursOfPowerShell(t *testing.T) {
	want := []string{"00:00:5e:00:53:21 10.48.16.20", "00:00:5e:00:53:01"}
	table := "\r\nifIndex IPAddress                                          LinkLayerAddress      State       PolicyStore\r\n------- ---------                                          ----------------      -----       -----------\r\n12      ff02::16                                           33-33-00-00-00-16     Permanent   ActiveStore\r\n12      10.48.16.255                                       FF-FF-FF-FF-FF-FF     Permanent   ActiveStore\r\n12      10.48.16.20                                        00-00-5E-00-53-21     Reachable   ActiveStore\r\n12      10.48.16.9                                         00-00-00-00-00-00     Unreachable ActiveStore\r\n12      fe80::1                                            00-00-5E-00-53-01     Stale       ActiveStore\r\n"
	r, err := Text("x", "", []byte(table))
	if got := unnumbered(r); err != nil || !reflect.DeepEqual(got, want) || len(r.Unread) > 0 {
		t.Errorf("table: got %q, unread %+v, %v", got, r.Unread, err)
	}
	list := "#TYPE Instance\r\n\"ifIndex\",\"IPAddress\",\"LinkLayerAddress\",\"State\",\"Store\"\r\n\"12\",\"10.48.16.20\",\"00-00-5E-00-53-21\",\"Reachable\",\"Active\"\r\n\"12\",\"10.48.16.9\",\"00-00-00-00-00-00\",\"Unreachable\",\"Active\"\r\n"
	r, err = Text("x", "", []byte(list))
	if got := unnumbered(r); err != nil || !reflect.DeepEqual(got, want[:1]) || len(r.Unread) > 0 {
		t.Errorf("CSV: got %q, unread %+v, %v", got, r.Unread, err)
	}
}

// A journal's last word counts: of dhcpd.leases and of Kea's leases.
func TestJournalsOfLeases(t *testing.T) {
	isc := "lease 10.48.16.100 {\n starts 1 2026/11/23 08:00:00;\n binding state active;\n hardware ethernet 00:00:5e:00:53:21;\n client-hostname \"old\";\n}\nlease 10.48.16.100 {\n starts epoch 1795431600;\n binding state active;\n hardware ethernet 00:00:5e:00:53:21;\n client-hostname \"new;}\";\n}\nlease 10.48.16.101 {\n binding state free;\n hardware ethernet 00:00:5e:00:53:22;\n}\nlease 10.48.16.102 {\n binding state abandoned;\n}\n"
	r, err := Text("x", "", []byte(isc))
	if err != nil || !reflect.DeepEqual(short(r), []string{"7 00:00:5e:00:53:21 10.48.16.100 new;}", "13 00:00:5e:00:53:22 10.48.16.101"}) || r.Sightings[0].At != "2026-11-23T11:00:00Z" || r.Sightings[1].State != "free" || len(r.Unread) > 0 {
		t.Errorf("ISC: %q %+v %+v %v", short(r), r.Sightings, r.Unread, err)
	}
	kea := "address,hwaddr,client_id,valid_lifetime,expire,subnet_id,fqdn_fwd,fqdn_rev,hostname,state,user_context,pool_id\n10.48.16.100,00:00:5e:00:53:21,,4000,1795431600,1,0,0,old,0,,0\n10.48.16.100,00:00:5e:00:53:21,,4000,1795435600,1,0,0,a&#x2cb,0,,0\n10.48.16.101,,,4000,1795435600,1,0,0,,1,,0\n"
	r, err = Text("x", "", []byte(kea))
	if err != nil || !reflect.DeepEqual(short(r), []string{"3 00:00:5e:00:53:21 10.48.16.100 a,b"}) || len(r.Unread) > 0 {
		t.Errorf("Kea: %q %+v %v", short(r), r.Unread, err)
	}
}

func TestSamplesOfServersAndCaptures(t *testing.T) {
	cases := []struct {
		name      string
		sightings []string
		facts     string
	}{
		{"dhcpd.leases", []string{"9 00:00:5e:00:53:21 10.48.16.100 yard-camera"}, none},
		{"dhcpd.conf", []string{"8 00:00:5e:00:53:22 10.48.16.20 gallery recorder"}, "10.48.16.0/24 invalid IP 10.48.16.1 [10.48.16.1 192.0.2.53] [{10.48.16.100 10.48.16.179}]"},
		{"kea-leases4.csv", []string{"2 00:00:5e:00:53:21 10.48.16.100 yard-camera", "3 00:00:5e:00:53:22 10.48.16.20 rec"}, none},
		{"kea-dhcp4.json", []string{"7 00:00:5e:00:53:22 10.48.16.20 rec"}, "10.48.16.0/24 invalid IP 10.48.16.1 [10.48.16.1 192.0.2.53] [{10.48.16.100 10.48.16.179}]"},
		{"ip-j-addr.json", []string{}, "10.48.16.0/24 10.48.16.100 invalid IP [] []"},
		{"ip-j-route.json", []string{}, "10.48.16.0/24 10.48.16.100 10.48.16.1 [] []"},
		{"ip-j-neigh.json", []string{"1 00:00:5e:00:53:22 10.48.16.20", "1 00:00:5e:00:53:01 10.48.16.1"}, none},
		{"ifconfig.txt", []string{}, "10.48.16.0/24 10.48.16.100 invalid IP [] []"},
		{"netstat-rn.txt", []string{}, "10.48.16.0/24 invalid IP 10.48.16.1 [] []"},
		{"route-n.txt", []string{}, "10.48.16.0/24 invalid IP 10.48.16.1 [] []"},
		{"dhclient.leases", []string{}, "10.48.16.0/24 10.48.16.101 10.48.16.1 [10.48.16.1 192.0.2.53] []"},
		{"ip-route.txt", []string{}, "10.48.16.0/24 10.48.16.100 10.48.16.1 [] []"},
	}
	for _, c := range cases {
		data, err := os.ReadFile(filepath.Join("testdata", c.name))
		if err != nil {
			t.Fatal(err)
		}
		r, err := Text(c.name, "", data)
		if err != nil || !reflect.DeepEqual(short(r), c.sightings) || facts(r) != c.facts || len(r.Unread) > 0 {
			t.Errorf("%s: %q, %s, unread %+v, %v\nwant %q, %s", c.name, short(r), facts(r), r.Unread, err, c.sightings, c.facts)
		}
	}
}

// Two lease files that say different things of one address are both kept: which
// is right is not for the reader to say.
func TestFilesThatContradictEachOther(t *testing.T) {
	a, _ := Text("router", "", []byte("1795431600 00:00:5e:00:53:21 10.48.16.112 rec *\n"))
	b, _ := Text("old router", "", []byte("1795431600 00:00:5e:00:53:22 10.48.16.112 cam *\n"))
	if got := short(Join(a, b)); !reflect.DeepEqual(got, []string{"1 00:00:5e:00:53:21 10.48.16.112 rec", "1 00:00:5e:00:53:22 10.48.16.112 cam"}) {
		t.Errorf("got %q", got)
	}
}

// A file of very many lines of any kind takes no longer for each than a short one.
func TestManyLinesOfEachKind(t *testing.T) {
	for name, write := range map[string]func(i int) string{
		"rows and noise by turns": func(i int) string {
			return fmt.Sprintf("rec%d\t00:00:5e:%02x:%02x:%02x\t10.48.%d.%d\nnothing to read here\n", i, i>>16, i>>8&255, i&255, i>>8&255, i&255)
		},
		"routes": func(i int) string {
			return fmt.Sprintf("default via 10.%d.%d.%d dev eth0\n10.%d.%d.0/24 dev eth0\n", i>>16, i>>8&255, i&255, i>>8&255, i&255)
		},
		"cards": func(i int) string {
			return fmt.Sprintf("Name: rec%d\nMAC: 00:00:5e:%02x:%02x:%02x\n", i, i>>16, i>>8&255, i&255)
		},
	} {
		var b strings.Builder
		for i := range 60_000 {
			b.WriteString(write(i))
		}
		begin, within := time.Now(), lab.Within(8*time.Second)
		if _, err := Text("x", "", []byte(b.String())); err != nil || !within() {
			t.Errorf("%s: %v in %v", name, err, time.Since(begin))
		}
	}
}

// What looks like the beginning of a block on every line is not looked through
// to its end each time.
func TestBlocksThatNeverEnd(t *testing.T) {
	for _, line := range []string{"subnet 10.0.0.0 netmask 255.0.0.0 {\n", "[\n", "{\n", "lease 10.48.16.20 {\n", "/* x\n"} {
		begin, within := time.Now(), lab.Within(5*time.Second)
		if _, err := Text("x", "", []byte(strings.Repeat(line, 60_000))); err != nil || !within() {
			t.Errorf("%q: %v in %v", line, err, time.Since(begin))
		}
	}
}
