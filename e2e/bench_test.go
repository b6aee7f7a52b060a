package e2e

import (
	"flag"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
)

var benchFile = flag.String("figures", "", "the file to write the figures into")

// TestFigures measures what the program promises, each figure beside its yardstick
// in the same run, where a file is named for them.
func TestFigures(t *testing.T) {
	if *benchFile == "" {
		return
	}
	if err := figures(); err != nil {
		t.Fatal(err)
	}
}

func figures() error {
	times, err := benchmarks()
	if err != nil {
		return err
	}
	start, err := firstAnswer()
	if err != nil {
		return err
	}
	page, sites, survey, err := onThePage()
	if err != nil {
		return err
	}
	browser := func(what string) string { return fmt.Sprintf("%.0f ms", page[what]) }
	ratio := func(a, b string) string { return fmt.Sprintf("%.1f x", float64(times[a])/float64(times[b])) }
	ms := func(d time.Duration) string { return fmt.Sprintf("%.2f ms", float64(d.Microseconds())/1000) }
	rows := [][4]string{
		{"`GET` of the demo site, against a bare Gin handler of the same bytes", ms(times["GetSite"]) + " against " + ms(times["BareHandler"]), ratio("GetSite", "BareHandler"), "at most 3 x"},
		{"an edit with its journal, against one plain SQLite transaction", ms(times["Edit"]) + " against " + ms(times["PlainTransaction"]), ratio("Edit", "PlainTransaction"), "at most 5 x"},
		{"check of 400 devices and 1,000 forwards", ms(times["Check"]), "", "under 10 ms"},
		{"check of 250, 500, 1,000, 2,000 wishes that no forward reaches", growth(times, "Unmet/250", "Unmet/500", "Unmet/1000", "Unmet/2000"), "", "under 200 ms"},
		{"check of 1,250, 2,500, 5,000, 10,000 forwards", growth(times, "Forwards/1250", "Forwards/2500", "Forwards/5000", "Forwards/10000"), "", "under 50 ms"},
		{"check of 16,000 forwards, against 4,000", ms(times["Forwards/16000"]) + " against " + ms(times["Forwards/4000"]), ratio("Forwards/16000", "Forwards/4000"), "at most 5 x"},
		{"what reaches what, of 10,000 forwards", ms(times["Map"]), "", "20 ms"},
		{"one packet followed, among 10,000 forwards", fmt.Sprint(times["Walk"]), "", "under 1 µs"},
		{"every outside port, of 10,000 forwards", ms(times["WalkAll"]), "", "20 ms"},
		{"2,500, 5,000, 10,000 forwards compared with as many lines of the router", growth(times, "Compare/2500", "Compare/5000", "Compare/10000"), "", "100 ms"},
		{"pins for 500 in a /23, 1,000 in a /22, 2,000 in a /21, 4,000 in a /20", growth(times, "Plan/500_in_23", "Plan/1000_in_22", "Plan/2000_in_21", "Plan/4000_in_20"), "", "50 ms for 1,000, 400 ms for 4,000"},
		{"pins without enough room: 1,100 in a /22, 4,000 in a /21", growth(times, "Plan/1100_in_22", "Plan/4000_in_21"), "", "as with room"},
		{"ports for 200, 500, 1,000, 2,000 wishes on one router", growth(times, "Plan/200_over_1", "Plan/500_over_1", "Plan/1000_over_1", "Plan/2000_over_1"), "", "200 ms for 200, 1 s for 1,000"},
		{"ports for 200 wishes, among them 30 like devices with three ports each", ms(times["Plan/200_with_30_alike"]), "", "200 ms"},
		{"ports for 2,000 wishes over 20 routers, side by side and behind one", growth(times, "Plan/2000_over_20", "Plan/2000_over_20_chained"), "", "2 s"},
		{"ports for 1,000 wishes with 600 lines", growth(times, "Plan/1000_over_1_with_600_lines"), "", "2 s"},
		{"100,000 lease lines, against a plain scan with a split", ms(times["Leases"]) + " against " + ms(times["PlainScan"]), ratio("Leases", "PlainScan"), "about 2 x, under 1 s"},
		{"a page of 1,000 rows", ms(times["Page"]), "", "20 ms"},
		{"a list of a million rows", fmt.Sprintf("%.1f s", times["Table"].Seconds()), "", "6 s"},
		{"a capture of 44 MB", ms(times["Capture"]), fmt.Sprintf("%.0f MB/s", captureMB/times["Capture"].Seconds()), "at least 200 MB/s"},
		{"merge of 100,000 sightings into 2,000 devices", ms(times["Merge"]), "", "under 300 ms"},
		{"the maker of a MAC address, among 41,000 prefixes", fmt.Sprint(times["Find"]), "", "under 1 µs"},
		{"start to first answer, with an existing database", ms(start), "", "under 500 ms"},
		{"first load of the sites, and of the survey, compressed with the fonts", fmt.Sprintf("%.0f, %.0f kB", sites/1000, survey/1000), "", "at most 320 kB"},
		{"at 400 devices: a station in view, from the key", browser("station"), "", "150 ms"},
		{"at 400 devices: a row picked", browser("pick"), "", "50 ms"},
		{"at 400 devices: an edit in view, from the answer", browser("edit"), "", "100 ms"},
		{"at 400 devices: frames of a drag, 95 of 100 within", browser("frame"), "", "32 ms"},
		{"at 400 devices: most elements on a view", fmt.Sprintf("%.0f", page["elements"]), "", "2,500"},
	}
	var b strings.Builder
	fmt.Fprintf(&b, "# Benchmarks\n\nMade by `make bench`: medians of five runs on %d cores, %s.\nEach figure stands beside its yardstick, measured in the same run; the ratios are what counts.\n\n", runtime.NumCPU(), runtime.Version())
	b.WriteString("| what | time | ratio | wanted |\n| --- | --- | --- | --- |\n")
	for _, r := range rows {
		fmt.Fprintf(&b, "| %s | %s | %s | %s |\n", r[0], r[1], r[2], r[3])
	}
	fmt.Print(b.String())
	return os.WriteFile(*benchFile, []byte(b.String()), 0o644)
}

// growth gives the times of several sizes.
func growth(times map[string]time.Duration, names ...string) string {
	var out []string
	for _, name := range names {
		out = append(out, fmt.Sprintf("%.0f", float64(times[name].Microseconds())/1000))
	}
	return strings.Join(out, ", ") + " ms"
}

// captureMB is the size of the capture that BenchmarkCapture reads.
const captureMB = 43.6

var result = regexp.MustCompile(`(?m)^Benchmark([\w/]+?)(?:-\d+)?\s+\d+\s+([\d.]+) ns/op`)

// benchmarks runs the Go benchmarks five times and gives the median of each.
func benchmarks() (map[string]time.Duration, error) {
	cmd := exec.Command("go", "test", "-run", "^$", "-bench", ".", "-count", "5", "-benchtime", "300ms", "-p", "1", "vestpin/core/addressing", "vestpin/core/forwarding", "vestpin/core/reach", "vestpin/core/sighting", "vestpin/core/snag", "vestpin/maker", "vestpin/read", "vestpin/server", "vestpin/store")
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("%w\n%s", err, out)
	}
	all := map[string][]time.Duration{}
	for _, m := range result.FindAllStringSubmatch(string(out), -1) {
		ns, err := strconv.ParseFloat(m[2], 64)
		if err != nil {
			return nil, err
		}
		all[m[1]] = append(all[m[1]], time.Duration(ns))
	}
	median := map[string]time.Duration{}
	for name, list := range all {
		slices.Sort(list)
		median[name] = list[len(list)/2]
	}
	return median, nil
}

// firstAnswer is the time from starting the program on a database that is there
// to its first answer, the median of five.
func firstAnswer() (time.Duration, error) {
	dir, err := os.MkdirTemp("", "vestpin-bench-")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	var list []time.Duration
	for i := range 6 {
		begin := time.Now()
		p, err := Start(binary, "serve", "--addr", "127.0.0.1:0", "--db", filepath.Join(dir, "v.db"))
		if err != nil {
			return 0, err
		}
		resp, err := http.Get(p.URL + "/api/sites")
		if err != nil {
			return 0, err
		}
		resp.Body.Close()
		if i > 0 { // the first run makes the database
			list = append(list, time.Since(begin))
		}
		if err := p.Stop(); err != nil {
			return 0, err
		}
	}
	slices.Sort(list)
	return list[len(list)/2], nil
}

// onThePage measures what the browser takes: the page's figures at 400 devices, and the bytes
// that come before the list of sites and the survey are there.
func onThePage() (page map[string]float64, sites, survey float64, err error) {
	p, err := Start(binary, "demo", "--addr", "127.0.0.1:0")
	if err != nil {
		return nil, 0, 0, err
	}
	defer p.Stop()
	fresh := func(path, until string) (float64, error) {
		ctx, end, err := Open(1280, 800)
		defer end()
		if err != nil {
			return 0, err
		}
		return loaded(ctx, p.URL+path, until)
	}
	if sites, err = fresh("/", `document.querySelector("[data-site]")`); err != nil {
		return nil, 0, 0, err
	}
	if survey, err = fresh("/s/pottery/survey", stationMarks[0][1]); err != nil {
		return nil, 0, 0, err
	}
	ctx, end, err := Open(1280, 800)
	defer end()
	if err == nil {
		page, err = pageFigures(ctx, p.URL)
	}
	return page, sites, survey, err
}
