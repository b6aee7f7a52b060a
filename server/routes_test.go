package server

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/lab"
)

// described is what is used here of the description of the interface.
type described struct {
	Paths map[string]map[string]struct {
		OperationID string `json:"operationId"`
		Parameters  []struct{ Name, In string }
		RequestBody *struct {
			Content map[string]struct{ Schema schemaOf }
		} `json:"requestBody"`
	}
	Components struct{ Schemas map[string]schemaOf }
}

type schemaOf struct {
	Ref        string `json:"$ref"`
	Enum       []any
	Properties map[string]schemaOf
}

// hostile are values that grow with n: in depth, width, repetition, length of a token and of names.
var hostile = map[string]func(n int) string{
	"depth":      func(n int) string { return strings.Repeat("[", n) + strings.Repeat("]", n) },
	"objects":    func(n int) string { return strings.Repeat(`{"a":`, n/6) + "1" + strings.Repeat("}", n/6) },
	"width":      func(n int) string { return "[" + strings.Repeat("{},", n/3) + "{}]" },
	"words":      func(n int) string { return "[" + strings.Repeat(`"10.48.16.1",`, n/13) + `"x"]` },
	"repetition": func(n int) string { return "{" + strings.Repeat(`"id":"rec",`, n/11) + `"id":"rec"}` },
	"names": func(n int) string {
		return "{" + many(",", n/12, func(i int) string { return fmt.Sprintf(`"k%07d":1`, i) }) + "}"
	},
	"a name":   func(n int) string { return `{"` + strings.Repeat("k", n) + `":1}` },
	"a token":  func(n int) string { return `"` + strings.Repeat("x", n) + `"` },
	"a list":   func(n int) string { return `"` + strings.Repeat("1-2,", n/4) + `"` },
	"lines":    func(n int) string { return `"` + strings.Repeat(`10.0.0.1 80/tcp\n`, n/17) + `"` },
	"a figure": func(n int) string { return strings.Repeat("9", n) },
	"escapes":  func(n int) string { return `"` + strings.Repeat(`\u202e`, n/6) + `"` },
}

// Each route takes whatever is sent in each of its fields and parameters: with an answer that is
// short, in time and memory in proportion, and the program goes on.
func TestEveryRouteBearsAnything(t *testing.T) {
	u := serve(t, Options{}).URL
	_, text := send(t, "GET", u+"/api/openapi.json", "")
	var api described
	if err := json.Unmarshal([]byte(text), &api); err != nil {
		t.Fatal(err)
	}
	const small, large = 60_000, 240_000
	routes, edits := 0, 0
	for path, methods := range api.Paths {
		for method, op := range methods {
			routes++
			method := strings.ToUpper(method)
			at := strings.NewReplacer("{id}", "pottery", "{name}", "hosts").Replace(path)
			if method == http.MethodDelete {
				at = strings.ReplaceAll(at, "pottery", "nobody")
			}
			fill := func(long string) { // of parameters
				q := url.Values{}
				for _, p := range op.Parameters {
					if p.In == "query" {
						q.Set(p.Name, long)
					}
				}
				status, answer := send(t, method, u+strings.NewReplacer("{id}", long, "{name}", long).Replace(path)+"?"+q.Encode(), "{}")
				if status >= 500 || len(answer) > 30_000+4*len(long) {
					t.Errorf("%s with long parameters: %d, %d bytes: %.200s", op.OperationID, status, len(answer), answer)
				}
			}
			fill(strings.Repeat("x", 8000))
			fill("%00%ff")
			if op.RequestBody == nil {
				continue
			}
			var fields []string
			for _, c := range op.RequestBody.Content {
				s := c.Schema
				if s.Ref != "" {
					s = api.Components.Schemas[s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]]
				}
				fields = slices.Sorted(maps.Keys(s.Properties))
			}
			for what, value := range hostile {
				bodies := func(n int) (out []string) {
					v := value(n)
					if op.OperationID == "edit-site" {
						for _, s := range api.Components.Schemas {
							verb := s.Properties["do"].Enum
							for f := range s.Properties {
								if len(verb) == 1 && f != "do" {
									edits++
									out = append(out, fmt.Sprintf(`{"version":1,"edits":[{"do":%q,"id":"rec",%q:%s}]}`, verb[0], f, v))
								}
							}
						}
					}
					out = append(out, v)
					for _, f := range fields {
						if f != "$schema" {
							out = append(out, fmt.Sprintf(`{"version":1,%q:%s}`, f, v))
						}
					}
					return out
				}
				stolen := lab.Stolen()
				cost := func(n int) (took time.Duration, used uint64) {
					used = peak(func() {
						for _, body := range bodies(n) {
							begun := time.Now()
							r, err := http.NewRequest(method, u+at, strings.NewReader(body))
							if err != nil {
								t.Fatal(err)
							}
							r.Header.Set("Content-Type", "application/json")
							resp, err := http.DefaultClient.Do(r)
							if err != nil {
								t.Fatalf("%s, %s: %v", op.OperationID, what, err)
							}
							answer, _ := io.ReadAll(resp.Body)
							resp.Body.Close()
							took = max(took, time.Since(begun))
							if resp.StatusCode >= 500 || len(answer) > 5<<20 {
								t.Errorf("%s, %s: %d, %d bytes: %.200s", op.OperationID, what, resp.StatusCode, len(answer), answer)
							}
						}
					})
					return took, used
				}
				once, _ := cost(small)
				more, used := cost(large)
				free := 1 - stolen()
				if float64(more)*free > float64(6*once+150*time.Millisecond) {
					t.Errorf("%s, %s: %v, of four times as much %v", op.OperationID, what, once, more)
				}
				if used > 100*large+64<<20 {
					t.Errorf("%s, %s: %d MB", op.OperationID, what, used>>20)
				}
			}
		}
	}
	if edits /= 2 * len(hostile); routes < 50 || edits < 50 {
		t.Errorf("only %d routes are described, and %d fields of edits", routes, edits)
	}
	if status, _ := send(t, "GET", u+"/api/sites", ""); status != 200 {
		t.Errorf("afterwards the sites are %d", status)
	}
}
