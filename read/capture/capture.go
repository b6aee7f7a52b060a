// Package capture knows captures of packets, pcap and pcapng, and gives what their packets tell of
// devices and of the network. It streams them, and knows nothing of text.
package capture

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math/bits"
	"net/netip"
	"slices"
	"time"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/frame"
)

// longestPacket is the longest packet that a capture may hold, in bytes. What
// says it is longer is broken.
const longestPacket = 256 << 10

// Is knows the first bytes of pcap and pcapng files.
func Is(head []byte) bool {
	if len(head) < 4 {
		return false
	}
	switch binary.LittleEndian.Uint32(head) {
	case 0xa1b2c3d4, 0xd4c3b2a1, 0xa1b23c4d, 0x4d3cb2a1, 0x0a0d0d0a:
		return true
	}
	return false
}

// capture streams the packets of a file and keeps what they tell, once.
type capture struct {
	in      *bufio.Reader
	order   binary.ByteOrder
	packets int
	links   []link // of pcapng: one for each interface of a section
	out     *Found
	known   map[told]int        // where each thing told stands among the sightings
	asked   map[site.MAC][]told // what of it a device asked for
}

// told is what makes two sightings of one capture the same.
type told struct {
	mac         site.MAC
	address     netip.Addr
	host, state string
}

type link struct {
	kind  int
	ticks uint64 // a second
}

// Found is what a capture came to. The line of a sighting is the number of its packet. Fault is
// what ended it before its end, in the packet Broken; none where that is empty.
type Found struct {
	Sightings []sighting.Sighting
	Facts     sighting.Facts
	Broken    int
	Fault     string
}

// Read reads pcap, and pcapng (draft-ietf-opsawg-pcapng). What comes before a fault counts.
func Read(in *bufio.Reader) Found {
	out := Found{Sightings: []sighting.Sighting{}, Facts: sighting.Facts{DNS: []netip.Addr{}, Ranges: []site.Range{}, DHCP: []netip.Addr{}}}
	c := capture{in: in, out: &out, known: map[told]int{}, asked: map[site.MAC][]told{}}
	err := c.read()
	switch {
	case err == nil || err == io.EOF:
	case errors.Is(err, io.ErrUnexpectedEOF):
		out.Broken, out.Fault = c.packets+1, "the capture ends in the middle of this packet"
	default:
		out.Broken, out.Fault = c.packets+1, err.Error()
	}
	c.names()
	if f := &out.Facts; f.Gateway.IsValid() && f.Subnet.IsValid() && !f.Subnet.Contains(f.Gateway) {
		f.Gateway = netip.Addr{}
	}
	return out
}

func (c *capture) read() error {
	magic, err := c.in.Peek(4)
	if err != nil {
		return err
	}
	switch binary.LittleEndian.Uint32(magic) {
	case 0x0a0d0d0a:
		return c.sections()
	case 0xa1b2c3d4, 0xa1b23c4d:
		c.order = binary.LittleEndian
	default:
		c.order = binary.BigEndian
	}
	return c.plain()
}

// take gives the next n bytes; they are good until the next call.
func (c *capture) take(n int) ([]byte, error) {
	b, err := c.in.Peek(n)
	if err == io.EOF && len(b) > 0 {
		return nil, io.ErrUnexpectedEOF
	}
	if err != nil {
		return nil, err
	}
	_, err = c.in.Discard(n)
	return b, err
}

// plain reads the older format: a head, then packets with times in micro- or
// nanoseconds.
func (c *capture) plain() error {
	head, err := c.take(24)
	if err != nil {
		return io.ErrUnexpectedEOF
	}
	l := link{int(c.order.Uint32(head[20:]) & 0xffff), 1e6}
	if c.order.Uint32(head) == 0xa1b23c4d {
		l.ticks = 1e9
	}
	for {
		head, err := c.take(16)
		if err != nil {
			return err
		}
		sec, part, n := c.order.Uint32(head), c.order.Uint32(head[4:]), int(c.order.Uint32(head[8:]))
		if n > longestPacket {
			return fmt.Errorf("this packet says it has %d bytes: the capture is broken from here", n)
		}
		packet, err := c.take(n)
		if err != nil {
			return io.ErrUnexpectedEOF
		}
		c.packet(l, packet, uint64(sec)*l.ticks+uint64(part))
	}
}

// The blocks of pcapng that are read.
const (
	blockSection  = 0x0a0d0d0a
	blockLink     = 1
	blockPacket   = 2 // no longer written
	blockSimple   = 3
	blockEnhanced = 6
)

func (c *capture) sections() error {
	for {
		head, err := c.in.Peek(12)
		if len(head) == 0 {
			return err
		}
		if len(head) < 12 {
			return io.ErrUnexpectedEOF
		}
		if binary.LittleEndian.Uint32(head) == blockSection {
			c.order, c.links = binary.LittleEndian, nil
			if binary.BigEndian.Uint32(head[8:]) == 0x1a2b3c4d {
				c.order = binary.BigEndian
			}
		}
		kind, n := c.order.Uint32(head), int(c.order.Uint32(head[4:]))
		if n < 12 || n%4 != 0 || n > 64<<20 {
			return fmt.Errorf("a block says it has %d bytes: the capture is broken from here", n)
		}
		if kind != blockLink && kind != blockPacket && kind != blockSimple && kind != blockEnhanced || n > 2*longestPacket {
			if _, err := c.in.Discard(n); err != nil {
				return io.ErrUnexpectedEOF
			}
			continue
		}
		b, err := c.take(n)
		if err != nil {
			return io.ErrUnexpectedEOF
		}
		c.block(kind, b[8:n-4])
	}
}

func (c *capture) block(kind uint32, b []byte) {
	switch {
	case kind == blockLink && len(b) >= 8:
		c.links = append(c.links, link{int(c.order.Uint16(b)), c.resolution(b[8:])})
	case (kind == blockEnhanced || kind == blockPacket) && len(b) >= 20:
		id := int(c.order.Uint32(b))
		if kind == blockPacket {
			id = int(c.order.Uint16(b))
		}
		n := int(c.order.Uint32(b[12:]))
		if id < len(c.links) && n <= len(b)-20 {
			c.packet(c.links[id], b[20:20+n], uint64(c.order.Uint32(b[4:]))<<32|uint64(c.order.Uint32(b[8:])))
		}
	case kind == blockSimple && len(b) >= 4 && len(c.links) > 0:
		n := min(int(c.order.Uint32(b)), len(b)-4)
		c.packet(c.links[0], b[4:4+n], 0)
	}
}

// resolution finds the option if_tsresol: ticks a second, a million if absent.
func (c *capture) resolution(options []byte) uint64 {
	for len(options) >= 4 {
		code, n := c.order.Uint16(options), int(c.order.Uint16(options[2:]))
		if code == 0 || len(options) < 4+n {
			break
		}
		if code == 9 && n == 1 {
			v := options[4]
			if v&0x80 != 0 && v&0x7f < 63 {
				return 1 << (v & 0x7f)
			}
			ticks := uint64(1)
			for range min(v, 18) {
				ticks *= 10
			}
			return ticks
		}
		options = options[min(len(options), 4+(n+3)/4*4):]
	}
	return 1e6
}

// mostTold bounds what is kept of one capture.
const mostTold = 100_000

func (c *capture) packet(l link, packet []byte, at uint64) {
	c.packets++
	for _, s := range frame.Sight(l.kind, packet, &c.out.Facts) {
		if s.State == frame.Refused {
			c.refuse(s.MAC)
			continue
		}
		key := told{s.MAC, s.Address, s.Host, s.State}
		i, seen := c.known[key]
		if !seen {
			if len(c.known) >= mostTold {
				continue
			}
			i = len(c.out.Sightings)
			c.known[key] = i
			if s.State == "requested" {
				c.asked[s.MAC] = append(c.asked[s.MAC], key)
			}
			s.Line = c.packets
			s.At = moment(at, l.ticks)
			c.out.Sightings = append(c.out.Sightings, s)
			continue
		}
		first := &c.out.Sightings[i]
		for _, t := range s.Traits {
			if !slices.Contains(first.Traits, t) && len(first.Traits) < 30 {
				first.Traits = append(first.Traits, t)
			}
		}
	}
}

// refuse takes back where a device asked to be.
func (c *capture) refuse(mac site.MAC) {
	for _, k := range c.asked[mac] {
		if i, known := c.known[k]; known {
			c.out.Sightings[i].Address = netip.Addr{}
			delete(c.known, k)
		}
	}
	delete(c.asked, mac)
}

// names gives what a device was granted the name under which it asked, since the answer
// of a server mostly leaves it out.
func (c *capture) names() {
	host := map[site.MAC]string{}
	for _, s := range c.out.Sightings {
		if (s.State == "requested" || s.State == "asked") && s.Host != "" {
			host[s.MAC] = s.Host
		}
	}
	for i := range c.out.Sightings {
		if s := &c.out.Sightings[i]; s.State == "granted" && s.Host == "" {
			s.Host = host[s.MAC]
		}
	}
}

func moment(at, ticks uint64) string {
	if at == 0 {
		return ""
	}
	hi, lo := bits.Mul64(at%ticks, 1e9)
	nanos, _ := bits.Div64(hi, lo, ticks)
	return time.Unix(int64(at/ticks), int64(nanos)).UTC().Format(time.RFC3339)
}
