package site

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

// trail is a JSON path that is only written out when something is refused.
type trail struct {
	up    *trail
	key   string
	index int
}

func (t *trail) field(key string) *trail { return &trail{up: t, key: key} }
func (t *trail) item(i int) *trail       { return &trail{up: t, index: i} }

func (t *trail) String() string {
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

// refuse makes a Refusal of a text that a user wrote.
func (t *trail) refuse(found, want string) error {
	return &Refusal{Path: t.String(), Found: span.Quote(found), Want: want}
}

// DecodeStrict reads JSON into a struct by its json tags: no unknown keys, no
// key twice, nothing missing that is neither a list, omitempty, omitzero nor has
// a default tag, nothing behind the end. Its error is a *Refusal whose path
// starts at root.
func DecodeStrict(data []byte, root string, into any) error {
	tree, err := parse(data, root)
	if err != nil {
		return err
	}
	return fill(&trail{key: root}, tree, reflect.ValueOf(into).Elem())
}

// parse reads one JSON value and nothing behind it.
func parse(data []byte, root string) (any, error) {
	r := treeReader{dec: json.NewDecoder(bytes.NewReader(data)), left: mostValues}
	r.dec.UseNumber()
	tree, err := r.read(&trail{key: root}, 0)
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

func (r *treeReader) read(at *trail, depth int) (any, error) {
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
			v, err := r.read(at.item(len(list)), depth+1)
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

func (r *treeReader) object(at *trail, depth int) (any, error) {
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
			return nil, &Refusal{Path: at.field(key).String(), Want: "each key once"}
		}
		v, err := r.read(at.field(key), depth+1)
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

func fill(at *trail, tree any, into reflect.Value) error {
	if into.Type() == editType {
		return fillEdit(at, tree, into)
	}
	if into.Kind() == reflect.Pointer {
		if tree == nil {
			return nil
		}
		into.Set(reflect.New(into.Type().Elem()))
		return fill(at, tree, into.Elem())
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
		return fillStruct(at, obj, into)
	case reflect.Slice:
		list, ok := tree.([]any)
		if !ok {
			return wrongType(at, tree, "a list […]")
		}
		into.Set(reflect.MakeSlice(into.Type(), len(list), len(list)))
		for i, v := range list {
			if err := fill(at.item(i), v, into.Index(i)); err != nil {
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
				return wrongType(at.field(p.key), p.value, "text in quotes")
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
func fillText(at *trail, tree any, into reflect.Value) (bool, error) {
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
	var bad *span.Malformed
	if errors.As(err, &bad) {
		return true, at.refuse(bad.Found, bad.Want)
	}
	return true, err
}

func fillStruct(at *trail, obj object, into reflect.Value) error {
	known := map[string]bool{}
	var names []string
	for _, f := range reflect.VisibleFields(into.Type()) {
		if f.Anonymous {
			continue
		}
		name, options, _ := strings.Cut(f.Tag.Get("json"), ",")
		known[name] = true
		names = append(names, name)
		tree, given := obj.get(name)
		fallback, hasDefault := f.Tag.Lookup("default")
		if !given {
			if hasDefault {
				setDefault(into.FieldByIndex(f.Index), fallback)
			} else if f.Type.Kind() == reflect.Slice {
				into.FieldByIndex(f.Index).Set(reflect.MakeSlice(f.Type, 0, 0))
			} else if options == "" {
				return &Refusal{Path: at.field(name).String(), Want: "a value: nothing stands there"}
			} else if f.Type.Kind() == reflect.Struct && f.Type.PkgPath() == into.Type().PkgPath() {
				if err := fill(at.field(name), object{}, into.FieldByIndex(f.Index)); err != nil {
					return err
				}
			}
			continue
		}
		if err := fill(at.field(name), tree, into.FieldByIndex(f.Index)); err != nil {
			return err
		}
		if words := f.Tag.Get("enum"); words != "" {
			if err := oneOf(at.field(name), tree.(string), words); err != nil {
				return err
			}
		}
	}
	for _, p := range obj {
		if key := p.key; !known[key] {
			return at.field(key).refuse(key, "one of the keys "+strings.Join(names, ", "))
		}
	}
	return nil
}

func oneOf(at *trail, text, words string) error {
	for _, w := range strings.Split(words, ",") {
		if text == w {
			return nil
		}
	}
	return at.refuse(text, "one of "+strings.ReplaceAll(strings.TrimPrefix(words, ","), ",", ", "))
}

func setDefault(v reflect.Value, text string) {
	if v.Kind() == reflect.Bool {
		v.SetBool(text == "true")
		return
	}
	v.SetString(text)
}

func wrongType(at *trail, tree any, want string) error {
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
