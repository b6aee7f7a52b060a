package lab

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

const binary = "../bin/vestpin"

// needs skips, or fails where the lab is required, without root and the tools.
func needs(t *testing.T, tools ...string) {
	t.Helper()
	missing := ""
	for _, tool := range append(tools, "ip") {
		if _, err := exec.LookPath(tool); err != nil {
			missing += " " + tool
		}
	}
	if os.Geteuid() == 0 && missing == "" {
		return
	}
	if os.Getenv("VESTPIN_LAB") == "require" {
		t.Fatalf("VESTPIN_LAB=require asks for root and for%s", missing)
	}
	t.Skipf("needs root and%s", missing)
}

// lan is a bridge with a laptop on it, at .126, and devices in namespaces of
// their own, 00:00:5e:00:53:01 and on.
type lan struct {
	t       *testing.T
	laptop  string
	devices []string
	dir     string
}

func deviceMAC(i int) string { return fmt.Sprintf("00:00:5e:00:53:%02x", i+1) }

// newLAN makes a lan; addressed devices get .11 and on.
func newLAN(t *testing.T, devices int, addressed bool) *lan {
	t.Helper()
	l := &lan{t: t, laptop: fmt.Sprintf("vpl%d", os.Getpid()), dir: t.TempDir()}
	for i := range devices {
		l.devices = append(l.devices, fmt.Sprintf("vpd%d-%d", os.Getpid(), i))
	}
	t.Cleanup(func() {
		for _, ns := range append(l.devices, l.laptop) {
			exec.Command("ip", "netns", "del", ns).Run()
		}
	})
	var b strings.Builder
	fmt.Fprintf(&b, "netns add %s\n", l.laptop)
	for _, d := range l.devices {
		fmt.Fprintf(&b, "netns add %s\n", d)
	}
	l.batch("", b.String())
	b.Reset()
	b.WriteString("link add br0 type bridge\nlink set br0 address 00:00:5e:00:53:7e up\nlink set lo up\naddr add 10.48.16.126/24 brd + dev br0\n")
	for i, d := range l.devices {
		fmt.Fprintf(&b, "link add p%d type veth peer name eth0 netns %s address %s\nlink set p%d master br0 up\n", i, d, deviceMAC(i), i)
	}
	l.batch(l.laptop, b.String())
	for i, d := range l.devices {
		up := "link set eth0 up\nlink set lo up\n"
		if addressed {
			up += fmt.Sprintf("addr add 10.48.16.%d/24 brd + dev eth0\n", i+11)
		}
		l.batch(d, up)
	}
	return l
}

func (l *lan) batch(ns, lines string) {
	l.t.Helper()
	args := []string{"-batch", "-"}
	if ns != "" {
		args = append([]string{"-n", ns}, args...)
	}
	cmd := exec.Command("ip", args...)
	cmd.Stdin = strings.NewReader(lines)
	if out, err := cmd.CombinedOutput(); err != nil {
		l.t.Fatalf("ip: %v\n%s", err, out)
	}
}

// in runs a program in a namespace to its end.
func (l *lan) in(ns string, args ...string) (string, error) {
	l.t.Helper()
	ctx, stop := context.WithTimeout(context.Background(), 60*time.Second)
	defer stop()
	cmd := exec.CommandContext(ctx, "ip", append([]string{"netns", "exec", ns}, args...)...)
	var stdout, stderr bytes.Buffer
	cmd.Stdout, cmd.Stderr = &stdout, &stderr
	err := cmd.Run()
	if err != nil {
		err = fmt.Errorf("%s: %w: %s", strings.Join(args, " "), err, stderr.String())
	}
	return stdout.String(), err
}

func (l *lan) must(ns string, args ...string) string {
	l.t.Helper()
	out, err := l.in(ns, args...)
	if err != nil {
		l.t.Fatal(err)
	}
	return out
}

// serve runs a program in a namespace until the test ends.
func (l *lan) serve(ns string, args ...string) *exec.Cmd {
	l.t.Helper()
	cmd := exec.Command("ip", append([]string{"netns", "exec", ns}, args...)...)
	var log bytes.Buffer
	cmd.Stdout, cmd.Stderr = &log, &log
	if err := cmd.Start(); err != nil {
		l.t.Fatal(err)
	}
	l.t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
		if l.t.Failed() {
			l.t.Logf("%s:\n%s", args[0], log.String())
		}
	})
	return cmd
}

func (l *lan) file(name, text string) string {
	l.t.Helper()
	path := filepath.Join(l.dir, name)
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		l.t.Fatal(err)
	}
	return path
}
