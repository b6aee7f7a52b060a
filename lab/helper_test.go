package lab

import (
	"bufio"
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"vestpin/afar"
	"vestpin/core/site"
	"vestpin/wire"
)

// A thousand refused requests a second do not hold up a check that runs, and the helper stays
// small beside them.
func TestHelperUnderFlood(t *testing.T) {
	if _, err := os.Stat(binary); err != nil {
		t.Skip("the program is not built")
	}
	cmd := exec.Command(binary, "afar", "--lab", "--addr", "127.0.0.1:0")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() {
		cmd.Process.Kill()
		cmd.Wait()
	}()
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatal(err)
	}
	p, err := afar.ParsePairing(lastWord(line))
	if err != nil {
		t.Fatal(err)
	}
	var questions []wire.Question
	for range 40 {
		l, err := net.Listen("tcp4", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		defer l.Close()
		go http.Serve(l, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<title>Page</title>") }))
		questions = append(questions, wire.Question{Protocol: site.TCP, Port: uint16(l.Addr().(*net.TCPAddr).Port), Check: "http"})
	}
	check := func() time.Duration {
		far, err := afar.Reach(t.Context(), p)
		if err != nil {
			t.Fatal(err)
		}
		begin, n := time.Now(), 0
		if err := far.Try(t.Context(), questions, func(_ int, h site.Heard) {
			if h.Result == site.HeardAnswers {
				n++
			}
		}); err != nil || n != len(questions) {
			t.Errorf("%d of %d answer: %v", n, len(questions), err)
		}
		return time.Since(begin)
	}
	quiet := check()
	ctx, stop := context.WithCancel(t.Context())
	var refused atomic.Int64
	var all sync.WaitGroup
	flood := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}, MaxIdleConnsPerHost: 16, DialContext: (&net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 0, 2)}}).DialContext}}
	for range 16 {
		all.Go(func() {
			for next := time.NewTicker(8 * time.Millisecond); ctx.Err() == nil; <-next.C {
				req, _ := http.NewRequestWithContext(ctx, http.MethodPost, "https://"+p.Addr+"/try", strings.NewReader("{}"))
				if resp, err := flood.Do(req); err == nil {
					io.Copy(io.Discard, resp.Body)
					resp.Body.Close()
					refused.Add(1)
				}
			}
		})
	}
	var samples []int // of its resident memory, in kB
	all.Go(func() {
		for ctx.Err() == nil {
			samples = append(samples, residentOf(t, cmd.Process.Pid, "VmRSS:"))
			time.Sleep(50 * time.Millisecond)
		}
	})
	time.Sleep(time.Second)
	before, begin, inTime := refused.Load(), time.Now(), Within(quiet+2*time.Second)
	beside := check()
	soon := inTime()
	rate := float64(refused.Load()-before) / time.Since(begin).Seconds()
	time.Sleep(6 * time.Second) // the flood goes on
	own := residentOf(t, cmd.Process.Pid, "RssAnon:")
	stop()
	all.Wait()
	peak := slices.Max(samples)
	slices.Sort(samples)
	during := samples[len(samples)/2]
	t.Logf("40 ports in %v, beside %.0f refusals a second in %v; %d kB resident in the flood, %d at most, of which %d its own", quiet, rate, beside, during, peak, own)
	if !soon {
		t.Errorf("40 ports take %v beside the flood, %v without", beside, quiet)
	}
	if rate < 300 {
		t.Errorf("only %.0f refusals a second", rate)
	}
	// How much of the program's file is mapped at once is up to the system: mostly some 8 MB.
	if own > 10<<10 || during > 24<<10 {
		t.Errorf("%d kB are resident, %d of them its own: more than the 20 MB that it should have", during, own)
	}
}

// residentOf is a figure of the resident memory of a process, in kB.
func residentOf(t *testing.T, pid int, which string) (kB int) {
	t.Helper()
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(data), which)
	if _, err := fmt.Sscan(rest, &kB); err != nil {
		t.Fatal(err)
	}
	return kB
}
