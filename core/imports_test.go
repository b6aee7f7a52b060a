// Package core_test holds the core to what it may import.
package core_test

import (
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// may is the import table: what each package of the program may import of it.
var may = map[string][]string{
	"core/span":       {},
	"core/flow":       {},
	"core/cell":       {},
	"core/ipv4":       {"core/span"},
	"core/strict":     {"core/ipv4", "core/span"},
	"core/site":       {"core/ipv4", "core/span", "core/strict"},
	"core/edit":       {"core/site", "core/strict"},
	"core/sitefile":   {"core/site", "core/strict"},
	"core/form":       {"core/site", "core/span"},
	"core/reach":      {"core/ipv4", "core/site", "core/span"},
	"core/catalogue":  {"core/edit", "core/site", "core/span", "core/strict"},
	"core/sighting":   {"core/catalogue", "core/edit", "core/ipv4", "core/site", "core/span"},
	"core/addressing": {"core/catalogue", "core/edit", "core/flow", "core/ipv4", "core/site", "core/span"},
	"core/forwarding": {"core/edit", "core/flow", "core/form", "core/reach", "core/site", "core/span", "core/strict"},
	"core/suggest":    {"core/addressing", "core/edit", "core/forwarding", "core/reach", "core/site", "core/span"},
	"core/snag":       {"core/addressing", "core/catalogue", "core/edit", "core/form", "core/forwarding", "core/ipv4", "core/reach", "core/sighting", "core/site", "core/span", "core/suggest"},
	"core/diagnosis":  {"core/edit", "core/reach", "core/site"},
	"core/usage":      {"core/reach", "core/site"},
	"core/sheet":      {"core/form", "core/ipv4", "core/site", "core/span"},
	"core/past":       {"core/site", "core/span"}, // for tests alone
}

// never is what the core must not reach: it does no I/O, reads no clock and knows
// neither HTTP nor SQL.
var never = []string{"os", "net/http", "database/sql", "log", "log/slog", "io/fs"}

func TestImports(t *testing.T) {
	for pkg, allowed := range may {
		out, err := exec.Command("go", "list", "-f", `{{join .Imports "\n"}}`, "vestpin/"+pkg).Output()
		if err != nil {
			t.Fatal(err)
		}
		for _, path := range strings.Fields(string(out)) {
			own, ours := strings.CutPrefix(path, "vestpin/")
			switch {
			case ours && !slices.Contains(allowed, own):
				t.Errorf("%s imports %s", pkg, own)
			case !ours && (strings.Contains(path, ".") || slices.Contains(never, path) || path == "time"):
				t.Errorf("%s imports %s", pkg, path)
			}
		}
	}
}
