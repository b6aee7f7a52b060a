package server

import (
	"bytes"
	"fmt"
	"net"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"vestpin/lab"
)

// hostileSite is a site file with what is given of devices and forwards.
func hostileSite(form, devices, forwards string) string {
	return `{"format":"vestpin-site/1","name":"Hostile","networks":[{"id":"n","subnet":"10.0.0.0/16","gateway":"10.0.0.1","ranges":[{"from":"10.0.100.1","to":"10.0.120.0"}]}],
	"routers":[{"id":"r","network":"n","wan":{"kind":"static","address":"203.0.113.9"},"upnp":"off","form":{` + form + `}}],"devices":[` + devices + `],"forwards":[` + forwards + `]}`
}

// many joins n texts made of their number.
func many(between string, n int, text func(i int) string) string {
	all := make([]string, n)
	for i := range all {
		all[i] = text(i)
	}
	return strings.Join(all, between)
}

// peak runs work and gives by how much the heap was larger meanwhile, at most.
func peak(work func()) uint64 {
	var m runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&m)
	before := m.HeapInuse
	var highest atomic.Uint64
	done := make(chan struct{})
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for {
			select {
			case <-done:
				return
			case <-time.After(5 * time.Millisecond):
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				highest.Store(max(highest.Load(), m.HeapInuse))
			}
		}
	}()
	work()
	close(done)
	<-ended
	return max(highest.Load(), before) - before
}

// No input under 1 MB makes an answer over 5 MB, takes over 2 s or 500 MB, or keeps
// other sites waiting over 200 ms.
func TestSmallInputCostsLittle(t *testing.T) {
	u := serve(t, Options{}).URL
	one := func(i int) string { return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n"}]}`, i, i) }
	wish := func(i int) string {
		return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n","pin":{"address":"10.0.%d.%d"}}],"services":[{"id":"s%d","interface":"i%d","protocol":"tcp","ports":"80","open":{}}]}`, i, i, i/200+1, i%200+2, i, i)
	}
	cases := []struct{ name, site, then string }{
		{"11 KB of forwards of all ports, one a line", hostileSite(`"portsPerLine":"one"`, one(0), many(",", 100, func(i int) string {
			return fmt.Sprintf(`{"id":"f%d","router":"r","protocol":"tcp","outside":"1-65535","to":"i0"}`, i)
		})), "suggest"},
		{"wishes of all ports", hostileSite(`"portsPerLine":"one"`, many(",", 60, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n","pin":{"address":"10.0.1.%d"}}],"services":[{"id":"s%d","interface":"i%d","protocol":"both","ports":"1-65535","open":{}}]}`, i, i, i+2, i, i)
		}), ""), ""},
		{"5,000 forwards of one port", hostileSite(``, one(0), many(",", 5000, func(i int) string {
			return fmt.Sprintf(`{"id":"f%d","router":"r","protocol":"tcp","outside":"80","inside":"%d","to":"i0"}`, i, i+1)
		})), ""},
		{"2,000 unmet wishes of one port", hostileSite(`"renumber":"one"`, many(",", 2000, wish), ""), "suggest"},
		{"1,500 devices of one name", hostileSite(``, many(",", 1500, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n","mac":"00:00:5e:00:%02x:%02x","evidence":[{"source":"s","host":"same-name","address":"10.0.1.1"}]}]}`, i, i, i/256, i%256)
		}), ""), ""},
		{"1,500 devices that came in the place of others", strings.Replace(hostileSite(``, many(",", 1500, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n","mac":"00:00:5e:00:%02x:%02x","seen":"10.0.1.1","first":"2026-11-2%dT09:00:00Z","wants":"pin","evidence":[{"source":"s","host":"same-name","at":"2026-11-25T09:00:00Z","address":"10.0.1.1"}]}]}`, i, i, i/256, i%256, 3+i%3)
		}), ""), `"devices"`, `"visits":[{"id":"v","from":"2026-11-23T09:00:00Z","until":"2026-11-23T12:00:00Z","seen":[`+many(",", 1500, func(i int) string {
			return fmt.Sprintf(`{"interface":"i%d","address":"10.0.1.1","host":"same-name"}`, i)
		})+`]},{"id":"w","from":"2026-11-25T09:00:00Z"}],"devices"`, 1), ""},
		{"8,000 devices", hostileSite(``, many(",", 8000, one), ""), ""},
		{"3,900 devices", hostileSite(``, many(",", 3900, one), ""), "suggest"},
		{"5,000 forwards that overlap, each for a sender of its own", hostileSite(`"limitsSender":"network"`, one(0), many(",", 5000, func(i int) string {
			return fmt.Sprintf(`{"id":"f%d","router":"r","protocol":"tcp","outside":"%d-%d","to":"i0","from":["198.51.%d.%d"]}`, i, i+1, 60000-i, i/256, i%256)
		})), "suggest"},
		{"1,500 ranges that overlap, with few lines", hostileSite(`"lines":300,"protocols":["tcp","udp"]`, many(",", 1500, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","rank":%d,"interfaces":[{"id":"i%d","network":"n","pin":{"address":"10.0.%d.%d"}}],"services":[{"id":"s%d","interface":"i%d","protocol":"%s","ports":"%d-%d","open":{"port":"%s"}}]}`,
				i, 1+i%90, i, i/200+1, i%200+2, i, i, []string{"tcp", "udp", "both"}[i%3], 80+i%40, 120+i%60, []string{"any", "same"}[i%2])
		}), ""), "suggest"},
		{"700 devices for 509 addresses", strings.Replace(hostileSite(``, many(",", 700, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","rank":%d,"interfaces":[{"id":"i%d","network":"n","mac":"00:00:5e:00:%02x:%02x","wants":"pin","seen":"10.0.%d.%d"}]}`, i, 1+i%7, i, i/256, i%256, i/2%250/125, 2+i/2%125)
		}), ""), "10.0.0.0/16\",\"gateway\":\"10.0.0.1\",\"ranges\":[{\"from\":\"10.0.100.1\",\"to\":\"10.0.120.0\"}]", "10.0.0.0/23\",\"gateway\":\"10.0.0.1\"", 1), "suggest"},
		{"3,900 devices, two at each address", strings.Replace(hostileSite(``, many(",", 3900, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n","mac":"00:00:5e:00:%02x:%02x","wants":"pin","seen":"10.0.%d.%d"}]}`, i, i, i/256, i%256, i/2/250, 2+i/2%250)
		}), ""), "10.0.0.0/16\",\"gateway\":\"10.0.0.1\",\"ranges\":[{\"from\":\"10.0.100.1\",\"to\":\"10.0.120.0\"}]", "10.0.0.0/21\",\"gateway\":\"10.0.0.1\"", 1), "suggest"},
		{"1,900 devices with one MAC address", hostileSite(``, many(",", 1900, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n","mac":"00:00:5e:00:53:01","wants":"pin","seen":"10.0.1.1"}]}`, i, i)
		}), ""), ""},
		{"1,900 pins of one address", hostileSite(``, many(",", 1900, func(i int) string {
			return fmt.Sprintf(`{"id":"d%d","interfaces":[{"id":"i%d","network":"n","pin":{"address":"10.0.1.1","by":"both"}}]}`, i, i)
		}), ""), ""},
		{"a network of long reasons and bad ranges", strings.Replace(hostileSite(``, one(0), ""), `"ranges":[`, `"keepFree":[`+many(",", 250, func(i int) string {
			return `{"from":"10.0.3.0","to":"10.0.3.9","why":"` + strings.Repeat("w", 490) + `"}`
		})+`],"ranges":[`+many(",", 63, func(int) string { return `{"from":"10.0.0.1","to":"10.0.120.0"}` })+",", 1), ""},
		{"10,000 edits", "", `{"version":1,"edits":[` + many(",", 10000, func(i int) string {
			return fmt.Sprintf(`{"do":"pin","id":"rec.0","pin":{"address":"10.48.16.%d"}}`, i%250+1)
		}) + `]}`},
		{"10,001 edits", "", `{"version":1,"edits":[` + many(",", 10001, func(int) string { return `{"do":"rename-site","name":"x"}` }) + `]}`},
		{"words of no address", "", `{"subnet":"10.0.0.0/24","dns":"` + strings.Repeat("x,", 20000) + `"}`},
		{"values of nothing", "", `{"version":1,"edits":[` + strings.Repeat("{},", 330000) + `{}]}`},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			method, path, body := "POST", u+"/api/sites/import", c.site
			switch {
			case strings.HasPrefix(c.then, `{"subnet"`):
				path, body = u+"/api/parse/network", c.then
			case c.site == "":
				path, body = u+"/api/sites/pottery/edits", c.then
			}
			if len(body) > 1<<20 {
				t.Fatalf("%d bytes are not small", len(body))
			}
			var other time.Duration
			stop, stopped := make(chan struct{}), make(chan struct{})
			go func() { // somebody works on another site meanwhile
				defer close(stopped)
				for version := 1; ; version++ {
					begin := time.Now()
					send(t, "GET", u+"/api/sites/flat", "")
					send(t, "POST", u+"/api/sites/flat/edits", fmt.Sprintf(`{"version":%d,"window":"w","edits":[{"do":"describe","id":"nas","place":"%d"}]}`, version, version))
					other = max(other, time.Since(begin)/2)
					select {
					case <-stop:
						return
					case <-time.After(10 * time.Millisecond):
					}
				}
			}()
			var status int
			var answer string
			stolen := lab.Stolen()
			scaled := func(d time.Duration) time.Duration { return time.Duration(float64(d) / (1 - stolen())) }
			begin := time.Now()
			used := peak(func() { status, answer = send(t, method, path, body) })
			took := time.Since(begin)
			if c.then == "suggest" {
				begin := time.Now()
				if s, a := send(t, "GET", u+"/api/sites/hostile/suggest", ""); s != 200 || len(a) > 5<<20 {
					t.Errorf("suggestions: %d, %d bytes", s, len(a))
				}
				if took := time.Since(begin); took > scaled(2*time.Second) {
					t.Errorf("suggestions in %v", took)
				} else {
					t.Logf("suggestions in %v", took)
				}
			}
			close(stop)
			<-stopped
			t.Logf("%d bytes: %d, %d bytes in %v, %d MB, others waited %v", len(body), status, len(answer), took, used>>20, other)
			if status == 500 || len(answer) > 5<<20 || took > scaled(2*time.Second) || used > 500<<20 || other > scaled(200*time.Millisecond) {
				t.Errorf("too much: %d, %.300s", status, answer)
			}
			if c.site != "" && status == 200 {
				for _, what := range []string{"GET /api/sites/hostile/file", "DELETE /api/sites/hostile", "DELETE /api/removed/hostile"} {
					method, path, _ := strings.Cut(what, " ")
					if s, _ := send(t, method, u+path, ""); s != 200 && s != 204 {
						t.Errorf("%s: %d", what, s)
					}
				}
			}
		})
	}
}

// workbook is a spreadsheet whose cells are written by fill.
func workbook(t *testing.T, fill func(f *excelize.File)) file {
	t.Helper()
	f := excelize.NewFile()
	fill(f)
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	return file{"book.xlsx", b.String()}
}

// Evidence costs what it is worth: small workbooks that unpack to much are refused
// and leave nothing behind, those of some size are read, and text that says nothing
// is counted, not kept.
func TestEvidenceCosts(t *testing.T) {
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	u := serve(t, Options{}).URL
	set := func(f *excelize.File, cell string, v any) {
		if err := f.SetCellValue("Sheet1", cell, v); err != nil {
			t.Fatal(err)
		}
	}
	list := workbook(t, func(f *excelize.File) {
		for i := range 200 {
			set(f, fmt.Sprintf("A%d", i+1), fmt.Sprintf("device %d", i))
			set(f, fmt.Sprintf("B%d", i+1), fmt.Sprintf("00:00:5e:00:53:%02x", i))
			set(f, fmt.Sprintf("C%d", i+1), fmt.Sprintf("10.48.16.%d", i+20))
		}
	})
	long := workbook(t, func(f *excelize.File) {
		text := strings.Repeat("x", 32000)
		for i := range 900 {
			set(f, fmt.Sprintf("A%d", i+1), text)
		}
	})
	wide := workbook(t, func(f *excelize.File) {
		for i := range 2000 {
			set(f, fmt.Sprintf("XFD%d", i+1), 1)
		}
	})
	for _, c := range []struct {
		name   string
		file   file
		status int
		says   string
		limit  uint64
	}{
		{"a list of 200 devices", list, 200, `"new":`, 300},
		{"one long text in many cells", long, 413, "16 MB of text", 500},
		{"the last column of each row", wide, 413, "cells", 500},
		{"15,000 devices in 1 MB", file{"leases", many("\n", 15000, func(i int) string {
			return fmt.Sprintf("1795431600 00:00:5e:00:%02x:%02x 10.48.16.%d host-number-%d *", i/256, i%256, i%250+2, i)
		})}, 200, `"leftout":`, 500},
		{"16 MB of lines that say nothing", file{"a.txt", strings.Repeat("a\n", 8<<20)}, 200, `"missed":8388608`, 500},
		{"cells over ten thousand rows", file{"page.html", "<!DOCTYPE html><table>" + strings.Repeat("<tr><td rowspan=10000 colspan=50>00:00:5e:00:53:01</td></tr>", 20000)}, 200, `"counts":`, 500},
		{"200 MAC addresses a line", file{"macs.txt", strings.Repeat(strings.Repeat("00:00:5e:00:53:01 ", 200)+"\n", 3000)}, 200, `"missed":3000`, 500},
		{"a quote that is never closed", file{"quote.conf", strings.Repeat("option x \"y;\n", 1<<20)}, 200, `"missed":`, 500},
		{"a quote that is never closed in a table", file{"q.csv", "a,\"b,c\n" + strings.Repeat("1,2,3,\"4\n", 1<<20)}, 200, `"missed":`, 500},
		{"braces that are never closed", file{"j.json", strings.Repeat("[\n", 1<<20)}, 200, `"missed":`, 700},
	} {
		t.Run(c.name, func(t *testing.T) {
			var status int
			var answer string
			stolen := lab.Stolen()
			scaled := func(d time.Duration) time.Duration { return time.Duration(float64(d) / (1 - stolen())) }
			begin := time.Now()
			used := peak(func() { status, answer = evidence(t, u, "pottery", c.file) })
			t.Logf("%d bytes: %d, %d bytes in %v, %d MB", len(c.file.data), status, len(answer), time.Since(begin), used>>20)
			if status != c.status || !strings.Contains(answer, c.says) || used > c.limit<<20 || time.Since(begin) > scaled(30*time.Second) || len(answer) > 5<<20 {
				t.Errorf("got %d %.300s", status, answer)
			}
			if left, _ := filepath.Glob(filepath.Join(tmp, "*workbook*")); len(left) > 0 {
				t.Errorf("left behind: %v", left)
			}
		})
	}
}

// Twenty who send evidence at once: each waits its turn, so that they cost what one does.
func TestManyReadingsAtOnce(t *testing.T) {
	u := serve(t, Options{}).URL
	list := file{"leases", many("\n", 25_000, func(i int) string {
		return fmt.Sprintf("1795431600 00:00:5e:00:%02x:%02x 10.48.16.%d host-number-%d-with-a-name-that-is-long *", i/256, i%256, i%250+2, i)
	})}
	one := peak(func() { evidence(t, u, "pottery", list) })
	var all sync.WaitGroup
	used := peak(func() {
		for range 20 {
			all.Go(func() {
				if status, answer := evidence(t, u, "pottery", list); status != 200 {
					t.Errorf("%d %.200s", status, answer)
				}
			})
		}
		all.Wait()
	})
	t.Logf("one: %d MB, twenty: %d MB", one>>20, used>>20)
	if used > 6*one+200<<20 {
		t.Errorf("twenty at once hold %d MB, one %d MB", used>>20, one>>20)
	}
}

// A file whose name is longer than any is refused, and the name is not sent back.
func TestLongNameOfAFile(t *testing.T) {
	u := serve(t, Options{}).URL
	status, answer := evidence(t, u, "pottery", file{strings.Repeat("n", 1<<20), "10.48.16.9 00:00:5e:00:53:09 till\n"})
	if status != 422 || len(answer) > 1000 || !strings.Contains(answer, "1024 bytes") {
		t.Errorf("%d, %d bytes: %.200s", status, len(answer), answer)
	}
}

// Backups that are asked for and not taken hold two places and leave nothing behind.
func TestBackupsThatNobodyTakes(t *testing.T) {
	o := serve(t, Options{})
	var held []net.Conn
	for range mostBackups {
		c, err := net.Dial("tcp", strings.TrimPrefix(o.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		held = append(held, c)
		fmt.Fprintf(c, "GET /api/backup HTTP/1.1\r\nHost: x\r\n\r\n")
	}
	var status int
	for end := time.Now().Add(5 * time.Second); status != 503 && time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		status, _ = send(t, "GET", o.URL+"/api/backup", "")
	}
	if status != 503 {
		t.Skipf("%d: the connection took the whole backup", status)
	}
	for _, c := range held {
		c.Close()
	}
	for end := time.Now().Add(5 * time.Second); status != 200; time.Sleep(20 * time.Millisecond) {
		if status, _ = send(t, "GET", o.URL+"/api/backup", ""); time.Now().After(end) {
			t.Fatalf("the places are not given back: %d", status)
		}
	}
}
