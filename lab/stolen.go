// Package lab drives the program against real programs in network namespaces:
// DHCP servers and clients, a multicast DNS responder, servers of web pages and
// shells, the kernel's own ARP. Nothing leaves the machine. It also knows how much of the
// machine a test had.
package lab

import (
	"os"
	"strconv"
	"strings"
	"time"
)

// Stolen begins to measure, and gives a function that tells which share of the time in
// which the processors were to work went to other machines on the same hardware (the
// "steal" of proc(5)), from 0 to 1. A limit of time is divided by what is left.
func Stolen() func() float64 {
	began, busy := times()
	return func() float64 {
		s, b := times()
		if b == busy {
			return 0
		}
		return min(0.9, float64(s-began)/float64(b-busy))
	}
}

// times gives the ticks that were stolen, and all that were not idle.
func times() (stolen, busy int) {
	text, err := os.ReadFile("/proc/stat")
	if err != nil {
		return 0, 0
	}
	line, _, _ := strings.Cut(string(text), "\n")
	for i, f := range strings.Fields(line) {
		n, _ := strconv.Atoi(f)
		switch i {
		case 4, 5: // idle, and waiting for the disk
		case 8:
			stolen, busy = n, busy+n
		case 1, 2, 3, 6, 7:
			busy += n
		}
	}
	return stolen, busy
}

// Within begins to measure, and gives a function that tells whether at most a limit has
// passed, of the time that was not stolen.
func Within(limit time.Duration) func() bool {
	began, stolen := time.Now(), Stolen()
	return func() bool { return time.Since(began) <= time.Duration(float64(limit)/(1-stolen())) }
}
