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
