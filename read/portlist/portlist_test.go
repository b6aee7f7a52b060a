package portlist

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

func short(l List) (out []string) {
	for _, s := range l.Services {
		out = append(out, strings.TrimSpace(fmt.Sprintf("%s %s %s", s.Protocol, s.Ports, s.Name)))
	}
	return out
}

// Lists of ports as they stand in manuals, on pages and in notes.
func TestLists(t *testing.T) {
	for _, c := range []struct {
		text   string
		want   []string
		missed int
	}{
		{"TCP 80, 554; UDP 6970-6999", []string{"tcp 80,554", "udp 6970-6999"}, 0},
		{"HTTP port: 8081", []string{"tcp 8081 HTTP"}, 0},
		{"HTTP Port\t80\nHTTPS Port\t443\nRTSP Port\t554\nServer Port\t8000", []string{"tcp 80 HTTP", "tcp 443 HTTPS", "tcp 554 RTSP", "tcp 8000 Server"}, 0},
		{"80/tcp web page\n554/tcp video\n5060/udp", []string{"tcp 80 web page", "tcp 554 video", "udp 5060"}, 0},
		{"Service | Protocol | Port\nWeb page | TCP | 80\nVideo | TCP/UDP | 554\nVoice | UDP | 16384 - 16447", []string{"tcp 80 Web page", "both 554 Video", "udp 16384-16447 Voice"}, 0},
		{"Port\tProtokoll\tBeschreibung\n5060\tUDP\tSIP\n10000-20000\tUDP\tRTP", []string{"udp 5060 SIP", "udp 10000-20000 RTP"}, 0},
		{"TCP:\n80\n443\n\nUDP:\n6970 to 6999", []string{"tcp 80", "tcp 443", "udp 6970-6999"}, 0},
		{"Open TCP ports 80, 443 and 554.", []string{"tcp 80,443,554"}, 0},
		{"SIP 5060 UDP, RTP 16384-16482 UDP", []string{"udp 5060 SIP", "udp 16384-16482 RTP"}, 0},
		{"TCP and UDP port 5060 (SIP)", []string{"both 5060 SIP"}, 0},
		{"Uses port 9000 (UDP) for the video link", []string{"udp 9000 video link"}, 0},
		{"HTTP 80, RTSP 554, HTTPS 443", []string{"tcp 80 HTTP", "tcp 554 RTSP", "tcp 443 HTTPS"}, 0},
		{"Porta TCP: 37000\nPorta UDP: 37001\nPorta HTTP: 80", []string{"tcp 37000", "udp 37001", "tcp 80 HTTP"}, 0},
		{"Firmware 5.2.1 of 2026-11-23, 12:30\nAddress 10.48.16.20\n25 fps at 4096 kbps\nChannels: 16", nil, 1},
		{"TCP 70000", nil, 1},
		{"UDP 6999-6970", nil, 1},
		{"ポート番号: 8080 (TCP)", []string{"tcp 8080"}, 0},
		{"", nil, 0},
	} {
		got := Read(strings.Split(c.text, "\n"))
		if !slices.Equal(short(got), c.want) || got.Missed != c.missed {
			t.Errorf("%q\ngot  %q, %d missed %v\nwant %q, %d missed", c.text, short(got), got.Missed, got.Unread, c.want, c.missed)
		}
	}
}

// Whatever comes, every port is one, and no service is told twice.
func FuzzLists(f *testing.F) {
	f.Add("TCP 80, 554; UDP 6970-6999")
	f.Add("HTTP | TCP/UDP | 80-81, 8080 |")
	f.Add("TCP:\n80\n(443)")
	f.Fuzz(func(t *testing.T, text string) {
		got := Read(strings.Split(text, "\n"))
		seen := map[string]bool{}
		for _, s := range got.Services {
			if s.Ports.IsZero() || s.Ports.At(0) < 1 || s.Ports.At(s.Ports.Len()-1) > 65535 || s.Protocol != "tcp" && s.Protocol != "udp" && s.Protocol != "both" {
				t.Fatalf("%q gives %v", text, s)
			}
			key := fmt.Sprint(s.Protocol, s.Ports, s.Name)
			if seen[key] {
				t.Fatalf("%q gives %v twice", text, s)
			}
			seen[key] = true
		}
	})
}
