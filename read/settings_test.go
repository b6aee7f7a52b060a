package read

import (
	"fmt"
	"testing"
)

func TestSettings(t *testing.T) {
	lines := "IPv4 Address. . . : 10.48.30.127\nSubnet Mask . . . : 255.255.255.0\nDefault Gateway . : 10.48.30.1\nDNS Servers . . . : 10.48.30.1\n"
	for what, c := range map[string]struct{ text, want string }{
		"whole":               {"Windows IP Configuration\n\nEthernet adapter Ethernet:\n\n   IPv4 Address. . . . . . . . . . . : 10.48.30.127\n   Subnet Mask . . . . . . . . . . . : 255.255.255.0\n   Default Gateway . . . . . . . . . : 10.48.30.1\n", "10.48.30.0/24 10.48.30.127 10.48.30.1 []"},
		"a part":              {lines, "10.48.30.0/24 10.48.30.127 10.48.30.1 [10.48.30.1]"},
		"a part in German":    {"IPv4-Adresse  . . : 10.48.30.127\nSubnetzmaske  . . : 255.255.255.0\nStandardgateway . : 10.48.30.1\n", "10.48.30.0/24 10.48.30.127 10.48.30.1 []"},
		"ip addr":             {"2: eth0: <UP> mtu 1500\n    link/ether 00:00:5e:00:53:7e brd ff:ff:ff:ff:ff:ff\n    inet 10.48.30.127/24 brd 10.48.30.255 scope global dynamic eth0\n", "10.48.30.0/24 10.48.30.127 invalid IP []"},
		"a text that is none": {"good morning\n", "invalid Prefix invalid IP invalid IP []"},
		"nothing":             {"", "invalid Prefix invalid IP invalid IP []"},
	} {
		f, err := Settings("x", c.text)
		if got := fmt.Sprint(f.Subnet, f.Own, f.Gateway, f.DNS); err != nil || got != c.want {
			t.Errorf("%s: %s, %v, want %s", what, got, err, c.want)
		}
	}
}
