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
	"core/site":       {"core/span"},
	"core/form":       {"core/site", "core/span"},
	"core/reach":      {"core/site", "core/span"},
	"core/catalogue":  {"core/site", "core/span"},
	"core/sighting":   {"core/catalogue", "core/site", "core/span"},
	"core/addressing": {"core/catalogue", "core/flow", "core/site", "core/span"},
	"core/forwarding": {"core/flow", "core/form", "core/reach", "core/site", "core/span"},
	"core/suggest":    {"core/site", "core/span", "core/addressing", "core/forwarding", "core/reach"},
	"core/snag":       {"core/catalogue", "core/site", "core/span", "core/sighting", "core/addressing", "core/form", "core/forwarding", "core/reach", "core/suggest"},
	"core/diagnosis":  {"core/reach", "core/site"},
	"core/usage":      {"core/reach", "core/site"},
	"core/sheet":      {"core/site", "core/span", "core/form"},
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
