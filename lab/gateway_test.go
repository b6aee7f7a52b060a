package lab

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/wire"
)

// A real gateway daemon is asked for what devices had it open: by UPnP its list, by PCP that
// it speaks it. Asking changes nothing.
func TestRealGateway(t *testing.T) {
	needs(t, "miniupnpd", "nft")
	f := newFilter(t)
	chains := filepath.Join(f.dir, "chains.nft")
	const table = `table inet filter {
		chain forward { type filter hook forward priority 0; policy drop; jump miniupnpd; }
		chain miniupnpd { }
		chain prerouting { type nat hook prerouting priority -100; jump prerouting_miniupnpd; }
		chain postrouting { type nat hook postrouting priority 100; jump postrouting_miniupnpd; }
		chain prerouting_miniupnpd { }
		chain postrouting_miniupnpd { }
	}`
	config := filepath.Join(f.dir, "gateway.conf")
	const settings = `ext_ifname=wan
listening_ip=lan
port=0
enable_natpmp=yes
enable_upnp=yes
secure_mode=no
lease_file=LEASES
uuid=00000000-0000-4000-8000-000000000001
allow 1024-65535 10.48.0.0/28 1-65535
deny 0-65535 0.0.0.0/0 0-65535
`
	leases := filepath.Join(f.dir, "leases")
	for path, text := range map[string]string{chains: table, config: strings.Replace(settings, "LEASES", leases, 1), leases: "UDP:41200:10.48.0.2:41200:0:play\nTCP:8020:10.48.0.3:80:0:page\n"} {
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	f.must(f.router, "nft", "-f", chains)
	f.must(f.inside, "ip", "route", "add", "239.0.0.0/8", "dev", "eth0")
	daemon := exec.Command("ip", "netns", "exec", f.router, "miniupnpd", "-d", "-f", config, "-P", filepath.Join(f.dir, "pid"))
	var says syncBuffer
	daemon.Stdout, daemon.Stderr = &says, &says
	if err := daemon.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { daemon.Process.Kill(); daemon.Wait() }()
	for end := time.Now().Add(10 * time.Second); !strings.Contains(says.String(), "Listening for NAT-PMP") && time.Now().Before(end); {
		time.Sleep(20 * time.Millisecond)
	}
	before := f.rules()
	out, err := exec.Command("ip", "netns", "exec", f.inside, binary, "survey", "--router", "10.48.0.1").Output()
	if err != nil {
		t.Fatalf("%v\n%s\nthe daemon: %s", err, out, says.String())
	}
	var told wire.Told
	if err := json.Unmarshal(out, &told); err != nil {
		t.Fatal(err)
	}
	got := map[string]bool{}
	for _, m := range told.Mappings {
		got[fmt.Sprintf("%s %s %s %s %s", m.Name, m.Protocol, m.Outside, m.Address, m.Inside)] = true
	}
	want := map[string]bool{"play udp 41200 10.48.0.2 ": true, "page tcp 8020 10.48.0.3 80": true}
	if !maps.Equal(got, want) || !slices.Equal(told.Speaks, []string{"pcp", "upnp"}) || told.More {
		t.Errorf("the router tells %+v\nthe daemon: %s", told, says.String())
	}
	// Its outside is a documentation address, which the daemon refuses to call one.
	if told.Outside.IsValid() || !strings.Contains(strings.Join(told.Notes, " "), "no outside address by UPnP") {
		t.Errorf("outside %s, notes %q", told.Outside, told.Notes)
	}
	if after := f.rules(); after != before || !strings.Contains(before, "dport 41200") {
		t.Errorf("asking changed the rules\n%s\nto\n%s", before, after)
	}
}

// rules are those of the router's filter, without what is counted.
func (f *filter) rules() string {
	f.t.Helper()
	out, err := exec.Command("ip", "netns", "exec", f.router, "nft", "-s", "list", "ruleset").Output()
	if err != nil {
		f.t.Fatal(err)
	}
	return string(out)
}
