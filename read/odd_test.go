package read

import (
	"slices"
	"strings"
	"testing"
)

// Forms in which lists come that are neither plain tables nor plain cards.
func TestOddForms(t *testing.T) {
	two := []string{"00:00:5e:00:53:40 10.48.16.20 rec", "00:00:5e:00:53:41 10.48.16.21 front door"}
	for _, c := range []struct{ name, text string }{
		{"Markdown", "| Name | IP | MAC |\n|---|---|---|\n| rec | 10.48.16.20 | 00:00:5e:00:53:40 |\n| front door | 10.48.16.21 | 00:00:5e:00:53:41 |\n"},
		{"dashes", "rec - 10.48.16.20 - 00:00:5e:00:53:40\nfront door - 10.48.16.21 - 00:00:5e:00:53:41\n"},
		{"a numbered list", "1. rec (10.48.16.20) [00:00:5e:00:53:40]\n2. front door (10.48.16.21) [00:00:5e:00:53:41]\n"},
		{"two labels in a line", "rec\nIP: 10.48.16.20  MAC: 00:00:5e:00:53:40\nfront door\nIP: 10.48.16.21  MAC: 00:00:5e:00:53:41\n"},
		{"two addresses in a line", "rec\n10.48.16.20 / 00:00:5e:00:53:40\nfront door\n10.48.16.21 / 00:00:5e:00:53:41\n"},
		{"a list on its side", "Name\trec\tfront door\nIP\t10.48.16.20\t10.48.16.21\nMAC\t00:00:5e:00:53:40\t00:00:5e:00:53:41\n"},
		{"sections", "[a]\nmac=00:00:5e:00:53:40\nip=10.48.16.20\nname=rec\n\n[b]\nmac=00:00:5e:00:53:41\nip=10.48.16.21\nname=front door\n"},
		{"options", "config host\n\toption name 'rec'\n\toption mac '00:00:5e:00:53:40'\n\toption ip '10.48.16.20'\n\nconfig host\n\toption name 'front door'\n\toption mac '00:00:5E:00:53:41'\n\toption ip '10.48.16.21'\n"},
		{"names with values", "add address=10.48.16.20 mac-address=00:00:5E:00:53:40 comment=\"rec\" server=lan\nadd address=10.48.16.21 mac-address=00:00:5E:00:53:41 comment=\"front door\" server=lan\n"},
		{"a command", "set lan static \"rec\" hw 00:00:5e:00:53:40 addr 10.48.16.20\nset lan static \"front door\" hw 00:00:5e:00:53:41 addr 10.48.16.21\n"},
		{"remarks behind a label", "Report for rec (10.48.16.20)\nMAC Address: 00:00:5E:00:53:40 (Madeup Imaging)\n\nReport for front door (10.48.16.21)\nMAC Address: 00:00:5E:00:53:41 (Foo & Sons)\n"},
		{"JSON without names", `[["rec","10.48.16.20","00:00:5e:00:53:40","LAN 1"],["front door","10.48.16.21","00:00:5e:00:53:41","5 GHz"]]`},
		{"JSON in each other", `{"hosts":[{"name":"rec","interfaces":[{"mac":"00:00:5e:00:53:40","ip":"10.48.16.20"}]},{"name":"front door","interfaces":[{"mac":"00:00:5e:00:53:41","ip":"10.48.16.21"}]}]}`},
		{"YAML by name", "static:\n  rec: {mac: '00:00:5e:00:53:40', ip: 10.48.16.20}\n  front door: {mac: '00:00:5e:00:53:41', ip: 10.48.16.21}\n"},
		{"XML with attributes", "<hosts><h m=\"00:00:5e:00:53:40\" a=\"10.48.16.20\">rec</h><h m=\"00:00:5e:00:53:41\" a=\"10.48.16.21\">front door</h></hosts>"},
		{"a script", "<!DOCTYPE html><html><script>var clients = [{name:'rec',ip:'10.48.16.20',mac:'00:00:5e:00:53:40'},{name:'front door',ip:'10.48.16.21',mac:'00:00:5e:00:53:41'}];</script><body></body></html>"},
		{"pairs with blanks", "Name\tIP\tMAC\nrec\t10.48.16.20\t00 00 5E 00 53 40\nfront door\t10.48.16.21\t00 00 5E 00 53 41\n"},
		{"groups", "Maker\tIP\tMAC\tName\nLAN\nMadeup Imaging\t10.48.16.20\t00:00:5e:00:53:40\trec\nWLAN\nFoo Works\t10.48.16.21\t00:00:5e:00:53:41\tfront door\n"},
		{"two things in a cell", "Name \u25b2\tIP / MAC\nrec\t10.48.16.20 / 00:00:5e:00:53:40\nfront door\t10.48.16.21 / 00:00:5e:00:53:41\n"},
		{"addresses as they are typed", "Name\tPage\tMAC\nrec\thttp://10.48.16.20:8080/\t00:00:5e:00:53:40\nfront door\t10.48.16.21/24\t00:00:5e:00:53:41\n"},
	} {
		r, err := Text("x", "", []byte(c.text))
		got := unnumbered(r)
		if slices.Sort(got); err != nil || !slices.Equal(got, two) {
			t.Errorf("%s: %v\ngot  %q\nwant %q\nunread %v, lists %+v", c.name, err, got, two, r.Unread, r.Lists)
		}
	}
	page := `<table><tr><th>Name</th><th>MAC</th><th>IP</th></tr><tr><td rowspan=2>Office</td><td>00:00:5e:00:53:40</td><td>10.48.16.20</td></tr><tr><td>00:00:5e:00:53:41</td><td>10.48.16.21</td></tr></table>`
	if r, err := Text("x", "", []byte(page)); err != nil || len(r.Sightings) != 2 || r.Sightings[1].Host != "Office" {
		t.Errorf("cells over several rows: %q, %v", short(r), err)
	}
	for name, text := range map[string]string{
		"a script that is not understood": "<html><body><script>f('00:00:5e:00:53:40', 1)</script></body></html>", "a list of MAC addresses": `{"blocked":["00:00:5e:00:53:40"]}`, "a remark": "# 00:00:5e:00:53:40 was the old till\n",
		"two that could be each other's": "rec\n10.48.16.20\n00:00:5e:00:53:40\n10.48.16.21\n", "a password": "Device;Password;MAC;IP\nrec;s3cret;00:00:5e:00:53:40;10.48.16.20\n",
	} {
		r, err := Text("x", "", []byte(text))
		told := len(r.Unread) > 0
		if name == "a password" {
			told = len(r.Sightings) == 1 && len(r.Sightings[0].Traits) == 0
		}
		if err != nil || !told {
			t.Errorf("%s: %q, unread %v, %v", name, short(r), r.Unread, err)
		}
	}
}

// Where a card is short of a label, no name goes to its neighbour.
func TestCardsShortOfLabels(t *testing.T) {
	for _, c := range []struct {
		name, text string
		want       []string
	}{
		{"a name missing in the middle", "Name: a\nIP: 10.48.16.1\nMAC: 00:00:5e:00:53:01\nIP: 10.48.16.2\nMAC: 00:00:5e:00:53:02\nName: c\nIP: 10.48.16.3\nMAC: 00:00:5e:00:53:03\n",
			[]string{"00:00:5e:00:53:01 10.48.16.1 a", "00:00:5e:00:53:02 10.48.16.2", "00:00:5e:00:53:03 10.48.16.3 c"}},
		{"names at the end, one missing", "IP: 10.48.16.1\nMAC: 00:00:5e:00:53:01\nName: a\nIP: 10.48.16.2\nMAC: 00:00:5e:00:53:02\nIP: 10.48.16.3\nMAC: 00:00:5e:00:53:03\nName: c\n",
			[]string{"00:00:5e:00:53:01 10.48.16.1 a", "00:00:5e:00:53:02 10.48.16.2", "00:00:5e:00:53:03 10.48.16.3 c"}},
		{"the first or the last short of its name, nobody knows", "IP: 10.48.16.1\nMAC: 00:00:5e:00:53:01\nName: a\nIP: 10.48.16.2\nMAC: 00:00:5e:00:53:02\n",
			[]string{"00:00:5e:00:53:01 10.48.16.1", "00:00:5e:00:53:02 10.48.16.2"}},
		{"an address missing", "Name: a\nIP: 10.48.16.1\nMAC: 00:00:5e:00:53:01\nName: b\nMAC: 00:00:5e:00:53:02\nName: c\nIP: 10.48.16.3\nMAC: 00:00:5e:00:53:03\n",
			[]string{"00:00:5e:00:53:01 10.48.16.1 a", "00:00:5e:00:53:02 b", "00:00:5e:00:53:03 10.48.16.3 c"}},
	} {
		r, err := Text("x", "", []byte(c.text))
		got := unnumbered(r)
		for i := range got {
			got[i] = strings.Join(strings.Fields(strings.ReplaceAll(got[i], "invalid IP", "")), " ")
		}
		told := slices.ContainsFunc(r.Unread, func(u Unread) bool { return u.Text == "Name: a" })
		if err != nil || !slices.Equal(got, c.want) || told != strings.Contains(c.name, "nobody knows") {
			t.Errorf("%s: %v\ngot  %q\nwant %q\nunread %v", c.name, err, got, c.want, r.Unread)
		}
	}
}
