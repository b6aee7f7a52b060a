package read

import (
	"bytes"
	"encoding/xml"
	"io"
	"maps"
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"vestpin/read/grid"
)

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// tree reads a value of JSON, XML or YAML: what is known by its names, and every list of
// things of which each has a MAC address.
func (r *reader) tree(n *node) {
	r.json(n)
	if !r.reads("table") && !r.reads("leases") {
		return
	}
	lifted(n, 0)
	g := gathering{byPath: map[string]*gathered{}}
	g.gather(n, "", "", map[string]string{})
	if len(g.paths)+len(g.bare) == 0 {
		var list []namedValue
		valuesBelow(n, "", &list)
		if !slices.ContainsFunc(list, func(v namedValue) bool { return outerShape.MatchString(v.label) }) {
			r.networkOf(lastNames(list))
		}
	}
	for _, b := range g.bare {
		r.bareRows(b.head, b.rows)
	}
	r.strays(g.stray)
	for _, path := range g.paths {
		one := g.byPath[path]
		head := slices.Clone(one.keys)
		rows := make([]rawRow, len(one.rows))
		for i, record := range one.rows {
			rows[i] = rawRow{grid.Row{Line: record.line, Cells: make([]string, len(head))}, scan(record.line, "")}
			for c, key := range head {
				rows[i].Cells[c] = record.cells[key]
			}
			rows[i].line.text = strings.TrimSpace(strings.Join(rows[i].Cells, " "))
			rows[i].line.words = rows[i].Cells
		}
		r.table(strings.ReplaceAll(path, "/", " "), head, rows, uncut, false)
	}
}

// gathering is the records of a tree, by the names that lead to them.
type gathering struct {
	paths  []string
	byPath map[string]*gathered
	bare   []bareList // lists of lists
	head   []string   // of the next of them
	stray  []line     // values with a MAC address in no record
}

// bareList is a list of lists of values, with the headings that stand beside it.
type bareList struct {
	head []string
	rows []*node
}

type gathered struct {
	keys []string
	rows []record
}

type record struct {
	line  int
	cells map[string]string
}

// lifted makes parts of a thing of its list of names and values: {"name": "ip", "value": "10.0.0.2"}.
func lifted(n *node, depth int) {
	if depth > 60 {
		return
	}
	for _, v := range n.items {
		lifted(v, depth+1)
	}
	for _, k := range sortedKeys(n.fields) {
		v := n.fields[k]
		lifted(v, depth+1)
		pairs := make([][2]*node, 0, len(v.items))
		for _, i := range v.items {
			if name, value := nameAndValue(i); name != nil {
				pairs = append(pairs, [2]*node{name, value})
			}
		}
		if len(pairs) < 2 || len(pairs) < len(v.items) {
			continue
		}
		delete(n.fields, k)
		for _, p := range pairs {
			if n.fields[p[0].text] == nil {
				n.fields[p[0].text] = p[1]
			}
		}
	}
}

// nameAndValue gives the two parts of a thing that is a name with its value.
func nameAndValue(n *node) (name, value *node) {
	if len(n.fields) != 2 {
		return nil, nil
	}
	for k, v := range n.fields {
		switch strings.ToLower(k) {
		case "name", "key", "param", "field", "label":
			name = v
		case "value", "val", "text":
			value = v
		}
	}
	if name == nil || value == nil || name.text == "" || grid.Typed(name.text) || strings.Contains(name.text, " ") && len(name.text) > 40 {
		return nil, nil
	}
	return name, value
}

// strays reads values that hold a device each: several of one form are a list.
func (r *reader) strays(lines []line) {
	if len(lines) < 2 || slices.ContainsFunc(lines, func(l line) bool { return len(l.macs) != 1 || len(l.text) > 300 }) {
		r.giveUp(lines)
		return
	}
	c := cuttingOf(lines[0])
	if c == uncut || slices.ContainsFunc(lines, func(l line) bool { return cuttingOf(l) != c }) {
		r.wordRows(lines)
		return
	}
	r.tables("", lines, c, true)
}

// valuesBelow gives the plain values of a tree with the names that lead to them, some hundreds at most:
// settings have no more.
func valuesBelow(n *node, path string, into *[]namedValue) {
	if len(*into) > 300 || len(path) > 200 || knownTree(n) {
		return
	}
	for _, k := range sortedKeys(n.fields) {
		valuesBelow(n.fields[k], strings.TrimSpace(path+" "+k), into)
	}
	plain := n.text
	for _, i := range n.items {
		if i.text == "" || len(plain) > 200 {
			valuesBelow(i, path, into)
			continue
		}
		plain += " " + i.text
	}
	if n.fields == nil && plain != "" {
		*into = append(*into, namedValue{path, strings.TrimSpace(plain), n.line})
	}
}

// outerShape is a name of what is outside, or of another network.
var outerShape = regexp.MustCompile(`(?i)\b(?:wan|internet|ppp\w*|uplink|guest|vlan\d*)`)

// lastNames calls settings by the last of the names that lead to them, where that tells what they are;
// nothing where two of them would be called the same, since they are of several networks then.
func lastNames(list []namedValue) (out []namedValue) {
	seen := map[string]bool{}
	for _, v := range list {
		last := v.label[strings.LastIndexByte(v.label, ' ')+1:]
		if headingOf(last) != nil || grid.EndOf(last) != 0 {
			v.label = last
		}
		if isAddr(v.value) && seen[v.label] {
			return nil
		}
		seen[v.label] = true
		out = append(out, v)
	}
	return out
}

// known trees are read by their names alone.
func knownTree(n *node) bool {
	return n.fields["addr_info"] != nil || n.fields["dst"] != nil && n.fields["dev"] != nil || n.fields["subnet4"] != nil || n.fields["Dhcp4"] != nil || n.fields["nftables"] != nil || n.fields["cltt"] != nil && n.fields["hw-address"] != nil
}

// isRecord passes a thing with a MAC address, or with an address and ports.
func isRecord(n *node) bool {
	ports, address, protocol, figures := false, false, false, 0
	parts := 0 // things in it that have an address
	for k, v := range n.fields {
		has := false
		for name, w := range v.fields {
			has = has || isAddr(w.text)
			ports = ports || w.text != "" && (grid.Portlike(name) || grid.Portlike(k+" "+name))
			protocol = protocol || grid.IsTransport(w.text)
		}
		if has {
			parts++
		}
		protocol = protocol || slices.ContainsFunc(v.items, func(i *node) bool { return grid.IsTransport(i.text) })
		if v.fields != nil || v.items != nil {
			continue
		}
		if grid.LooksMAC(v.text) {
			return true
		}
		protocol = protocol || grid.IsTransport(v.text)
		if grid.IsProtocolPort(v.text) {
			protocol, figures = true, figures+1
		}
		if portsShape.FindString(v.text) == v.text && v.text != "" {
			figures++
		}
		ports = ports || grid.Portlike(k)
		address = address || isAddr(v.text)
	}
	return address && (ports || protocol && figures > 0) || parts == 1 && ports && protocol
}

// isBare passes a list of plain values with a MAC address among them, or an address and a protocol.
func isBare(n *node) bool {
	if n.items == nil || slices.ContainsFunc(n.items, func(i *node) bool { return i.fields != nil || i.items != nil }) {
		return false
	}
	some := func(is func(string) bool) bool {
		return slices.ContainsFunc(n.items, func(i *node) bool { return is(i.text) })
	}
	return some(grid.LooksMAC) || some(isAddr) && some(grid.IsTransport)
}

// headOf gives the headings of a list of bare lists: a list of words beside it, as many as each has.
func headOf(n *node, rows *node) []string {
	for _, k := range sortedKeys(n.fields) {
		v := n.fields[k]
		if v == rows || v.items == nil || len(rows.items) == 0 || len(v.items) != len(rows.items[0].items) {
			continue
		}
		var head []string
		for _, i := range v.items {
			if i.fields == nil && i.items == nil && i.text != "" && !grid.Typed(i.text) && !grid.IsFigure(i.text) {
				head = append(head, i.text)
			}
		}
		if len(head) == len(v.items) {
			return head
		}
	}
	return nil
}

// gather finds the records below a value. Above is what the things say in which it lies.
func (g *gathering) gather(n *node, path, key string, above map[string]string) {
	if n.fields == nil {
		if l := scan(n.line, n.text); len(l.macs) > 0 {
			g.stray = append(g.stray, l)
		}
		if len(n.items) > 0 && !slices.ContainsFunc(n.items, func(i *node) bool { return !isBare(i) }) {
			g.bare = append(g.bare, bareList{g.head, n.items})
			return
		}
		for _, item := range n.items {
			g.gather(item, path, "", above)
		}
		return
	}
	if knownTree(n) {
		return
	}
	cells := map[string]string{}
	if grid.LooksMAC(key) {
		cells["mac"] = key
	}
	if isAddr(key) && isRecord(n) {
		cells["address"] = key
	}
	if len(cells) == 0 && !isRecord(n) {
		records, said := 0, maps.Clone(above)
		for k, v := range n.fields {
			if isRecord(v) {
				records++
			} else if v.fields == nil && v.items == nil && len(said) < mostSaid && saysOfAll(k) {
				said[k] = v.text
			}
		}
		for _, k := range sortedKeys(n.fields) {
			next := k
			if grid.LooksMAC(k) || records > 1 && isRecord(n.fields[k]) {
				next = "" // the keys are names of things, and the things are of one list
			}
			if g.head = nil; len(n.fields[k].items) > 0 && isBare(n.fields[k].items[0]) {
				g.head = headOf(n, n.fields[k])
			}
			g.gather(n.fields[k], path+"/"+next, k, said)
		}
		return
	}
	if key != "" && strings.HasSuffix(path, "/") && !grid.LooksMAC(key) && !isAddr(key) {
		if stem := strings.TrimRight(key, "0123456789"); stem != key {
			cells["key"] = key // it may only count
		} else {
			cells["key name"] = key
		}
	}
	flatten(n, "", cells, 0)
	for k, v := range above {
		if cells[k] == "" {
			cells[k] = v
		}
	}
	one := g.byPath[path]
	if one == nil {
		one = &gathered{}
		g.byPath[path] = one
		g.paths = append(g.paths, path)
	}
	for _, k := range sortedKeys(cells) {
		if !slices.Contains(one.keys, k) && len(one.keys) < 100 {
			one.keys = append(one.keys, k)
		}
	}
	one.rows = append(one.rows, record{n.line, cells})
}

// mostSaid is how many values beside things may say something of each of them.
const mostSaid = 20

// saysOfAll passes the name of a value that says something of the things beside it.
func saysOfAll(key string) bool {
	roles := headingOf(key)
	return slices.Contains(roles, grid.Name) || slices.Contains(roles, grid.DeviceName) || slices.Contains(roles, grid.Reserved)
}

// bareRows reads lists of which each is a row.
func (r *reader) bareRows(head []string, list []*node) {
	var rows []rawRow
	for _, n := range list {
		row := rawRow{grid.Row{Line: n.line}, line{}}
		for _, i := range n.items {
			row.Cells = append(row.Cells, i.text)
		}
		row.line = scan(n.line, strings.Join(row.Cells, " "))
		rows = append(rows, row)
	}
	r.table("", head, rows, uncut, false)
}

// flatten gives the values of a record, those of records in it by both names.
func flatten(n *node, before string, into map[string]string, depth int) {
	for _, k := range sortedKeys(n.fields) {
		v := n.fields[k]
		name := strings.TrimSpace(before + " " + k)
		switch {
		case v.fields != nil && depth < 3:
			flatten(v, name, into, depth+1)
		case v.items != nil:
			var all []string
			for _, i := range v.items {
				if i.text != "" && len(all) < 20 {
					all = append(all, i.text)
				}
			}
			into[name] = strings.Join(all, ", ")
		default:
			into[name] = v.text
		}
	}
}

// looksXML passes a text that is XML and no page.
func looksXML(text string) bool {
	head := strings.TrimSpace(text[:min(len(text), 4096)])
	return strings.HasPrefix(head, "<") && len(head) > 3 && !looksHTML(text) && (strings.HasPrefix(head, "<?xml") || xmlShape.MatchString(head))
}

var xmlShape = regexp.MustCompile(`^<[A-Za-z_][\w:.-]*(\s[^<>]*)?>`)

// xmlTree reads XML as a tree: parts of one name are a list, attributes are parts.
func xmlTree(text string) (*node, bool) {
	d := xml.NewDecoder(strings.NewReader(text))
	d.Strict = false
	d.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil } // it is UTF-8 by now
	root := &node{fields: map[string]*node{}}
	stack, texts := []*node{root}, [][]byte{nil}
	line, at := 1, 0
	for {
		t, err := d.Token()
		if err == io.EOF {
			return root, len(stack) == 1
		}
		if err != nil || len(stack) > 60 {
			return nil, false
		}
		to := int(d.InputOffset())
		top := stack[len(stack)-1]
		switch t := t.(type) {
		case xml.StartElement:
			n := &node{line: line + strings.Count(text[at:to], "\n"), fields: map[string]*node{}}
			for _, a := range t.Attr {
				n.fields[a.Name.Local] = &node{line: n.line, text: a.Value}
			}
			put(top, t.Name.Local, n)
			stack, texts = append(stack, n), append(texts, nil)
		case xml.CharData:
			if own := &texts[len(texts)-1]; len(*own)+len(t) < longest {
				*own = append(*own, t...)
			}
		case xml.EndElement:
			if len(stack) == 1 {
				return nil, false
			}
			top.text = string(bytes.TrimSpace(texts[len(texts)-1]))
			texts = texts[:len(texts)-1]
			if len(top.fields) == 0 {
				top.fields = nil
				if name := t.Name.Local; top.text == "" && isFlag(name) {
					top.text = "yes" // it is said by being there
				}
			} else if top.text != "" {
				top.fields["text"] = &node{line: top.line, text: top.text}
			}
			stack = stack[:len(stack)-1]
		}
		line += strings.Count(text[at:to], "\n")
		at = to
	}
}

// isFlag passes names of what is or is not: an empty element of that name says that it is.
func isFlag(name string) bool {
	return name == "any" || strings.HasPrefix(name, "disable") || strings.HasPrefix(name, "enable")
}

func put(n *node, key string, v *node) {
	switch have := n.fields[key]; {
	case have == nil:
		n.fields[key] = v
	case have.items != nil && have.fields == nil:
		have.items = append(have.items, v)
	default:
		n.fields[key] = &node{line: have.line, items: []*node{have, v}}
	}
}

// yamlShape is a text with lists or maps in each other as YAML writes them.
var yamlShape = regexp.MustCompile(`(?m)^(\s*-\s+[\w"'-]+:(\s|$)|\s*-\s+\{\s*[\w"'-]+:\s|[\w"'-]+:\s*$\n[ ]+[\w"'-]+:|\s*-\s*$)`)

// yamlTree reads YAML as a tree.
func yamlTree(text string) (*node, bool) {
	if len(text) > 4<<20 || !yamlShape.MatchString(text) || strings.Contains(text, "\t") || !cheapYAML(text) {
		return nil, false
	}
	root := &node{items: []*node{}}
	d := yaml.NewDecoder(strings.NewReader(text))
	for {
		var doc yaml.Node
		if err := d.Decode(&doc); err == io.EOF {
			break
		} else if err != nil {
			return nil, false
		}
		root.items = append(root.items, yamlNode(&doc))
	}
	if len(root.items) == 1 && len(root.items[0].items) > 1 && !slices.ContainsFunc(root.items[0].items, func(n *node) bool { return len(n.fields) != 1 }) {
		return nil, false // particulars with marks before them
	}
	return root, slices.ContainsFunc(root.items, func(n *node) bool { return n.fields != nil || n.items != nil })
}

// yamlNode gives a part of a document; what refers to another part is left out.
func yamlNode(in *yaml.Node) *node {
	n := &node{line: in.Line}
	switch in.Kind {
	case yaml.DocumentNode:
		if len(in.Content) > 0 {
			return yamlNode(in.Content[0])
		}
	case yaml.MappingNode:
		n.fields = map[string]*node{}
		for i := 0; i+1 < len(in.Content); i += 2 {
			v := yamlNode(in.Content[i+1])
			if v.fields == nil && v.items == nil {
				v.line = in.Content[i].Line
			}
			n.fields[in.Content[i].Value] = v
		}
	case yaml.SequenceNode:
		n.items = []*node{}
		for _, v := range in.Content {
			n.items = append(n.items, yamlNode(v))
		}
	case yaml.ScalarNode:
		if in.Tag != "!!null" {
			n.text = strings.TrimSpace(in.Value)
		}
	}
	return n
}
