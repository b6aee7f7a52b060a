package grid

import (
	"slices"
	"testing"
)

// A heading is known whole, in a part, or not at all, whatever its case and accents.
func TestHeadings(t *testing.T) {
	for _, c := range []struct {
		text  string
		first Role
		exact bool
	}{
		{"MAC Address", MAC, true}, {"Physikalische Adresse", MAC, true}, {"mac_addr", MAC, true}, {"macAddress", MAC, true}, {"物理アドレス", MAC, true},
		{"IP-Adresse:", Address, true}, {"Dirección IP \u25b2", Address, true}, {"Reserved IP", ReservedAddr, true}, {"AP MAC", OtherMAC, true}, {"ADRES IP", Address, true},
		{"Gerätename", Name, true}, {"Nom de l'appareil", Name, true}, {"ホスト名", Name, true}, {"Device", DeviceName, true}, {"The device name of it", Name, false},
		{"External port", Outside, true}, {"Port extern", Outside, true}, {"Lease time left", Time, true}, {"Passwort", Password, true}, {"Blah", None, false}, {"", None, false},
	} {
		roles, exact := Heading(c.text)
		if exact != c.exact || (c.first == None) != (len(roles) == 0) || c.first != None && !slices.Contains(roles, c.first) {
			t.Errorf("%q: %v, %v; want %s, %v", c.text, roles, exact, c.first, c.exact)
		}
	}
}

// What a cell could be, by its form and by the words of any language.
func TestSorts(t *testing.T) {
	for _, c := range []struct {
		cell string
		is   sort
	}{
		{"00:00:5e:00:53:21", isMAC}, {"0000.5e00.5321", isMAC}, {"00005E005321", isMAC}, {"deadbeefcafe", isText}, {"10.48.16.20", isAddress}, {"http://10.48.16.20:8080/x", isAddress},
		{"10.48.16.20/24", isAddress}, {"10.48.16.0/24", isNetwork}, {"255.255.255.0", isMask}, {"fe80::1%eth0", isIPv6}, {"80", isNumber}, {"16400-16463", isPorts}, {"-61 dBm", isQuantity},
		{"3 minutes ago", isTime}, {"vor 3 Stunden", isTime}, {"23:59:10", isTime}, {"2026-11-23 09:42", isTime}, {"3 June 2024", isTime}, {"TCP & UDP", isProtocol}, {"tcp/8020", isProtocolPort},
		{"LAN 2", isLink}, {"5 GHz", isLink}, {"sans fil", isLink}, {"verbunden", isState}, {"reserviert", isReserved}, {"Ja", isYes}, {"нет", isNo}, {"Unbekannt", isNothing}, {"---", isNothing},
		{"Madeup Imaging Ltd.", isMaker}, {"Dr. Sample's tablet", isText}, {"front door", isText}, {"客厅电视", isText},
	} {
		if got := sortOf(c.cell); got&c.is == 0 {
			t.Errorf("%q: %b, want %b", c.cell, got, c.is)
		}
	}
	// How an address is set is no reservation, in any language.
	for _, word := range []string{"static", "statisch", "statique", "estático", "静态"} {
		if sortOf(word)&isReserved != 0 {
			t.Errorf("%q is taken for a reservation", word)
		}
	}
}

// 0 and 1 below a heading that nobody knows may say which lines are on, and may not: it is asked, and nothing
// is believed meanwhile; a count that may count packets likewise.
func TestFiguresAreAskedAbout(t *testing.T) {
	rows := func(cells ...[]string) (out []Row) {
		for i, c := range cells {
			out = append(out, Row{Line: i + 1, Cells: c})
		}
		return out
	}
	for name, table := range map[string]Table{
		"bits":   {Head: []string{"Name", "Proto", "Vesk", "WAN port", "LAN IP", "LAN port"}, Rows: rows([]string{"rec", "TCP", "1", "8020", "10.48.16.20", "80"}, []string{"tel", "UDP", "0", "5062", "10.48.16.40", "5060"})},
		"counts": {Head: []string{"Name", "Proto", "WAN port", "Count", "LAN IP", "LAN port"}, Rows: rows([]string{"rec", "TCP", "8020", "1", "10.48.16.20", "80"}, []string{"tel", "UDP", "20000", "100", "10.48.16.40", "20000"})},
	} {
		r := Read(table, nil)
		if len(r.Questions) != 1 {
			t.Errorf("%s: asked %+v, roles %q", name, r.Questions, r.Roles)
		}
		for _, row := range table.Rows {
			if f, ok := r.Forward(row); ok && !r.Open() {
				t.Errorf("%s: believed %+v", name, f)
			}
		}
	}
	first := Table{Head: []string{"Name", "Proto", "First port", "Count", "LAN IP", "First port inside"}, Rows: rows([]string{"tel", "UDP", "20000", "100", "10.48.16.40", "30000"})}
	if f, ok := Read(first, nil).Forward(first.Rows[0]); !ok || f.Outside.String() != "20000-20099" || f.Inside.String() != "30000-30099" {
		t.Errorf("%+v", f)
	}
}
