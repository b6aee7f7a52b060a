package read

import (
	"encoding/json"
	"fmt"
	"html"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// said is one particular of a thing: what it is called, and what it is.
type said struct{ key, value string }

// shapes are the ways in which pages, configurations and notes tell of several things.
var shapes = map[string]func(things [][]said) string{
	"json": func(things [][]said) string {
		var all []map[string]string
		for _, t := range things {
			one := map[string]string{}
			for _, s := range t {
				one[s.key] = s.value
			}
			all = append(all, one)
		}
		text, _ := json.MarshalIndent(map[string]any{"version": 3, "lan": map[string]any{"entries": all}}, "", " ")
		return string(text)
	},
	"json by number": func(things [][]said) string {
		all := map[string]map[string]string{}
		for i, t := range things {
			one := map[string]string{}
			for _, s := range t {
				one[s.key] = s.value
			}
			all[fmt.Sprint("entry", i+1)] = one
		}
		text, _ := json.Marshal(all)
		return string(text)
	},
	"xml": func(things [][]said) string {
		return lines("<config><list>", things, "<entry>", func(s said) string {
			return "<" + tag(s.key) + ">" + html.EscapeString(s.value) + "</" + tag(s.key) + ">"
		}, "</entry>", "</list></config>")
	},
	"attributes of xml": func(things [][]said) string {
		return lines("<config><list>", things, "<entry", func(s said) string { return " " + tag(s.key) + `="` + html.EscapeString(s.value) + `"` }, "/>", "</list></config>")
	},
	"yaml": func(things [][]said) string {
		first := true
		return lines("entries:", things, "", func(s said) string {
			lead := "    "
			if first {
				lead, first = "  - ", false
			}
			if s == things[0][0] {
				lead = "  - "
			}
			for _, t := range things {
				if t[0] == s {
					lead = "  - "
				}
			}
			return lead + tag(s.key) + ": '" + s.value + "'\n"
		}, "", "")
	},
	"sections": func(things [][]said) string {
		n := 0
		return lines("[general]\nversion=3", things, "", func(s said) string {
			head := ""
			for _, t := range things {
				if t[0] == s {
					n++
					head = fmt.Sprintf("[entry%d]\n", n)
				}
			}
			return head + tag(s.key) + "=" + s.value + "\n"
		}, "", "")
	},
	"options": func(things [][]said) string {
		return lines("", things, "config entry\n", func(s said) string { return "\toption " + tag(s.key) + " '" + s.value + "'\n" }, "", "")
	},
	"braces": func(things [][]said) string {
		return lines("lan {", things, "entry {\n", func(s said) string { return "  " + tag(s.key) + " \"" + s.value + "\";\n" }, "}", "}")
	},
	"commands": func(things [][]said) string {
		n := 0
		return lines("", things, "", func(s said) string {
			for _, t := range things {
				if t[0] == s {
					n++
				}
			}
			return fmt.Sprintf("set lan entry %d %s \"%s\"\n", n, tag(s.key), s.value)
		}, "", "")
	},
	"paths": func(things [][]said) string {
		n := 0
		return lines("", things, "", func(s said) string {
			for _, t := range things {
				if t[0] == s {
					n++
				}
			}
			return fmt.Sprintf("Box.Lan.Entry.%d.%s = %s\n", n, tag(s.key), s.value)
		}, "", "")
	},
	"labels": func(things [][]said) string {
		return lines("", things, "", func(s said) string { return s.key + ": " + s.value + "\n" }, "\n", "")
	},
	"pairs": func(things [][]said) string {
		return lines("", things, "add", func(s said) string { return " " + tag(s.key) + `="` + s.value + `"` }, "", "")
	},
	"flags": func(things [][]said) string {
		return lines("", things, "add", func(s said) string { return " --" + tag(s.key) + ` "` + s.value + `"` }, "", "")
	},
	"definitions": func(things [][]said) string {
		return lines("<html><body>", things, "<section><dl>", func(s said) string { return "<dt>" + s.key + "</dt><dd>" + html.EscapeString(s.value) + "</dd>" }, "</dl></section>", "</body></html>")
	},
	"fields": func(things [][]said) string {
		return lines("<html><body><form>", things, "<fieldset>", func(s said) string {
			return "<label>" + s.key + ` <input value="` + html.EscapeString(s.value) + `"></label>`
		}, "</fieldset>", "</form></body></html>")
	},
	"data attributes": func(things [][]said) string {
		return lines("<html><body><ul>", things, "<li", func(s said) string { return " data-" + tag(s.key) + `="` + html.EscapeString(s.value) + `"` }, "></li>", "</ul></body></html>")
	},
	"script": func(things [][]said) string {
		return lines("<html><body><script>var list = [", things, "{", func(s said) string { return tag(s.key) + `: "` + s.value + `", ` }, "},", "];</script></body></html>")
	},
	"roles": func(things [][]said) string {
		return lines(`<html><body><div role="table">`, things, `<div role="row">`, func(s said) string { return `<span role="cell">` + html.EscapeString(s.value) + "</span>" }, "</div>", "</div></body></html>")
	},
}

// tag makes one word of a heading.
func tag(key string) string { return strings.ReplaceAll(strings.ToLower(key), " ", "_") }

func lines(before string, things [][]said, begin string, one func(said) string, end, after string) string {
	var b strings.Builder
	b.WriteString(before + "\n")
	for _, t := range things {
		b.WriteString(begin)
		for _, s := range t {
			b.WriteString(one(s))
		}
		b.WriteString(end + "\n")
	}
	b.WriteString(after + "\n")
	return b.String()
}

// inNoLanguage gives each heading a made-up word.
func inNoLanguage(things [][]said) {
	words := []string{"qub", "zolt", "varn", "mip", "tesk", "lorp", "vend", "hask"}
	for _, t := range things {
		for i := range t {
			t[i].key = words[i]
		}
	}
}

// Devices and forwards in any shape, below headings that are known and such as are in no language:
// none is believed that is not, none is lost without a word.
func TestAnyShape(t *testing.T) {
	for _, heads := range []string{"usual", "nonsense"} {
		for _, shape := range sortedKeys(shapes) {
			var devices, forwards tally
			shown := 0
			for seed := range uint64(60) {
				r := rand.New(rand.NewPCG(seed, 30))
				var things [][]said
				var e truth
				names := []string{"recorder", "cam-22", "Küche", "till 1", "front door", "kiln-3", "office-pc", "phone-ana", "yard left"}
				r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
				order := r.Perm(4)
				for i := range 2 + r.IntN(6) {
					mac, address := fmt.Sprintf("00:00:5e:00:53:%02x", 0x20+i*7), fmt.Sprintf("10.48.16.%d", 20+i*9)
					all := []said{{"Name", names[i]}, {"IP address", address}, {"MAC address", mac}, {"Connection", []string{"LAN 1", "5 GHz"}[r.IntN(2)]}}
					one := make([]said, 4)
					for k, at := range order {
						one[k] = all[at]
					}
					things, e.Sightings = append(things, one), append(e.Sightings, [3]string{mac, address, names[i]})
				}
				if heads == "nonsense" {
					inNoLanguage(things)
				}
				text := shapes[shape](things)
				got, err := Text("x", "", []byte(text))
				if err != nil {
					t.Fatal(err)
				}
				before := devices
				if faults := devices.hold(e, got); (devices.wrong > before.wrong || devices.silent > before.silent) && shown < 1 {
					shown++
					t.Logf("%s, %s, seed %d:\n%s\n%s\nlists %+v", heads, shape, seed, text, strings.Join(faults, "\n"), got.Lists)
				}

				things = nil
				var want []string
				order = [][]int{{0, 1, 2, 3, 4, 5}, {5, 0, 2, 1, 3, 4}, {0, 3, 4, 1, 2, 5}}[r.IntN(3)]
				for i := range 2 + r.IntN(5) {
					proto, on := []string{"tcp", "udp"}[r.IntN(2)], r.IntN(3) > 0
					in := []string{"80", "443", "554", "22", "3389"}[r.IntN(5)]
					out := fmt.Sprint(8000 + 10*i + r.IntN(9))
					address := fmt.Sprintf("10.48.16.%d", 20+i)
					all := []said{{"Name", names[i]}, {"Protocol", proto}, {"Outside port", out}, {"Address", address}, {"Inside port", in}, {"Enabled", map[bool]string{true: "yes", false: "no"}[on]}}
					one := make([]said, 6)
					for k, at := range order {
						one[k] = all[at]
					}
					things = append(things, one)
					want = append(want, fmt.Sprint(proto, " ", out, " ", address, " ", in, " ", on))
				}
				if heads == "nonsense" {
					inNoLanguage(things)
				}
				text = shapes[shape](things)
				got, err = Text("x", "", []byte(text))
				if err != nil {
					t.Fatal(err)
				}
				bad := 0
				for _, f := range got.Forwards {
					if !slices.Contains(want, fmt.Sprint(f.Protocol, " ", f.Outside, " ", f.Address, " ", f.Inside, " ", f.Enabled)) {
						bad++
					} else {
						forwards.right++
					}
				}
				forwards.wanted += len(want)
				forwards.wrong += bad + len(got.Sightings)
				if len(got.Forwards) < len(want) && len(got.Unread) == 0 {
					forwards.silent++
				}
				if (bad+len(got.Sightings) > 0 || len(got.Forwards) < len(want)) && shown < 2 {
					shown++
					t.Logf("%s, %s, seed %d: got %+v, %+v, lists %+v, unread %v of\n%s", heads, shape, seed, got.Forwards, got.Sightings, got.Lists, got.Unread, text)
				}
			}
			least := map[string]int{"usual": 97, "nonsense": 85}[heads]
			for what, n := range map[string]tally{"devices": devices, "forwards": forwards} {
				if n.right*100 < n.wanted*least || n.wrong > 0 || n.silent > 0 {
					t.Errorf("%s %s, %s: %+v", heads, what, shape, n)
				}
			}
		}
	}
}
