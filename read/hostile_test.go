package read

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// fill repeats a piece, with its number for %d, until it has about so many bytes.
func fill(size int, piece string) string {
	var b strings.Builder
	for i := 0; b.Len() < size; i++ {
		b.WriteString(strings.ReplaceAll(piece, "%d", fmt.Sprint(i)))
	}
	return b.String()
}

// hostile are texts of about so many bytes that would cost a careless reader far more than their size:
// deep, wide, repeated, of long tokens, of long names.
var hostile = map[string]func(size int) string{
	"yaml: brackets":        func(n int) string { return "a:\n  - b: " + strings.Repeat("[", n) },
	"yaml: brackets closed": func(n int) string { return "a:\n  - b: " + strings.Repeat("[", n/2) + strings.Repeat("]", n/2) },
	"yaml: maps in a line":  func(n int) string { return "- a: " + strings.Repeat("{a: ", n/4) },
	"yaml: dashes":          func(n int) string { return "a:\n  - " + strings.Repeat("- ", n/2) + "x: 1\n" },
	"yaml: questions":       func(n int) string { return "- a: b\n" + strings.Repeat("? ", n/2) + "x\n" },
	"yaml: keys in keys": func(n int) string {
		var b strings.Builder
		for i := 0; b.Len() < n; i++ {
			b.WriteString(strings.Repeat(" ", i) + "k:\n")
		}
		return "x:\n  - a: 1\n" + b.String()
	},
	"yaml: short lists":           func(n int) string { return "a:\n" + fill(n, "  - [a, b, c]\n") },
	"yaml: aliases":               func(n int) string { return "- a: &a [x]\n" + fill(n, "- b%d: [*a, *a, *a, *a]\n") },
	"yaml: documents":             func(n int) string { return fill(n, "---\n- a: %d\n") },
	"yaml: quotes that stay open": func(n int) string { return "- a: 1\n" + fill(n, "- b: \"x\n") },
	"yaml: one long text":         func(n int) string { return "- a: " + strings.Repeat("x", n) + "\n" },
	"yaml: many keys":             func(n int) string { return "a:\n  - b: 1\n" + fill(n, "    k%d: 1\n") },
	"json: brackets":              func(n int) string { return strings.Repeat("[", n) },
	"json: objects":               func(n int) string { return strings.Repeat(`{"a":`, n/5) },
	"json: values beside things": func(n int) string {
		return "{" + fill(n/2, `"k%d":"v",`) + fill(n/2, `"r%d":{"mac":"00:00:5e:00:53:21"},`) + `"z":1}`
	},
	"json: lists beside things": func(n int) string {
		return "{" + fill(n/2, `"k%d":[1],`) + fill(n/2, `"r%d":{"mac":"00:00:5e:00:53:21"},`) + `"z":1}`
	},
	"json: things with new keys": func(n int) string { return "[" + fill(n, `{"mac":"00:00:5e:00:53:21","k%d":"v"},`) + `{}]` },
	"json: a thing of many keys": func(n int) string { return `[{"mac":"00:00:5e:00:53:21",` + fill(n, `"k%d":"v",`) + `"z":1}]` },
	"json: long names":           func(n int) string { return `[{"mac":"00:00:5e:00:53:21","` + strings.Repeat("k", n) + `":"v"}]` },
	"json: lists of lists":       func(n int) string { return "[" + fill(n, `["00:00:5e:00:53:21","10.0.0.2",%d],`) + `[]]` },
	"json: things in things": func(n int) string {
		return strings.Repeat(`{"mac":"00:00:5e:00:53:21","a":`, n/31) + "1" + strings.Repeat("}", n/31)
	},
	"json: pairs of name and value": func(n int) string {
		return `{"l":[` + fill(n, `{"name":"n%d","value":"v"},`) + `{"name":"x","value":"y"}]}`
	},
	"xml: deep":         func(n int) string { return "<?xml version='1.0'?>" + strings.Repeat("<a>", n/3) },
	"xml: text between": func(n int) string { return "<?xml version='1.0'?><a>" + strings.Repeat("text<b/>", n/8) + "</a>" },
	"xml: attributes":   func(n int) string { return "<?xml version='1.0'?><a><b " + fill(n, "a%d='1' ") + "/></a>" },
	"xml: many names":   func(n int) string { return "<?xml version='1.0'?><a>" + fill(n, "<k%d/>") + "</a>" },
	"xml: one name":     func(n int) string { return "<?xml version='1.0'?><a>" + fill(n, "<k>%d</k>") + "</a>" },
	"xml: comments":     func(n int) string { return "<?xml version='1.0'?><a>" + fill(n, "x<!-- -->") + "</a>" },
	"html: formatting": func(n int) string {
		return "<html><body>" + fill(min(n/2, 16_000), "<b a%d=1 b=%d c=2 d=%d e=3 f=%d g=4>") + strings.Repeat("<p>x", n/8)
	},
	"html: ends of nothing": func(n int) string { return "<html><body>" + strings.Repeat("x</b>", n/5) },
	"html: ends of items": func(n int) string {
		return "<html><body>" + strings.Repeat("<li>", n/12) + strings.Repeat("x</li>", n/9)
	},
	"html: text in a table": func(n int) string { return "<html><body><table>" + strings.Repeat("x<tr>", n/5) },
	"html: deep":            func(n int) string { return "<html><body>" + strings.Repeat("<div>", n/5) },
	"html: deep with classes": func(n int) string {
		deep := strings.Repeat("<div class='"+strings.Repeat("c", 90)+"'>", 100)
		return "<html><body>" + fill(n, deep+"<b>n%d</b><i>10.1.1.%d</i><u>00:00:5e:00:53:21</u>"+strings.Repeat("</div>", 100))
	},
	"html: cards below many": func(n int) string {
		return "<html><body>" + strings.Repeat("<div class='"+strings.Repeat("c", 100)+"'>", 100) + fill(n, "<div><b>n%d</b><i>10.1.1.2</i><u>00:00:5e:00:53:21</u></div>")
	},
	"html: wide cells": func(n int) string {
		return "<html><body><table>" + fill(n, "<tr><td colspan=1000 rowspan=60000>10.0.0.2<td>00:00:5e:00:53:21")
	},
	"html: tables in tables": func(n int) string {
		return "<html><body>" + strings.Repeat("<table><tr><td>00:00:5e:00:53:21<td>10.0.0.2<td>", n/56)
	},
	"html: options": func(n int) string {
		return "<html><body><select>" + fill(n, "<option value='00:00:5e:00:53:21'>n%d 10.0.0.2")
	},
	"html: choices in a table": func(n int) string {
		return "<html><body><table>" + fill(n, "<tr><td><select><option>10.0.0.2<option>10.0.0.3</select><td>00:00:5e:00:53:21")
	},
	"html: attributes": func(n int) string { return "<html><body><p " + fill(n, "data-a%d=10.0.0.2 ") + ">x" },
	"html: data in attributes": func(n int) string {
		return "<html><body>" + fill(n, "<p data-x='[{\"mac\":\"00:00:5e:00:53:21\",\"n\":%d}]'>x")
	},
	"html: a script of brackets": func(n int) string { return "<html><body><script>" + strings.Repeat("[{(", n/3) + "</script>" },
	"html: a script of calls": func(n int) string {
		return "<html><body><script>" + fill(n, "add('n%d','10.0.0.2','00:00:5e:00:53:21',") + "</script>"
	},
	"html: labels": func(n int) string { return "<html><body>" + fill(n, "<label>IP <input value='10.0.0.2'>") },
	"html: groups": func(n int) string {
		return "<html><body>" + fill(n, "<div><div><div>10.0.0.2</div></div><div>00:00:5e:00:53:21 n%d</div></div>")
	},
	"html: a comment":          func(n int) string { return "<html><body><!--" + strings.Repeat("-- ", n/3) },
	"html: references":         func(n int) string { return "<html><body>" + strings.Repeat("&amp;&#48;", n/10) },
	"text: one line":           func(n int) string { return strings.Repeat("word ", n/5) },
	"text: one word":           func(n int) string { return strings.Repeat("x", n) },
	"text: colons":             func(n int) string { return fill(n, strings.Repeat("a: ", 900)+"\n") },
	"text: equals":             func(n int) string { return fill(n, strings.Repeat("a=b ", 900)+"00:00:5e:00:53:21\n") },
	"text: bars":               func(n int) string { return fill(n, strings.Repeat("|", 3900)+"\n") },
	"text: quotes":             func(n int) string { return fill(n, "\"a,00:00:5e:00:53:21,\n") },
	"text: lines that go on":   func(n int) string { return fill(n, "add 10.0.0.2 00:00:5e:00:53:21 \\\n") },
	"text: addresses":          func(n int) string { return fill(n, strings.Repeat("10.0.0.2 ", 60)+"\n") },
	"text: MAC addresses":      func(n int) string { return fill(n, strings.Repeat("00:00:5e:00:53:21 ", 60)+"\n") },
	"text: braces":             func(n int) string { return fill(n, "a { b { c 10.0.0.2; ") + fill(n/20, "} }") },
	"text: sections":           func(n int) string { return fill(n, "[s%d]\nk%d=00:00:5e:00:53:21\n") },
	"text: settings of one":    func(n int) string { return "[a]\n" + fill(n, "k%d=10.0.0.2\n") + "[b]\nmac=00:00:5e:00:53:21\n" },
	"text: paths":              func(n int) string { return fill(n, "set a%d b c d e f g h i j 10.0.0.2\n") },
	"text: dotted":             func(n int) string { return fill(n, "a.b%d.c=00:00:5e:00:53:21\n") },
	"text: numbers at the end": func(n int) string { return fill(n, "mac_%d=00:00:5e:00:53:21\nip_%d=10.0.0.2\nname_%d=x\n") },
	"text: arrows":             func(n int) string { return fill(n, "tcp 8020 -> 10.0.0.2:80 -> -> -> \n") },
	"text: labels":             func(n int) string { return fill(n, "Label %d: 10.0.0.2\n") },
	"text: cards":              func(n int) string { return fill(n, "MAC: 00:00:5e:00:53:21\nk%d: x\n") },
	"text: rows of many widths": func(n int) string {
		return fill(n, "a\t%d\t00:00:5e:00:53:21"+"\nb\tc\n"+"d\t00:00:5e:00:53:22\t\t\t\n")
	},
	"text: packed": func(n int) string {
		return "list=<" + strings.Repeat("00:00:5e:00:53:21>10.0.0.2>x<", min(n, 3900)/28) + "\n" + fill(n, "l%d=<00:00:5e:00:53:21>10.0.0.2<00:00:5e:00:53:22>10.0.0.3\n")
	},
	"text: calls": func(n int) string { return fill(n, "f%d('a', '00:00:5e:00:53:21', '10.0.0.2')\n") },
	"text: nft": func(n int) string {
		return "table ip nat {\n" + fill(n, "chain c%d {\n jump c%d\n tcp dport { 1, 2, 3 } dnat to 10.0.0.2\n}\n") + "}\n"
	},
	"text: chains that jump": func(n int) string {
		return "*nat\n" + fill(n, "-A c%d -j c1\n-A c1 -j c%d\n-A c%d -p tcp --dport 80 -j DNAT --to 10.0.0.2\n") + "COMMIT\n"
	},
	"text: leases left open":  func(n int) string { return fill(n, "lease 10.0.0.%d {\n hardware ethernet 00:00:5e:00:53:21;\n") },
	"text: half addresses":    func(n int) string { return fill(n, "a 00:00:5e:00\n:53:21 10.0.0.2\n") },
	"text: blank cells":       func(n int) string { return fill(n, "00:00:5e:00:53:21"+strings.Repeat("\t", 300)+"\n") },
	"text: names that differ": func(n int) string { return fill(n, "10.0.0.2 n%d\n") },
	"text: blocks":            func(n int) string { return fill(n, "n%d\n10.0.0.2\n\n") },
	"text: ticks":             func(n int) string { return fill(n, "- [ ] ~~a~~ **b** `c` 10.0.0.2 (was 10.0.0.3)\n") },
}

// What a stranger wrote costs in proportion to its size: a second for a megabyte on a machine of today, and
// sixteen times as much takes sixteen times as long.
func TestNothingSmallIsDear(t *testing.T) {
	const size = 10_000
	for _, name := range sortedKeys(hostile) {
		took := func(n int) time.Duration {
			data := []byte(hostile[name](n))
			begin := time.Now()
			if _, err := Text("x", "", data); err != nil {
				t.Errorf("%s: %v", name, err)
			}
			return time.Since(begin)
		}
		if held := heldFor(t, []byte(hostile[name](4*size))); held > 100*4*size+16<<20 {
			t.Errorf("%s: %d bytes held for %d", name, held, 4*size)
		}
		for try := 1; ; try++ { // others use the machine as well
			large := took(16 * size)
			if large < time.Second/2 {
				break
			}
			small := took(size)
			if t.Logf("%-30s %v, %v", name, small, large); large < 40*small && large < 2*time.Second {
				break
			}
			if try == 3 {
				t.Errorf("%s: %d bytes took %v, 16 times as much %v", name, size, small, large)
				break
			}
		}
	}
}

// A name that is longer than any is refused, and is not sent back whole.
func TestNameOfASource(t *testing.T) {
	_, err := Text(strings.Repeat("n", MostName+1), "", []byte("x"))
	if err == nil || len(err.Error()) > 300 || !strings.Contains(err.Error(), "1024 bytes") {
		t.Error(err)
	}
	if _, err := Text(strings.Repeat("n", MostName), "", []byte("x")); err != nil {
		t.Error(err)
	}
}

// Before a parser of a library sees a text, what would be dear is known.
func TestCheapLooks(t *testing.T) {
	for text, want := range map[string]bool{
		"a:\n  - b: [1, 2]\n": true, strings.Repeat("[", deepestYAML+1): false, strings.Repeat("- ", deepestYAML+1) + "x": false,
		"a: " + strings.Repeat("[", 20) + strings.Repeat("]", 20) + "\n": true, strings.Repeat("- a\n", mostYAML/2+1): false, strings.Repeat("- *a\n", 1001): false,
	} {
		if got := cheapYAML(text); got != want {
			t.Errorf("%.40q of %d bytes: %v", text, len(text), got)
		}
	}
	page := hostile["html: formatting"](160_000)
	if _, cheap := marked(page, false); cheap {
		t.Error("formatting that is made anew in each of thousands of paragraphs is taken for cheap")
	}
	if out := markLines(page); strings.Contains(out, "<b ") || strings.Count(out, "<p ") < 1000 {
		t.Error("the formatting is there, or the paragraphs are not")
	}
	if out := markLines("<p><b>a</b></p></i></p>"); strings.Count(out, "</") != 2 || !strings.Contains(out, "<b ") {
		t.Errorf("%s", out)
	}
}
