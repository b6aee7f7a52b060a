package read

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"strings"
	"testing"
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
