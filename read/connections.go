package read

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"vestpin/core/site"
	"vestpin/core/usage"
)

// MostConnections is how many connections are kept; further ones are counted in Result.Missed.
const MostConnections = 65536

// connection takes a line of the connections that a Linux router tracks, as conntrack -L and
// /proc/net/nf_conntrack print them: the way there, and the way back as the router expects it.
//
//	tcp 6 431999 ESTABLISHED src=198.51.100.7 dst=203.0.113.47 sport=50122 dport=8020 src=10.48.16.20 dst=198.51.100.7 sport=80 dport=50122 [ASSURED] mark=0 use=1
func (r *reader) connection(l line) bool {
	if !strings.Contains(l.text, " src=") || !strings.Contains(l.text, " dst=") {
		return false
	}
	c := usage.Connection{State: usage.Connected}
	var ends [2]struct{ src, dst netip.AddrPort }
	way := -1
	for _, w := range l.fields {
		key, value, has := strings.Cut(w, "=")
		if key == "src" {
			way++
		}
		if way > 1 {
			return false // of no form that is known
		}
		switch {
		case !has && (w == "tcp" || w == "udp") && way < 0:
			c.Protocol = site.Protocol(w)
		case !has && slices.Contains([]string{"TIME_WAIT", "CLOSE", "CLOSE_WAIT", "FIN_WAIT", "LAST_ACK"}, w):
			c.State = usage.Ended
		case !has && (w == "SYN_SENT" || w == "SYN_SENT2" || w == "SYN_RECV" || w == "[UNREPLIED]"):
			c.State = usage.Knocks
		case key == "src" || key == "dst":
			a, err := netip.ParseAddr(value)
			if err != nil {
				return false
			}
			if at := netip.AddrPortFrom(a, 0); key == "src" {
				ends[way].src = at
			} else if way >= 0 {
				ends[way].dst = at
			}
		case (key == "sport" || key == "dport") && way >= 0:
			port, err := strconv.ParseUint(value, 10, 16)
			if err != nil {
				return false
			}
			end := &ends[way].src
			if key == "dport" {
				end = &ends[way].dst
			}
			*end = netip.AddrPortFrom(end.Addr(), uint16(port))
		}
	}
	if way != 1 || !ends[0].src.IsValid() || !ends[0].dst.IsValid() || !ends[1].src.IsValid() {
		return false
	}
	r.out.Listed = true
	if c.Protocol == "" || !ends[0].src.Addr().Is4() {
		return true // of ICMP and the like, and of IPv6: nothing that is forwarded here
	}
	c.From, c.To, c.Device = ends[0].src, ends[0].dst, ends[1].src
	if len(r.out.Connections) == MostConnections {
		r.out.Missed++
		return true
	}
	r.out.Connections = append(r.out.Connections, c)
	return true
}
