// Package strict reads JSON into structs and refuses whatever they do not have: unknown keys,
// missing ones, other types, words that are none. It says where and what would do.
package strict

import (
	"bytes"
	"encoding"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/netip"
	"reflect"
	"strconv"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/span"
)

// Refusal is a value that cannot be taken: where it stood (a JSON path), what
// stood there and what would be accepted.
type Refusal struct{ Path, Found, Want string }

func (r *Refusal) Error() string {
	if r.Found == "" {
		return fmt.Sprintf("%s: want %s", r.Path, r.Want)
	}
	return fmt.Sprintf("%s: %s is not accepted: want %s", r.Path, r.Found, r.Want)
}

// Path is a JSON path that is only written out when something is refused.
type Path struct {
	up    *Path
	key   string
	index int
}

// At is the path of a whole value.
func At(root string) *Path { return &Path{key: root} }

// Field is the path of a value of an object.
func (t *Path) Field(key string) *Path { return &Path{up: t, key: key} }

// Item is the path of an item of a list.
func (t *Path) Item(i int) *Path { return &Path{up: t, index: i} }

func (t *Path) String() string {
	switch {
	case t.up == nil:
		return t.key
	case t.key == "":
		return fmt.Sprintf("%s[%d]", t.up, t.index)
	case strings.ContainsAny(t.key, ". []'\"\n"):
		return fmt.Sprintf("%s[%s]", t.up, span.Quote(t.key))
	}
	return t.up.String() + "." + t.key
}

// Refuse makes a Refusal of a text that a user wrote.
func (t *Path) Refuse(found, want string) error {
	return &Refusal{Path: t.String(), Found: span.Quote(found), Want: want}
}

// Union is an interface type of which JSON has one of several structs, told apart by the text
// under a key. Where Surplus is set, keys that the struct has no use for are passed over.
type Union struct {
	Interface reflect.Type
	Key       string
	Types     map[string]reflect.Type
	Noun      string // what it is: "an edit"
	Want      string // what would do under the key
	Surplus   bool
}

// Decode reads JSON into a struct by its json tags: no unknown keys, no key twice, nothing
// missing that is neither a list, omitempty, omitzero nor has a default tag, nothing behind the
// end. Its error is a *Refusal whose path starts at root.
func Decode(data []byte, root string, into any, unions ...Union) error {
	tree, err := parse(data, root)
	if err != nil {
		return err
	}
	return filling(unions).fill(At(root), tree, reflect.ValueOf(into).Elem())
}

// The bounds of what is read: how deep, and how many values. The largest site that was ever
// made has some 300,000.
const (
	deepest    = 40
	mostValues = 1_000_000
)

// filling puts JSON into values; it knows the unions that may be met.
type filling []Union

var textUnmarshaler = reflect.TypeFor[encoding.TextUnmarshaler]()

// union reads one of the structs of a union.
func (f filling) union(of Union, at *Path, tree any, into reflect.Value) error {
	obj, ok := tree.(object)
	if !ok {
		return wrongType(at, tree, of.Noun+" {…}")
	}
	do, given := obj.get(of.Key)
	if !given {
		return &Refusal{Path: at.Field(of.Key).String(), Want: of.Want + ": nothing stands there"}
	}
	word, ok := do.(string)
	if !ok {
		return wrongType(at.Field(of.Key), do, "text in quotes")
	}
	kind, known := of.Types[word]
	if !known {
		return at.Field(of.Key).Refuse(word, strings.Replace(of.Want, "a ", "a known ", 1))
	}
	names := map[string]bool{}
	for _, field := range reflect.VisibleFields(kind) {
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		names[name] = true
	}
	var rest object
	for _, p := range obj {
		if p.key != of.Key && (!of.Surplus || names[p.key]) {
			rest = append(rest, p)
		}
	}
	one := reflect.New(kind).Elem()
	if err := f.fillStruct(at, rest, one); err != nil {
		return err
	}
	into.Set(one)
	return nil
}

// parse reads one JSON value and nothing behind it.
func parse(data []byte, root string) (any, error) {
	r := treeReader{dec: json.NewDecoder(bytes.NewReader(data)), left: mostValues}
	r.dec.UseNumber()
	tree, err := r.read(At(root), 0)
	if err == nil {
		if _, tail := r.dec.Token(); !errors.Is(tail, io.EOF) {
			err = &Refusal{Path: root, Want: "nothing behind the end of the JSON value"}
		}
	}
	var known *Refusal
	if err == nil || errors.As(err, &known) {
		return tree, err
	}
	line := 1 + bytes.Count(data[:min(int(r.dec.InputOffset()), len(data))], []byte("\n"))
	what := err.Error()
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		what = "the text ends in the middle"
	}
	return nil, &Refusal{Path: root, Want: fmt.Sprintf("whole JSON; line %d: %s", line, what)}
}

// object is a JSON object in the order written, each key once.
type object []pair

type pair struct {
	key   string
	value any
}

func (o object) get(key string) (any, bool) {
	for _, p := range o {
		if p.key == key {
			return p.value, true
		}
	}
	return nil, false
}

// treeReader reads at most so many values.
type treeReader struct {
	dec  *json.Decoder
	left int
}

func (r *treeReader) read(at *Path, depth int) (any, error) {
	if depth > deepest {
		return nil, &Refusal{Path: at.String(), Want: fmt.Sprintf("at most %d levels of nesting", deepest)}
	}
	if r.left--; r.left < 0 {
		return nil, &Refusal{Path: at.String(), Want: fmt.Sprintf("at most %d values at once", mostValues)}
	}
	tok, err := r.dec.Token()
	if err != nil {
		return nil, err
	}
	switch tok {
	case json.Delim('{'):
		return r.object(at, depth)
	case json.Delim('['):
		var list []any
		for r.dec.More() {
			v, err := r.read(at.Item(len(list)), depth+1)
			if err != nil {
				return nil, err
			}
			list = append(list, v)
		}
		_, err := r.dec.Token()
		return list, err
	}
	return tok, nil
}

// fewKeys is up to how many keys an object is looked through one by one.
const fewKeys = 16

func (r *treeReader) object(at *Path, depth int) (any, error) {
	var obj object
	var seen map[string]bool // once there are many
	for r.dec.More() {
		tok, err := r.dec.Token()
		if err != nil {
			return nil, err
		}
		key := tok.(string)
		twice := seen[key]
		if len(obj) < fewKeys {
			_, twice = obj.get(key)
		}
		if twice {
			return nil, &Refusal{Path: at.Field(key).String(), Want: "each key once"}
		}
		v, err := r.read(at.Field(key), depth+1)
		if err != nil {
			return nil, err
		}
		obj = append(obj, pair{key, v})
		if len(obj) == fewKeys {
			seen = map[string]bool{}
			for _, p := range obj {
				seen[p.key] = true
			}
		} else if len(obj) > fewKeys {
			seen[key] = true
		}
	}
	_, err := r.dec.Token()
	return obj, err
}

func (f filling) fill(at *Path, tree any, into reflect.Value) error {
	for _, of := range f {
		if into.Type() == of.Interface {
			return f.union(of, at, tree, into)
		}
	}
	if into.Kind() == reflect.Pointer {
		if tree == nil {
			return nil
		}
		into.Set(reflect.New(into.Type().Elem()))
		return f.fill(at, tree, into.Elem())
	}
	if done, err := fillText(at, tree, into); done {
		return err
	}
	switch into.Kind() {
	case reflect.Struct:
		obj, ok := tree.(object)
		if !ok {
			return wrongType(at, tree, "an object {…}")
		}
		return f.fillStruct(at, obj, into)
	case reflect.Slice:
		list, ok := tree.([]any)
		if !ok {
			return wrongType(at, tree, "a list […]")
		}
		into.Set(reflect.MakeSlice(into.Type(), len(list), len(list)))
		for i, v := range list {
			if err := f.fill(at.Item(i), v, into.Index(i)); err != nil {
				return err
			}
		}
		return nil
	case reflect.Map: // of texts by word
		obj, ok := tree.(object)
		if !ok {
			return wrongType(at, tree, "an object {…} of texts")
		}
		into.Set(reflect.MakeMap(into.Type()))
		for _, p := range obj {
			text, ok := p.value.(string)
			if !ok {
				return wrongType(at.Field(p.key), p.value, "text in quotes")
			}
			into.SetMapIndex(reflect.ValueOf(p.key), reflect.ValueOf(text))
		}
	case reflect.String:
		text, ok := tree.(string)
		if !ok {
			return wrongType(at, tree, "text in quotes")
		}
		into.SetString(text)
	case reflect.Bool:
		b, ok := tree.(bool)
		if !ok {
			return wrongType(at, tree, "true or false")
		}
		into.SetBool(b)
	case reflect.Int:
		n, ok := tree.(json.Number)
		v, err := strconv.ParseInt(string(n), 10, 32)
		if !ok || err != nil || v < math.MinInt32 {
			return wrongType(at, tree, "a whole number")
		}
		into.SetInt(v)
	default:
		return fmt.Errorf("%s: cannot read into %s", at, into.Type())
	}
	return nil
}

// fillText fills the types that read themselves from text.
func fillText(at *Path, tree any, into reflect.Value) (bool, error) {
	target := into.Addr().Interface()
	um, ok := target.(encoding.TextUnmarshaler)
	if !ok {
		return false, nil
	}
	text, isText := tree.(string)
	if !isText {
		return true, wrongType(at, tree, "text in quotes")
	}
	var err error
	switch v := target.(type) {
	case *netip.Addr:
		if text != "" {
			*v, err = ipv4.ParseAddr(text)
		}
	case *netip.Prefix:
		*v, err = ipv4.ParseSubnet(text)
	default:
		err = um.UnmarshalText([]byte(text))
	}
	if list, ok := target.(interface{ Words() []string }); ok && text == "" {
		return true, at.OneOf(text, strings.Join(list.Words(), ","))
	}
	var bad *span.Malformed
	if errors.As(err, &bad) {
		return true, at.Refuse(bad.Found, bad.Want)
	}
	return true, err
}

func (f filling) fillStruct(at *Path, obj object, into reflect.Value) error {
	known := map[string]bool{}
	var names []string
	for _, field := range reflect.VisibleFields(into.Type()) {
		if field.Anonymous {
			continue
		}
		name, options, _ := strings.Cut(field.Tag.Get("json"), ",")
		known[name] = true
		names = append(names, name)
		tree, given := obj.get(name)
		fallback, hasDefault := field.Tag.Lookup("default")
		if !given {
			if hasDefault {
				setDefault(into.FieldByIndex(field.Index), fallback)
			} else if field.Type.Kind() == reflect.Slice {
				into.FieldByIndex(field.Index).Set(reflect.MakeSlice(field.Type, 0, 0))
			} else if options == "" {
				return &Refusal{Path: at.Field(name).String(), Want: "a value: nothing stands there"}
			} else if field.Type.Kind() == reflect.Struct && !reflect.PointerTo(field.Type).Implements(textUnmarshaler) {
				if err := f.fill(at.Field(name), object{}, into.FieldByIndex(field.Index)); err != nil {
					return err
				}
			}
			continue
		}
		if err := f.fill(at.Field(name), tree, into.FieldByIndex(field.Index)); err != nil {
			return err
		}
		if words := field.Tag.Get("enum"); words != "" {
			if err := at.Field(name).OneOf(tree.(string), words); err != nil {
				return err
			}
		}
	}
	for _, p := range obj {
		if key := p.key; !known[key] {
			return at.Field(key).Refuse(key, "one of the keys "+strings.Join(names, ", "))
		}
	}
	return nil
}

// OneOf refuses a text that is none of some words, which commas part.
func (t *Path) OneOf(text, words string) error {
	for _, w := range strings.Split(words, ",") {
		if text == w {
			return nil
		}
	}
	return t.Refuse(text, "one of "+strings.ReplaceAll(strings.TrimPrefix(words, ","), ",", ", "))
}

func setDefault(v reflect.Value, text string) {
	if v.Kind() == reflect.Bool {
		v.SetBool(text == "true")
		return
	}
	v.SetString(text)
}

func wrongType(at *Path, tree any, want string) error {
	found := "a value"
	switch v := tree.(type) {
	case nil:
		found = "null"
	case string:
		found = span.Quote(v)
	case json.Number:
		found = string(v)
		if len(found) > 40 {
			found = found[:40] + "..."
		}
	case bool:
		found = strconv.FormatBool(v)
	case object:
		found = "an object"
	case []any:
		found = "a list"
	}
	return &Refusal{Path: at.String(), Found: found, Want: want}
}
