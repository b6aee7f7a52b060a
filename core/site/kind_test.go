package site

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// Regular expressions of kinds are bounded before they are made: by their length, by what their repetitions
// come to, and all together.
func TestExpressionsAreBounded(t *testing.T) {
	kinds := func(n int, words string) []Kind {
		var all []Kind
		for i := range n {
			all = append(all, Kind{ID: fmt.Sprint("k", i), Name: "K", Words: words})
		}
		return all
	}
	for _, c := range []struct {
		what  string
		kinds []Kind
		says  string
	}{
		{"words", kinds(200, "camera|dome|ptz"), ""},
		{"the longest", kinds(1, strings.Repeat("a", LongestExpression)), ""},
		{"longer", kinds(1, strings.Repeat("(", 1<<20)), "at most 300 characters"},
		{"open brackets", kinds(1, "(a"), "a regular expression"},
		{"repeated", kinds(1, "(abcdefgh){200}"), "at most 1000 steps"},
		{"repeated in repeated", kinds(1, "((a{10}){10}){10}b"), "at most 1000 steps"},
		{"repeated at most", kinds(1, "a{1,900}b{1,900}"), "at most 1000 steps"},
		{"all together", kinds(200, "[0-9]{300}"), "at most 30000 steps together"},
	} {
		begin := time.Now()
		err := CheckKinds("kinds", c.kinds)
		if (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.what, err)
		}
		if took := time.Since(begin); took > time.Second {
			t.Errorf("%s took %v", c.what, took)
		}
	}
}
