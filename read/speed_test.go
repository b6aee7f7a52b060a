package read

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"runtime"
	"runtime/debug"
	"strings"
	"testing"
	"time"
)

func leases(n int) []byte {
	var b bytes.Buffer
	for i := range n {
		fmt.Fprintf(&b, "1795431600 00:00:5e:%02x:%02x:%02x 10.48.%d.%d host-%d 01:00:00:5e:%02x:%02x:%02x\n", i>>16&255, i>>8&255, i&255, i>>8&255, i&255, i, i>>16&255, i>>8&255, i&255)
	}
	return b.Bytes()
}

// BenchmarkPlainScan is the yardstick of BenchmarkLeases: a plain scan and split
// of the same lines.
func BenchmarkPlainScan(b *testing.B) {
	data := leases(100_000)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		words := 0
		in := bufio.NewScanner(bytes.NewReader(data))
		for in.Scan() {
			words += len(strings.Split(in.Text(), " "))
		}
	}
}

func BenchmarkLeases(b *testing.B) {
	data := leases(100_000)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		if r, err := Text("leases", "", data); err != nil || len(r.Sightings) != 100_000 {
			b.Fatal(len(r.Sightings), err)
		}
	}
}

// BenchmarkPage is a page of a thousand rows, BenchmarkTable a list of a million.
func BenchmarkPage(b *testing.B) {
	data := []byte(samples["table page"](1000))
	for b.Loop() {
		if r, err := Text("page", "", data); err != nil || len(r.Sightings) < 990 {
			b.Fatal(len(r.Sightings), err)
		}
	}
}

func BenchmarkTable(b *testing.B) {
	data := []byte(samples["table"](1_000_000))
	for b.Loop() {
		if r, err := Text("table", "", data); err != nil || len(r.Sightings) < 999_000 {
			b.Fatal(len(r.Sightings), err)
		}
	}
}

func BenchmarkCapture(b *testing.B) {
	tcp := append(arpFrame(0x21)[:12:12], 8, 0, 0x45, 0)
	tcp = append(tcp, make([]byte, 400)...)
	tcp[23] = 6
	var packets [][]byte
	for i := range 100_000 {
		if packets = append(packets, tcp); i%20 == 0 {
			packets = append(packets, arpFrame(byte(i)|1))
		}
	}
	data := pcap(binary.LittleEndian, 0xa1b2c3d4, packets...)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		if _, err := Text("lan", "", data); err != nil {
			b.Fatal(err)
		}
	}
}

// samples are texts of each kind with so many devices.
var samples = map[string]func(n int) string{
	"leases":                 func(n int) string { return string(leases(n)) },
	"table":                  func(n int) string { return "Name\tIP\tMAC\n" + each(n, "host-%[1]d\t%[2]s\t%[3]s\n") },
	"table without headings": func(n int) string { return each(n, "host-%[1]d;%[2]s;%[3]s\n") },
	"columns":                func(n int) string { return each(n, "host-%-12[1]d    %-16[2]s  %[3]s\n") },
	"table page": func(n int) string {
		return "<!DOCTYPE html><table>" + each(n, "<tr><td>host-%[1]d<td>%[2]s<td>%[3]s\n")
	},
	"page of parts": func(n int) string {
		return "<!DOCTYPE html><div>" + each(n, "<div><b>host-%[1]d</b><p>%[2]s</p><p>%[3]s</p></div>\n")
	},
	"page with data": func(n int) string {
		return "<!DOCTYPE html><script>x = [" + each(n, "{\"a\":\"host-%[1]d\",\"b\":\"%[2]s\",\"c\":\"%[3]s\"},\n") + "]</script>"
	},
	"cards":                     func(n int) string { return each(n, "host-%[1]d\n%[2]s\n%[3]s\n\n") },
	"cards without blank lines": func(n int) string { return each(n, "host-%[1]d\n%[2]s\n%[3]s\n") },
	"labels":                    func(n int) string { return each(n, "Name: host-%[1]d\nIP: %[2]s\nMAC: %[3]s\n") },
	"words":                     func(n int) string { return each(n, "set host-%[1]d at %[2]s hw %[3]s end\n") },
	"JSON": func(n int) string {
		return "[" + each(n, "{\"name\":\"host-%[1]d\",\"ip\":\"%[2]s\",\"mac\":\"%[3]s\"},\n") + "]"
	},
	"lines of JSON": func(n int) string { return each(n, "{\"name\":\"host-%[1]d\",\"ip\":\"%[2]s\",\"mac\":\"%[3]s\"}\n") },
	"XML": func(n int) string {
		return "<?xml version=\"1.0\"?><l>" + each(n, "<d><name>host-%[1]d</name><ip>%[2]s</ip><mac>%[3]s</mac></d>\n") + "</l>"
	},
	"YAML": func(n int) string {
		return "list:\n" + each(n, "  - name: host-%[1]d\n    ip: %[2]s\n    mac: \"%[3]s\"\n")
	},
	"leases of ISC": func(n int) string {
		return each(n, "lease %[2]s {\n  hardware ethernet %[3]s;\n  client-hostname \"host-%[1]d\";\n}\n")
	},
	"log": func(n int) string {
		return each(n, "Jun  3 08:12:44 gw dnsmasq-dhcp[812]: DHCPACK(br0) %[2]s %[3]s host-%[1]d\n")
	},
	"neighbours": func(n int) string { return each(n, "%[2]s dev eth0 lladdr %[3]s STALE\n") },
	"neighbours of Windows": func(n int) string {
		return "Interface: 10.48.16.33 --- 0xc\n" + each(n, "  %[2]s     %[4]s     dynamic\n")
	},
	"forwards": func(n int) string {
		return "Name\tProtocol\tExternal port\tIP\tInternal port\n" + each(n, "host-%[1]d\tTCP\t8080\t%[2]s\t80\n")
	},
	"a configuration": func(n int) string {
		return "dhcp-range=10.0.0.10,10.0.0.20\n" + each(n, "dhcp-host=%[3]s,%[2]s,host-%[1]d\n")
	},
	"commands": func(n int) string {
		return each(n, "set lan host host-%[1]d ip %[2]s\nset lan host host-%[1]d mac %[3]s\n")
	},
	"paths": func(n int) string {
		return each(n, "set nat rule %[1]d destination port 8020\nset nat rule %[1]d protocol tcp\nset nat rule %[1]d translation address %[2]s\n")
	},
	"braces": func(n int) string {
		return "lan {\n" + each(n, "entry { name host-%[1]d; ip %[2]s; mac %[3]s; }\n") + "}\n"
	},
	"sections": func(n int) string { return each(n, "[host%[1]d]\nname=host-%[1]d\nip=%[2]s\nmac=%[3]s\n") },
	"attributes": func(n int) string {
		return "<html><body><ul>" + each(n, "<li data-name=\"host-%[1]d\" data-ip=\"%[2]s\" data-mac=\"%[3]s\"></li>\n") + "</ul></body></html>"
	},
	"groups of a page": func(n int) string {
		return "<html><body><main>" + each(n, "<section><h4>%[1]d</h4><article><b>host-%[1]d</b><i>%[2]s</i><p>%[3]s</p></article></section>\n") + "</main></body></html>"
	},
	"packed":          func(n int) string { return "list=<" + each(n, "<%[3]s>%[2]s>host-%[1]d") + "\n" },
	"lines that send": func(n int) string { return each(n, "host-%[1]d\ntcp 8020 -> %[2]s:80\non\n\n") },
	"cards of forwards": func(n int) string {
		return each(n, "Name: host-%[1]d\nProtocol: TCP\nOutside port: 8020\nAddress: %[2]s\nInside port: 80\n\n")
	},
	"rows on two lines":   func(n int) string { return each(n, "host-%[1]d  %[2]s\n%[3]s  LAN1\n") },
	"words of nobody":     func(n int) string { return each(n, "nothing %[1]d that anybody could read here\n") },
	"addresses of nobody": func(n int) string { return each(n, "at %[2]s or so\n") },
	"halves":              func(n int) string { return each(n, "%.10[3]s\n") },
	"open brackets":       func(n int) string { return each(n, "{ \"a\": [ %[1]d\n") },
}

func each(n int, format string) string {
	var b strings.Builder
	for i := range n {
		mac := fmt.Sprintf("00:00:5e:%02x:%02x:%02x", i>>16&255, i>>8&255, i&255)
		fmt.Fprintf(&b, format, i, fmt.Sprintf("10.%d.%d.%d", i>>16&255, i>>8&255, i&255), mac, strings.ReplaceAll(mac, ":", "-"))
	}
	return strings.ReplaceAll(b.String(), "%!(EXTRA", "")
}

// Every reader takes sixteen times as long for sixteen times as much, not more.
func TestGrowthIsLinear(t *testing.T) {
	for _, name := range sortedKeys(samples) {
		t.Run(name, func(t *testing.T) {
			const n = 500
			took := func(n int) time.Duration {
				data := []byte(samples[name](n))
				least := time.Hour
				for range 2 {
					begin := time.Now()
					if _, err := Text("x", "", data); err != nil {
						t.Fatal(err)
					}
					least = min(least, time.Since(begin))
				}
				return least
			}
			for try := 1; ; try++ { // others use the machine as well
				small, large := took(n), took(16*n)
				t.Logf("%v, %v: %.1f times", small, large, float64(large)/float64(small))
				if large < 40*small {
					return
				}
				if try == 4 {
					t.Fatalf("16 times as much took %.0f times as long", float64(large)/float64(small))
				}
			}
		})
	}
}

// No reader holds more than a hundred times what it reads, and what the collector leaves: the peak of the heap,
// seen from beside while it works.
func TestMemoryGoesWithSize(t *testing.T) {
	const most, base = 100, 4 << 20
	texts := map[string][]byte{}
	for name, sample := range samples {
		texts[name] = []byte(sample(4000))
	}
	var frames [][]byte
	for i := range 4000 {
		frames = append(frames, arpFrame(byte(i)))
	}
	texts["a capture"] = pcap(binary.LittleEndian, 0xa1b2c3d4, frames...)
	for _, name := range sortedKeys(texts) {
		data := texts[name]
		held := heldFor(t, data)
		t.Logf("%-26s %8d bytes, %5.1f times", name, len(data), float64(held)/float64(len(data)))
		if held > most*int64(len(data))+base {
			t.Errorf("%s: %d bytes held of %d", name, held, len(data))
		}
	}
}

// heldFor gives how many bytes a reading holds at most, seen from beside while it works.
func heldFor(t *testing.T, data []byte) int64 {
	runtime.GC()
	var before runtime.MemStats
	runtime.ReadMemStats(&before)
	done, peak := make(chan bool), make(chan uint64)
	go func() {
		highest := uint64(0)
		for {
			var now runtime.MemStats
			runtime.ReadMemStats(&now)
			highest = max(highest, now.HeapAlloc)
			select {
			case <-done:
				peak <- highest
				return
			case <-time.After(4 * time.Millisecond):
			}
		}
	}()
	old := debug.SetGCPercent(20)
	_, err := Text("x", "", data)
	debug.SetGCPercent(old)
	close(done)
	if err != nil {
		t.Error(err)
	}
	return int64(<-peak) - int64(before.HeapAlloc)
}
