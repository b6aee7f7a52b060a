package store

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// part is one row of a site: an item of one of its lists, whole. Which lists there
// are is read off the type of the site, and an item is written as the site file
// writes it, so nothing that a site holds can be left out here.
type part struct {
	list, key string
	pos       int
	body      string
}

// lists are the fields of a site that are lists, and all others, by their JSON names.
var lists, single = func() (lists, single map[string]int) {
	lists, single = map[string]int{}, map[string]int{}
	t := reflect.TypeFor[site.Site]()
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		if t.Field(i).Type.Kind() == reflect.Slice {
			lists[name] = i
		} else {
			single[name] = i
		}
	}
	return lists, single
}()

// keyOf is what tells an item from the others of its list: what it is called, or
// its place.
func keyOf(list string, item any, pos int) string {
	if named, ok := item.(interface{ Ref() site.Ref }); ok {
		return string(named.Ref())
	}
	return fmt.Sprintf("%s:%d", list, pos)
}

// headOf is what a site holds beside its lists.
func headOf(s site.Site) (string, error) {
	fields := map[string]any{}
	for name, i := range single {
		fields[name] = reflect.ValueOf(s).Field(i).Interface()
	}
	data, err := json.Marshal(fields)
	return string(data), err
}

// changes gives the statements that turn the parts of one site into another's.
// Items that are the same are neither written nor made into JSON.
func changes(id string, before, after site.Site) ([]statement, error) {
	var out []statement
	for _, list := range slices.Sorted(maps.Keys(lists)) {
		a, b := reflect.ValueOf(before).Field(lists[list]), reflect.ValueOf(after).Field(lists[list])
		was := map[string]int{}
		for i := range a.Len() {
			was[keyOf(list, a.Index(i).Interface(), i)] = i
		}
		for i := range b.Len() {
			item := b.Index(i).Interface()
			key := keyOf(list, item, i)
			old, known := was[key]
			delete(was, key)
			if known && reflect.DeepEqual(a.Index(old).Interface(), item) {
				if old != i {
					out = append(out, line(`UPDATE parts SET pos = ? WHERE site = ? AND list = ? AND key = ?`, i, id, list, key))
				}
				continue
			}
			body, err := json.Marshal(item)
			if err != nil {
				return nil, err
			}
			out = append(out, line(`INSERT INTO parts (site, list, key, pos, body) VALUES (?, ?, ?, ?, ?)
				ON CONFLICT (site, list, key) DO UPDATE SET pos = excluded.pos, body = excluded.body`, id, list, key, i, string(body)))
		}
		for key := range was {
			out = append(out, line(`DELETE FROM parts WHERE site = ? AND list = ? AND key = ?`, id, list, key))
		}
	}
	return out, nil
}

// assemble makes a site of its head and its parts, which come in order.
func assemble(head string, parts []part) (site.Site, error) {
	var s site.Site
	if err := decode(head, &s); err != nil {
		return s, fmt.Errorf("its head: %w", err)
	}
	for _, p := range parts {
		i, known := lists[p.list]
		if !known {
			return s, fmt.Errorf("%s: this program knows no such list", p.list)
		}
		list := reflect.ValueOf(&s).Elem().Field(i)
		item := reflect.New(list.Type().Elem())
		if err := decode(p.body, item.Interface()); err != nil {
			return s, fmt.Errorf("%s: %w", p.key, err)
		}
		list.Set(reflect.Append(list, item.Elem()))
	}
	return s.Whole(), nil
}

func decode(body string, into any) error {
	dec := json.NewDecoder(strings.NewReader(body))
	dec.DisallowUnknownFields() // what is not known would be lost when it is written again
	return dec.Decode(into)
}

// raw puts a site file together from what the rows hold, understood or not.
func raw(head string, parts []part) []byte {
	whole := map[string]json.RawMessage{}
	if json.Unmarshal([]byte(head), &whole) != nil {
		whole["head"], _ = json.Marshal(head)
	}
	whole["format"], _ = json.Marshal(sitefile.Format)
	byList := map[string][]json.RawMessage{}
	for _, p := range parts {
		body := json.RawMessage(p.body)
		if !json.Valid(body) {
			body, _ = json.Marshal(p.body)
		}
		byList[p.list] = append(byList[p.list], body)
	}
	for list, items := range byList {
		whole[list], _ = json.Marshal(items)
	}
	var out bytes.Buffer
	data, _ := json.Marshal(whole)
	json.Indent(&out, data, "", "  ")
	out.WriteByte('\n')
	return out.Bytes()
}
