package wire

import (
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// kindOf tells how a link is made, of what the kernel shows of it (sysfs).
func kindOf(name string) string {
	dir := filepath.Join("/sys/class/net", name)
	if _, err := os.Stat(filepath.Join(dir, "wireless")); err == nil {
		return "wireless"
	}
	if _, err := os.Stat(filepath.Join(dir, "device")); err != nil {
		return "virtual"
	}
	return "wired"
}

// leaseFiles are where the usual DHCP clients keep the lease of a link, each in a form of
// its own.
func leaseFiles(index int, name string) []string {
	files := []string{fmt.Sprintf("/run/systemd/netif/leases/%d", index)}
	for _, pattern := range []string{
		"/var/lib/NetworkManager/internal-*-" + name + ".lease",
		"/var/lib/dhcp/dhclient*" + name + "*.leases", "/var/lib/dhcp/dhclient*.leases",
		"/var/lib/NetworkManager/dhclient-*-" + name + ".lease",
	} {
		found, _ := filepath.Glob(pattern)
		files = append(files, found...)
	}
	return files
}

// leaseOf gives who leased an address to this machine, and for how many seconds, of what
// its DHCP client wrote down. Nothing is sent for it.
func leaseOf(index int, name string, own netip.Addr) (server netip.Addr, seconds int) {
	for _, file := range leaseFiles(index, name) {
		data, err := os.ReadFile(file)
		if err != nil {
			continue
		}
		if server, seconds := parseLease(string(data), own); server.IsValid() {
			return server, seconds
		}
	}
	return netip.Addr{}, 0
}

// parseLease reads the last lease of an address: lines such as SERVER_ADDRESS=10.48.16.1, or
// dhclient's "option dhcp-server-identifier 10.48.16.1;".
func parseLease(text string, own netip.Addr) (server netip.Addr, seconds int) {
	var from netip.Addr
	lease, of := 0, netip.Addr{}
	keep := func() {
		if of == own && from.IsValid() {
			server, seconds = from, lease
		}
	}
	for line := range strings.Lines(text) {
		line = strings.TrimSuffix(strings.TrimSpace(line), ";")
		key, value, _ := strings.Cut(strings.TrimPrefix(line, "option "), "=")
		if value == "" {
			key, value, _ = strings.Cut(strings.TrimPrefix(line, "option "), " ")
		}
		value = strings.Trim(strings.TrimSpace(value), `"`)
		switch key {
		case "lease": // the next one of the file
			keep()
			from, lease, of = netip.Addr{}, 0, netip.Addr{}
		case "ADDRESS", "fixed-address":
			of, _ = netip.ParseAddr(value)
		case "SERVER_ADDRESS", "dhcp-server-identifier":
			from, _ = netip.ParseAddr(value)
		case "LIFETIME", "dhcp-lease-time":
			lease, _ = strconv.Atoi(value)
		}
	}
	keep()
	return server, seconds
}
