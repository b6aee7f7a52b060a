package read

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"net/netip"
	"os"
	"path/filepath"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/frame"
	"vestpin/read/capture"
)

// The blocks of pcapng, by their numbers in the draft.
const (
	blockSection  = 0x0a0d0d0a
	blockLink     = 1
	blockSimple   = 3
	blockEnhanced = 6
)

func arpFrame(n byte) []byte {
	return frame.ARP{Reply: true, Sender: site.MAC("00:00:5e:00:53:" + string("0123456789abcdef"[n>>4]) + string("0123456789abcdef"[n&15])), SenderAddr: netip.AddrFrom4([4]byte{10, 48, 16, n}), Target: "00:00:5e:00:53:7e", TargetAddr: netip.MustParseAddr("10.48.16.126")}.Frame()
}

// pcap writes the older format.
func pcap(order binary.ByteOrder, magic uint32, packets ...[]byte) []byte {
	b := make([]byte, 24)
	order.PutUint32(b, magic)
	order.PutUint32(b[20:], frame.LinkEthernet)
	for _, p := range packets {
		head := make([]byte, 16)
		order.PutUint32(head, 1795431600)
		order.PutUint32(head[4:], 5)
		order.PutUint32(head[8:], uint32(len(p)))
		order.PutUint32(head[12:], uint32(len(p)))
		b = append(append(b, head...), p...)
	}
	return b
}

func block(order binary.ByteOrder, kind uint32, body []byte) []byte {
	for len(body)%4 != 0 {
		body = append(body, 0)
	}
	b := make([]byte, 8)
	order.PutUint32(b, kind)
	order.PutUint32(b[4:], uint32(len(body)+12))
	b = append(b, body...)
	return append(b, b[4:8]...)
}

// pcapng writes the newer format, with times in nanoseconds.
func pcapng(order binary.ByteOrder, packets ...[]byte) []byte {
	section := make([]byte, 16)
	order.PutUint32(section, 0x1a2b3c4d)
	link := make([]byte, 8)
	order.PutUint16(link, frame.LinkEthernet)
	option := make([]byte, 8)
	order.PutUint16(option, 9)
	order.PutUint16(option[2:], 1)
	option[4] = 9
	b := append(block(order, blockSection, section), block(order, blockLink, append(link, option...))...)
	b = append(b, block(order, 5, make([]byte, 12))...) // statistics, to be passed over
	for _, p := range packets {
		body := make([]byte, 20)
		at := uint64(1795431600) * 1e9
		order.PutUint32(body[4:], uint32(at>>32))
		order.PutUint32(body[8:], uint32(at))
		order.PutUint32(body[12:], uint32(len(p)))
		order.PutUint32(body[16:], uint32(len(p)))
		b = append(b, block(order, blockEnhanced, append(body, p...))...)
	}
	return b
}

func TestCapturesOfBothKindsAndOrders(t *testing.T) {
	packets := [][]byte{arpFrame(0x21), arpFrame(0x22), arpFrame(0x21)}
	want := []string{"1 00:00:5e:00:53:21 10.48.16.33", "2 00:00:5e:00:53:22 10.48.16.34"}
	for name, data := range map[string][]byte{
		"pcap": pcap(binary.LittleEndian, 0xa1b2c3d4, packets...), "pcap, big": pcap(binary.BigEndian, 0xa1b2c3d4, packets...),
		"pcap, nanoseconds": pcap(binary.BigEndian, 0xa1b23c4d, packets...),
		"pcapng":            pcapng(binary.LittleEndian, packets...), "pcapng, big": pcapng(binary.BigEndian, packets...),
	} {
		r, err := Text("lan", "", data)
		if err != nil || !reflect.DeepEqual(short(r), want) || r.Sightings[0].At != "2026-11-23T11:00:00Z" || len(r.Unread) != 0 {
			t.Errorf("%s: %q at %v, unread %+v, %v", name, short(r), r.Sightings, r.Unread, err)
		}
		// Cut anywhere, what came before the cut counts, and the cut is told.
		for cut := 4; cut < len(data); cut++ {
			r, err := Text("lan", "", data[:cut])
			if err != nil || len(r.Sightings) > 2 || len(r.Unread) > 1 {
				t.Fatalf("%s cut at %d: %q, %+v, %v", name, cut, short(r), r.Unread, err)
			}
		}
		r, _ = Text("lan", "", data[:len(data)-3])
		if len(r.Unread) != 1 || !strings.Contains(r.Unread[0].Text, "ends in the middle") || len(r.Sightings) != 2 {
			t.Errorf("%s cut short: %+v", name, r)
		}
	}
	huge := pcap(binary.LittleEndian, 0xa1b2c3d4, arpFrame(0x21))
	huge = append(huge, bytes.Repeat([]byte{0xff}, 40)...)
	if r, err := Text("lan", "", huge); err != nil || len(r.Sightings) != 1 || len(r.Unread) != 1 || !strings.Contains(r.Unread[0].Text, "broken from here") {
		t.Errorf("a packet of 4 GB: %+v, %v", r, err)
	}
}

// What tcpdump wrote of two DHCP clients at two servers in turn.
func TestCaptureOfTheLab(t *testing.T) {
	data, err := os.ReadFile(filepath.Join("testdata", "lan.pcap"))
	if err != nil {
		t.Fatal(err)
	}
	r, err := Text("lan", "", data)
	if err != nil || len(r.Unread) > 0 {
		t.Fatalf("%+v, %v", r.Unread, err)
	}
	all := strings.Join(short(r), "\n")
	for _, want := range []string{"00:00:5e:00:53:21 10.48.16.100 yard-camera", "00:00:5e:00:53:22 10.48.16.20 gallery recorder", "00:00:5e:00:53:01 10.48.16.1"} {
		if !strings.Contains(all, want) {
			t.Errorf("no %q in\n%s", want, all)
		}
	}
	if f := r.Facts; facts(r) != "10.48.16.0/24 invalid IP 10.48.16.1 [10.48.16.1 192.0.2.53] []" || f.Lease != 86400 || len(f.DHCP) != 1 || f.DHCP[0].String() != "10.48.16.1" {
		t.Errorf("facts %+v", f)
	}
	vendor := false
	for _, s := range r.Sightings {
		for _, x := range s.Traits {
			vendor = vendor || x == site.Trait{Name: site.TraitVendor, Value: "cam-boot"}
		}
	}
	if !vendor {
		t.Error("the camera's vendor class is lost")
	}
}

func FuzzCapture(f *testing.F) {
	f.Add(pcap(binary.LittleEndian, 0xa1b2c3d4, arpFrame(1)))
	f.Add(pcapng(binary.BigEndian, arpFrame(1), arpFrame(2)))
	if data, err := os.ReadFile(filepath.Join("testdata", "lan.pcap")); err == nil {
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if !capture.Is(data) {
			return
		}
		r, err := Text("x", "", data)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range r.Sightings {
			if s.Line < 1 || s.MAC == "" && !s.Address.IsValid() {
				t.Fatalf("a sighting of nothing: %+v", s)
			}
		}
	})
}

// repeated is a source of packets without end, of the size of a video stream's.
type repeated struct {
	head, packet []byte
	left, at     int
	look         func() // called every 64 MB
}

func (r *repeated) Read(b []byte) (int, error) {
	if len(r.head) > 0 {
		n := copy(b, r.head)
		r.head = r.head[n:]
		return n, nil
	}
	if r.left <= 0 {
		return 0, io.EOF
	}
	n := copy(b, r.packet[r.at:])
	r.at = (r.at + n) % len(r.packet)
	if before := r.left >> 26; r.look != nil && (r.left-n)>>26 != before {
		r.look() // every 64 MB
	}
	r.left -= n
	return n, nil
}

// A gigabyte passes through without being held.
func TestGigabyteIsStreamed(t *testing.T) {
	if testing.Short() {
		t.Skip("long")
	}
	tcp := append(arpFrame(0x21)[:12:12], 8, 0, 0x45, 0)
	tcp = append(tcp, make([]byte, 1400)...)
	tcp[23] = 6
	one := pcap(binary.LittleEndian, 0xa1b2c3d4, tcp, arpFrame(0x21))
	size := 1 << 30 / (len(one) - 24) * (len(one) - 24)
	live := func() int64 {
		var now runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&now)
		return int64(now.HeapAlloc)
	}
	before, most, looks := live(), int64(0), 0
	r, err := File("lan", "", &repeated{head: one[:24], packet: one[24:], left: size, look: func() { most, looks = max(most, live()), looks+1 }})
	if err != nil || len(r.Sightings) != 1 || len(r.Unread) != 0 {
		t.Fatalf("%q, %+v, %v", short(r), r.Unread, err)
	}
	if more := most - before; more > 16<<20 || looks < 10 {
		t.Errorf("held %d MB more, looked at %d times", more>>20, looks)
	}
}

// Sections, links and times of pcapng in all their forms.
func TestBlocksOfTheNewerFormat(t *testing.T) {
	order := binary.LittleEndian
	section := make([]byte, 16)
	order.PutUint32(section, 0x1a2b3c4d)
	link := func(kind uint16, resolution ...byte) []byte {
		b := make([]byte, 8)
		order.PutUint16(b, kind)
		if len(resolution) > 0 {
			b = append(b, 9, 0, 1, 0, resolution[0], 0, 0, 0, 0, 0, 0, 0)
		}
		return block(order, blockLink, b)
	}
	enhanced := func(id uint32, ticks uint64, packet []byte) []byte {
		b := make([]byte, 20)
		order.PutUint32(b, id)
		order.PutUint32(b[4:], uint32(ticks>>32))
		order.PutUint32(b[8:], uint32(ticks))
		order.PutUint32(b[12:], uint32(len(packet)))
		return block(order, blockEnhanced, append(b, packet...))
	}
	simple := func(packet []byte) []byte {
		return block(order, blockSimple, append(order.AppendUint32(nil, uint32(len(packet))), packet...))
	}
	const at = 1795431600
	cases := []struct {
		name string
		data [][]byte
		want []string
		at   string
	}{
		{"milliseconds", [][]byte{block(order, blockSection, section), link(1, 3), enhanced(0, at*1000, arpFrame(0x21))}, []string{"1 00:00:5e:00:53:21 10.48.16.33"}, "2026-11-23T11:00:00Z"},
		{"parts of two to the power of ten", [][]byte{block(order, blockSection, section), link(1, 0x8a), enhanced(0, at*1024, arpFrame(0x21))}, []string{"1 00:00:5e:00:53:21 10.48.16.33"}, "2026-11-23T11:00:00Z"},
		{"a packet without a time", [][]byte{block(order, blockSection, section), link(1), simple(arpFrame(0x21))}, []string{"1 00:00:5e:00:53:21 10.48.16.33"}, ""},
		{"two links, one of them of another kind", [][]byte{block(order, blockSection, section), link(105), link(1), enhanced(0, at*1e6, arpFrame(0x22)), enhanced(1, at*1e6, arpFrame(0x21))}, []string{"2 00:00:5e:00:53:21 10.48.16.33"}, "2026-11-23T11:00:00Z"},
		{"a second section forgets the links of the first", [][]byte{block(order, blockSection, section), link(1), enhanced(0, at*1e6, arpFrame(0x21)), block(order, blockSection, section), enhanced(0, at*1e6, arpFrame(0x22))}, []string{"1 00:00:5e:00:53:21 10.48.16.33"}, "2026-11-23T11:00:00Z"},
		{"a link that was never told of", [][]byte{block(order, blockSection, section), enhanced(9, at*1e6, arpFrame(0x21))}, []string{}, ""},
	}
	for _, c := range cases {
		r, err := Text("lan", "", bytes.Join(c.data, nil))
		if err != nil || !reflect.DeepEqual(short(r), c.want) || len(r.Unread) != 0 {
			t.Errorf("%s: %q, want %q; %+v, %v", c.name, short(r), c.want, r.Unread, err)
		}
		if len(r.Sightings) > 0 && r.Sightings[0].At != c.at {
			t.Errorf("%s: at %q, want %q", c.name, r.Sightings[0].At, c.at)
		}
	}
}

// dhcpFrame is a message of DHCP on the wire.
func dhcpFrame(m frame.DHCP, from, to uint16) []byte {
	body := m.Body()
	f := append(bytes.Repeat([]byte{0xff}, 6), 0, 0, 0x5e, 0, 0x53, 1, 8, 0, 0x45, 0)
	f = binary.BigEndian.AppendUint16(f, uint16(28+len(body)))
	f = append(f, 0, 0, 0, 0, 64, 17, 0, 0, 10, 48, 16, 1, 255, 255, 255, 255)
	for _, n := range []uint16{from, to, uint16(8 + len(body)), 0} {
		f = binary.BigEndian.AppendUint16(f, n)
	}
	return append(f, body...)
}

// What many devices asked for and were refused is taken back in a time that goes with their number.
func TestManyRefusedLeases(t *testing.T) {
	took := func(n int) time.Duration {
		var packets [][]byte
		for i := range n {
			mac := site.MAC(fmt.Sprintf("02:00:00:%02x:%02x:%02x", i>>16, i>>8&255, i&255))
			packets = append(packets, dhcpFrame(frame.DHCP{Kind: frame.Request, MAC: mac, Requested: netip.AddrFrom4([4]byte{10, 48, 16, byte(i)})}, 68, 67), dhcpFrame(frame.DHCP{Kind: frame.Nak, MAC: mac}, 67, 68))
		}
		data := pcap(binary.LittleEndian, 0xa1b2c3d4, packets...)
		begin := time.Now()
		r, err := Text("x.pcap", "", data)
		if err != nil || len(r.Sightings) != n || slices.ContainsFunc(r.Sightings, func(s sighting.Sighting) bool { return s.Address.IsValid() }) {
			t.Fatalf("%d of %d devices, %v; where they asked to be is not taken back", len(r.Sightings), n, err)
		}
		return time.Since(begin)
	}
	for try := 1; ; try++ {
		small, large := took(1000), took(16000)
		if large < 40*small || large < time.Second/2 {
			return
		}
		if try == 4 {
			t.Fatalf("%v, 16 times as much %v", small, large)
		}
	}
}
