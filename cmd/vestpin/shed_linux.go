package main

import (
	"bufio"
	"os"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// shed gives back to the system the pages of the program's own file that only its start needed
// (madvise(2)). They are read again should they be called for: nothing of them was changed.
func shed() {
	own, err := os.Executable()
	if err != nil {
		return
	}
	f, err := os.Open("/proc/self/maps")
	if err != nil {
		return
	}
	defer f.Close()
	for in := bufio.NewScanner(f); in.Scan(); {
		w := strings.Fields(in.Text())
		if len(w) < 6 || w[5] != own || strings.Contains(w[1], "w") {
			continue
		}
		from, to, _ := strings.Cut(w[0], "-")
		lo, err1 := strconv.ParseUint(from, 16, 64)
		hi, err2 := strconv.ParseUint(to, 16, 64)
		if err1 == nil && err2 == nil {
			unix.Syscall(unix.SYS_MADVISE, uintptr(lo), uintptr(hi-lo), unix.MADV_DONTNEED)
		}
	}
}
