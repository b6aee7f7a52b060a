package main

import (
	"bufio"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

// start runs the program until it says where it listens.
func start(t *testing.T, temp string, args ...string) (*exec.Cmd, string) {
	t.Helper()
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), "VESTPIN_BE_THE_PROGRAM=yes", "TMPDIR="+temp, "XDG_DATA_HOME="+filepath.Join(temp, "data"))
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { cmd.Process.Kill() })
	line, err := bufio.NewReader(out).ReadString('\n')
	_, url, ok := strings.Cut(strings.TrimSpace(line), "Vest Pin is at ")
	if err != nil || !ok {
		t.Fatalf("it said %q, %v", line, err)
	}
	return cmd, url
}

func get(t *testing.T, url string) string {
	t.Helper()
	resp, err := http.Get(url)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// Both signals end it at once and cleanly, even with a listener to its events;
// the demo leaves nothing behind, serve leaves its database in the data directory.
func TestServeAndDemoEndCleanly(t *testing.T) {
	for _, signal := range []os.Signal{syscall.SIGINT, syscall.SIGTERM} {
		temp := t.TempDir()
		cmd, url := start(t, temp, "demo", "--addr", "127.0.0.1:0")
		if list := get(t, url+"api/sites"); !strings.Contains(list, "Saltmarsh Pottery") {
			t.Errorf("the demo holds %.200s", list)
		}
		events, err := http.Get(url + "api/events")
		if err != nil {
			t.Fatal(err)
		}
		defer events.Body.Close()
		cmd.Process.Signal(signal)
		if err := cmd.Wait(); err != nil {
			t.Errorf("%v: %v", signal, err)
		}
		if left, _ := filepath.Glob(filepath.Join(temp, "vestpin-demo-*")); len(left) > 0 {
			t.Errorf("%v: left behind: %v", signal, left)
		}
	}
	temp := t.TempDir()
	cmd, url := start(t, temp, "serve", "--addr", "localhost:0")
	if list := get(t, url+"api/sites"); strings.TrimSpace(list) != "[]" {
		t.Errorf("a new database holds %s", list)
	}
	cmd.Process.Signal(syscall.SIGTERM)
	if err := cmd.Wait(); err != nil {
		t.Error(err)
	}
	if _, err := os.Stat(filepath.Join(temp, "data", "vestpin", "vestpin.db")); err != nil {
		t.Error(err)
	}
}
