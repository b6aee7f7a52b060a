package read

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"vestpin/read/grid"
)

// cutAddress is an address whose numbers stand in fields of their own.
var cutAddress = regexp.MustCompile(`^\d{1,3}(\.\d{1,3}){3}$`)

// saysOf gives what an element of a form or a picture says; whole if that is all of it.
func saysOf(n *html.Node) (text string, whole bool) {
	on := func(yes bool) string {
		if yes {
			return "[x]"
		}
		return "[ ]"
	}
	has := func(key string) bool {
		return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == key })
	}
	for _, key := range []string{"aria-checked", "aria-pressed"} {
		if v := attr(n, key); v == "true" || v == "false" {
			return on(v == "true"), true
		}
	}
	switch n.DataAtom {
	case atom.Input:
		switch attr(n, "type") {
		case "hidden", "password", "submit", "button", "reset", "image":
			return "", true
		case "checkbox":
			return on(has("checked")), true
		case "radio":
			if has("checked") {
				return attr(n, "value"), true
			}
			return "", true
		}
		return attr(n, "value"), true
	case atom.Img:
		around := n.Parent
		for around != nil && (around.DataAtom == atom.A || around.DataAtom == atom.Span) {
			around = around.Parent
		}
		if around == nil || strings.TrimSpace(innerText(around, 100)) != "" {
			return "", true // it only goes with words
		}
		if text = attr(n, "alt"); text == "" {
			text = attr(n, "title")
		}
		if text == "" { // what the picture is called, if that says on or off
			name := path.Base(attr(n, "src"))
			if name = strings.TrimSuffix(name, path.Ext(name)); slices.ContainsFunc(strings.FieldsFunc(name, func(c rune) bool { return c == '-' || c == '_' || c == '.' }), func(w string) bool { return grid.Switch(w) != 0 }) {
				text = strings.Map(func(c rune) rune {
					if c == '-' || c == '_' || c == '.' {
						return ' '
					}
					return c
				}, name)
			}
		}
		return text, true
	case atom.I, atom.Span, atom.B, atom.Em, atom.Svg:
		if n.FirstChild == nil && n.Parent != nil && strings.TrimSpace(innerText(n.Parent, 100)) == "" {
			for _, key := range []string{"title", "aria-label"} {
				if text = attr(n, key); text != "" {
					return text, true
				}
			}
			if on := iconSays(attr(n, "class")); on != 0 {
				return map[int]string{1: "[x]", -1: "[ ]"}[on], true
			}
		}
	case atom.Select:
		for c := range n.Descendants() {
			if c.DataAtom == atom.Option && slices.ContainsFunc(c.Attr, func(a html.Attribute) bool { return a.Key == "selected" }) {
				return strings.Join(strings.Fields(innerText(c, 200)), " "), true
			}
		}
		return "", true
	}
	return "", false
}

// iconSays gives 1 for the classes of a picture that means on, -1 for off; 0 where none, or both, are among them.
func iconSays(class string) int {
	sum := 0
	for _, w := range strings.FieldsFunc(strings.ToLower(class), func(c rune) bool { return c == ' ' || c == '-' || c == '_' }) {
		v := iconClass[w]
		if v*sum < 0 {
			return 0
		}
		sum += v
	}
	return max(-1, min(1, sum))
}

// iconClass are words in the classes of pictures that mean on or off; others, as "no" and "active", are of how
// they look.
var iconClass = map[string]int{"check": 1, "tick": 1, "on": 1, "enabled": 1, "success": 1, "checked": 1, "cross": -1, "times": -1, "off": -1, "disabled": -1, "unchecked": -1, "xmark": -1}

// chosen gives what is chosen of several radio buttons that an element holds beside each other.
func chosen(n *html.Node) (said string, ok bool) {
	buttons := 0
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		button := c
		if c.DataAtom == atom.Label {
			for button = c.FirstChild; button != nil && button.DataAtom != atom.Input; button = button.NextSibling {
			}
		}
		if button == nil || button.DataAtom != atom.Input {
			continue
		}
		if attr(button, "type") != "radio" {
			return "", false
		}
		buttons++
		if value, _ := saysOf(button); value != "" {
			said = value
			if after := button.NextSibling; after != nil && after.Type == html.TextNode && strings.TrimSpace(after.Data) != "" {
				said = strings.TrimSpace(after.Data)
			}
		}
	}
	return said, buttons > 1
}

// labelled takes a label around a field apart. Of a choice only what is chosen counts.
func labelled(n *html.Node) (label, value string, ok bool) {
	var words []string
	var values []string
	for c := range n.Descendants() {
		if c.Type == html.TextNode {
			if len(values) == 0 || strings.TrimSpace(label) == "" {
				words = append(words, c.Data)
			}
			continue
		}
		if c.DataAtom != atom.Input && c.DataAtom != atom.Select {
			continue
		}
		said, _ := saysOf(c)
		if attr(c, "type") == "radio" {
			return "", said, true
		}
		ok = true
		if said != "" {
			values = append(values, said)
		}
		label = strings.Join(strings.Fields(strings.Join(words, " ")), " ")
	}
	if label == "" {
		label = strings.Join(strings.Fields(strings.Join(words, " ")), " ")
	}
	return label, strings.Join(slices.Compact(values), "-"), ok
}

// forwardsBy reports whether attributes tell of a forward: an address, a protocol and ports.
func forwardsBy(list []html.Attribute) bool {
	address, protocol, ports := false, false, false
	for _, a := range list {
		if !strings.HasPrefix(a.Key, "data-") || a.Key == lineMark {
			continue
		}
		address = address || isAddr(a.Val)
		protocol = protocol || spokenIn(a.Val) != ""
		ports = ports || portsShape.FindString(a.Val) == a.Val && a.Val != ""
	}
	return address && protocol && ports
}

// attributes reads the children of an element that say in their attributes of which device they
// are, as a list, and gives them.
func (p *pager) attributes(n *html.Node) map[*html.Node]bool {
	var head []string
	var rows []rawRow
	done := map[*html.Node]bool{}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.Type != html.ElementNode || p.macs[c] > 0 || !slices.ContainsFunc(c.Attr, func(a html.Attribute) bool { return a.Key != "id" && len(scan(0, a.Val).macs) == 1 }) && !forwardsBy(c.Attr) {
			continue
		}
		p.mark(c)
		values := map[string]string{"text": strings.Join(strings.Fields(innerText(c, 300)), " ")}
		for _, a := range c.Attr {
			key := strings.TrimPrefix(a.Key, "data-")
			if key != lineMark && a.Key != lineMark && key != "class" && key != "style" && key != "href" && len(head) < mostSpanned {
				values[key] = a.Val
			}
		}
		for _, key := range sortedKeys(values) {
			if !slices.Contains(head, key) {
				head = append(head, key)
			}
		}
		row := rawRow{grid.Row{Line: p.number(p.at), Cells: make([]string, len(head))}, line{}}
		for k, key := range head {
			row.Cells[k] = values[key]
		}
		row.line = scan(row.Line, strings.Join(row.Cells, "  "))
		rows, done[c] = append(rows, row), true
	}
	if len(rows) == 0 {
		return nil
	}
	for i := range rows {
		rows[i].Cells = append(rows[i].Cells, make([]string, len(head)-len(rows[i].Cells))...)
	}
	p.endLine()
	title := p.title()
	p.layout(true)
	p.reader.table(title, head, rows, uncut, false)
	return done
}
