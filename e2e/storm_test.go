package e2e

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	_ "modernc.org/sqlite"

	"vestpin/lab"
)

var stormFor = flag.Duration("storm", 0, "how long the storm lasts; some seconds if absent")

// clients is how many work at once.
const clients = 50

// storm is a program on a database that outlives it, and what was acknowledged.
type storm struct {
	t    *testing.T
	db   string
	addr string

	mu      sync.Mutex
	program *Program
	acked   map[string]int // by site and device: the number that was written last
	stats   map[string][]time.Duration
	refused map[string]int
}

func newStorm(t *testing.T, dir string) *storm {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s := &storm{t: t, db: filepath.Join(dir, "v.db"), addr: l.Addr().String(), acked: map[string]int{}, stats: map[string][]time.Duration{}, refused: map[string]int{}}
	l.Close()
	s.start()
	t.Cleanup(func() { s.kill() })
	return s
}

func (s *storm) start() {
	p, err := Start(binary, "serve", "--addr", s.addr, "--db", s.db)
	if err != nil {
		s.t.Fatal(err)
	}
	s.mu.Lock()
	s.program = p
	s.mu.Unlock()
}

func (s *storm) kill() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.program.cmd.Process.Kill()
	s.program.cmd.Wait()
}

var stormClient = &http.Client{Timeout: 30 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: clients}}

// ask sends a request; status 0 is no answer.
func (s *storm) ask(kind, method, path string, body any) (status int, answer []byte) {
	data, err := json.Marshal(body)
	if err != nil {
		s.t.Error(err)
	}
	r, err := http.NewRequest(method, "http://"+s.addr+path, bytes.NewReader(data))
	if err != nil {
		s.t.Error(err)
	}
	r.Header.Set("Content-Type", "application/json")
	begin := time.Now()
	resp, err := stormClient.Do(r)
	if err != nil {
		return 0, nil
	}
	defer resp.Body.Close()
	answer, err = io.ReadAll(resp.Body)
	if err != nil {
		return 0, nil
	}
	s.mu.Lock()
	s.stats[kind] = append(s.stats[kind], time.Since(begin))
	if resp.StatusCode != 200 {
		s.refused[fmt.Sprint(kind, " ", resp.StatusCode)]++
	}
	s.mu.Unlock()
	return resp.StatusCode, answer
}

// site imports a site of so many devices.
func (s *storm) site(name string, devices int) {
	list := make([]string, devices)
	for i := range list {
		list[i] = fmt.Sprintf(`{"id":"d%d","name":"Camera %d","interfaces":[{"id":"d%d.0","network":"n"}]}`, i, i, i)
	}
	file := fmt.Sprintf(`{"format":"vestpin-site/1","name":%q,"networks":[{"id":"n","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],"devices":[%s]}`, name, strings.Join(list, ","))
	if status, answer := s.ask("import", "POST", "/api/sites/import", json.RawMessage(file)); status != 200 {
		s.t.Fatalf("%d %.200s", status, answer)
	}
}

// edit writes a number into the place of a device, on top of the version that was
// seen, and looks again where that was too old; tries says how often.
func (s *storm) edit(kind, site, device string, n, version int) (next, tries int) {
	for tries = 1; tries <= 20; tries++ {
		status, answer := s.ask(kind, "POST", "/api/sites/"+site+"/edits", map[string]any{
			"version": version, "edits": []any{map[string]any{"do": "describe", "id": device, "place": fmt.Sprint(n)}},
		})
		var now struct{ Version int }
		switch status {
		case 200:
			if err := json.Unmarshal(answer, &now); err != nil {
				s.t.Error(err)
			}
			s.mu.Lock()
			s.acked[site+"/"+device] = n
			s.mu.Unlock()
			return now.Version, tries
		case 409:
			_, answer = s.ask("read", "GET", "/api/sites/"+site, nil)
			if json.Unmarshal(answer, &now) == nil {
				version = now.Version
			}
		default: // it was killed, or the disk is full: what is there is looked at again
			return 0, tries
		}
	}
	return 0, tries
}

// check holds what the program has now against what it acknowledged.
func (s *storm) check() {
	s.t.Helper()
	sites := map[string]map[string]string{}
	for key, want := range s.acked {
		site, device, _ := strings.Cut(key, "/")
		if sites[site] == nil {
			status, answer := s.ask("check", "GET", "/api/sites/"+site, nil)
			var got struct {
				Site struct{ Devices []struct{ ID, Place string } }
			}
			if err := json.Unmarshal(answer, &got); status != 200 || err != nil {
				s.t.Fatalf("%s: %d %v %.200s", site, status, err, answer)
			}
			sites[site] = map[string]string{}
			for _, d := range got.Site.Devices {
				sites[site][d.ID] = d.Place
			}
		}
		// One that was on its way at the end may have been made and not acknowledged.
		if got := sites[site][device]; got != fmt.Sprint(want) && got != fmt.Sprint(want+1) {
			s.t.Errorf("%s has %q, %d was acknowledged", key, got, want)
		}
	}
}

// percentile of the times of one kind.
func (s *storm) percentile(kind string, p float64) time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	list := slices.Sorted(slices.Values(s.stats[kind]))
	if len(list) == 0 {
		return 0
	}
	return list[min(len(list)-1, int(float64(len(list))*p))]
}

func (s *storm) figures(kind string, took time.Duration) string {
	return fmt.Sprintf("%s: %d, %.0f a second, p50 %v, p99 %v", kind, len(s.stats[kind]), float64(len(s.stats[kind]))/took.Seconds(), s.percentile(kind, 0.5).Round(100*time.Microsecond), s.percentile(kind, 0.99).Round(100*time.Microsecond))
}

// together runs all clients until the time is over.
func together(lasts time.Duration, work func(i, round int)) {
	end := time.Now().Add(lasts)
	var wg sync.WaitGroup
	for i := range clients {
		wg.Go(func() {
			for round := 1; time.Now().Before(end); round++ {
				work(i, round)
			}
		})
	}
	wg.Wait()
}

// Fifty clients on sites of their own wait for nobody; on one site every edit lands
// within three tries; and while another program holds the database, reads go on.
func TestFiftyClients(t *testing.T) {
	lasts := max(3*time.Second, *stormFor/10)
	s := newStorm(t, t.TempDir())
	for i := range clients {
		s.site(fmt.Sprint("own ", i), 20)
	}
	s.site("shared", clients)
	versions := make([]int, clients)
	for i := range versions {
		versions[i] = 1
	}
	stolen := lab.Stolen()
	// A person thinks between two clicks; fifty do so now and then at once.
	together(lasts, func(i, round int) {
		own := fmt.Sprint("own-", i)
		versions[i], _ = s.edit("own edit", own, "d3", round, versions[i])
		s.ask("own read", "GET", "/api/sites/"+own, nil)
		time.Sleep(time.Duration(rand.IntN(200)) * time.Millisecond)
	})
	var mu sync.Mutex
	worst := 0
	for i := range versions {
		versions[i] = 1
	}
	together(lasts, func(i, round int) {
		var tries int
		versions[i], tries = s.edit("shared edit", "shared", fmt.Sprint("d", i), round, versions[i])
		mu.Lock()
		worst = max(worst, tries)
		mu.Unlock()
		time.Sleep(time.Duration(rand.IntN(200)) * time.Millisecond)
	})
	s.check()
	for _, kind := range []string{"own edit", "own read", "shared edit"} {
		t.Log(s.figures(kind, lasts))
	}
	share := stolen()
	limit := time.Duration(float64(300*time.Millisecond) / (1 - share))
	if share > 0.3 { // fifty clients and the server wait for each other, and both are held up
		limit = time.Duration(float64(limit) / (1 - share))
	}
	for _, kind := range []string{"own edit", "own read"} {
		if p := s.percentile(kind, 0.99); p > limit {
			t.Errorf("%s: p99 is %v, with %.0f %% of the machine's time stolen", kind, p, 100*share)
		}
	}
	if worst > 3 {
		t.Errorf("an edit of the shared site took %d tries", worst)
	}
	if len(s.refused) > 0 {
		t.Errorf("refused: %v", s.refused)
	}
	s.readsBesideALock()
}

// readsBesideALock holds the database as another program does.
func (s *storm) readsBesideALock() {
	db, err := sql.Open("sqlite", s.db)
	if err != nil {
		s.t.Fatal(err)
	}
	defer db.Close()
	conn, err := db.Conn(context.Background())
	if err != nil {
		s.t.Fatal(err)
	}
	defer conn.Close()
	if _, err := conn.ExecContext(context.Background(), "BEGIN EXCLUSIVE"); err != nil {
		s.t.Fatal(err)
	}
	var wg sync.WaitGroup
	wg.Go(func() { s.edit("edit beside a lock", "own-0", "d5", 1, 0) })
	for i := range 200 {
		if status, _ := s.ask("read beside a lock", "GET", fmt.Sprint("/api/sites/own-", i%clients), nil); status != 200 {
			s.t.Errorf("a read beside a lock: %d", status)
		}
		time.Sleep(5 * time.Millisecond)
	}
	if _, err := conn.ExecContext(context.Background(), "ROLLBACK"); err != nil {
		s.t.Fatal(err)
	}
	wg.Wait()
	if p := s.percentile("read beside a lock", 0.99); p > 300*time.Millisecond {
		s.t.Errorf("reads beside a lock: p99 is %v", p)
	}
}

// The program is killed again and again in a storm of edits; nothing that it
// acknowledged is lost. In a long storm the disk fills up as well.
func TestKilledInAStorm(t *testing.T) {
	lasts, each := 6*time.Second, 1500*time.Millisecond
	dir := t.TempDir()
	if *stormFor > 0 {
		lasts, each = *stormFor*8/10, 4*time.Second
		if exec.Command("mount", "-t", "tmpfs", "-o", "size=12m", "tmpfs", dir).Run() == nil {
			t.Cleanup(func() { exec.Command("umount", dir).Run() })
		}
	}
	s := newStorm(t, dir)
	for i := range clients / 2 {
		s.site(fmt.Sprint("own ", i), 8)
	}
	s.site("shared", clients)
	stop := make(chan struct{})
	kills, full := 0, 0
	var killer sync.WaitGroup
	killer.Go(func() {
		ballast := filepath.Join(dir, "ballast")
		for {
			select {
			case <-stop:
				return
			case <-time.After(each):
			}
			s.kill()
			kills++
			os.Remove(ballast)
			s.start()
			if *stormFor > 0 && kills%3 == 0 { // the disk is full for a while
				os.WriteFile(ballast, make([]byte, 64<<20), 0o600)
				full++
			}
		}
	})
	together(lasts, func(i, round int) {
		site, device := "shared", fmt.Sprint("d", i)
		if i%2 == 0 {
			site, device = fmt.Sprint("own-", i/2), "d1"
		}
		s.mu.Lock()
		last := s.acked[site+"/"+device]
		s.mu.Unlock()
		_, answer := s.ask("read", "GET", "/api/sites/"+site, nil)
		var now struct{ Version int }
		if json.Unmarshal(answer, &now) != nil {
			time.Sleep(50 * time.Millisecond)
			return
		}
		s.edit("edit", site, device, last+1, now.Version)
		time.Sleep(time.Duration(rand.IntN(40)) * time.Millisecond)
	})
	close(stop)
	killer.Wait()
	s.kill()
	os.Remove(filepath.Join(dir, "ballast"))
	s.start()
	s.check()
	edits := 0
	for _, n := range s.acked {
		edits += n
	}
	t.Logf("%d kills, %d times a full disk, %d edits acknowledged; %s; refused %v", kills, full, edits, s.figures("edit", lasts), s.refused)
	if kills < 3 || edits < 100 {
		t.Errorf("%d kills and %d edits are no storm", kills, edits)
	}
	if err := integrity(s.db); err != nil {
		t.Error(err)
	}
}

func integrity(path string) error {
	db, err := sql.Open("sqlite", path)
	if err != nil {
		return err
	}
	defer db.Close()
	var says string
	if err := db.QueryRow("PRAGMA integrity_check").Scan(&says); err != nil || says != "ok" {
		return errors.Join(err, errors.New(says))
	}
	return nil
}
