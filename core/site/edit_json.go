package site

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
)

// EditFormat is the version of the edits as a journal keeps them:
//
//	1  an edit may carry keys that its verb has no use for
//	2  each verb has its own keys and no others
const EditFormat = 2

// EachEdit has an empty edit of each verb, in the order in which they are told.
var EachEdit = []Edit{
	RenameSite{}, PutNetwork{}, RemoveNetwork{}, PutRouter{}, RemoveRouter{}, PutDevice{}, RemoveDevice{}, Describe{}, PutInterface{}, RemoveInterface{},
	PutService{}, RemoveService{}, SetPin{}, SetWants{}, SetOpen{}, PutForward{}, RemoveForward{}, Tick{}, PutVisit{}, RemoveVisit{}, SetMakers{}, SetKinds{}, SetLinks{}, PatchHeld{}, PutProof{}, RemoveProof{},
}

// kinds finds the type of each verb.
var kinds = func() map[string]reflect.Type {
	out := map[string]reflect.Type{}
	for _, e := range EachEdit {
		out[string(e.Verb())] = reflect.TypeOf(e)
	}
	return out
}()

var editType = reflect.TypeFor[Edit]()

// ReadEdits reads a list of edits in JSON that a journal kept in a format. Its
// error is a *Refusal.
func ReadEdits(format int, data []byte) ([]Edit, error) {
	at := &trail{key: "edits"}
	if format < 1 || format > EditFormat {
		return nil, at.refuse(fmt.Sprint("format ", format), fmt.Sprintf("edits of format 1 to %d: a newer program wrote these", EditFormat))
	}
	tree, err := parse(data, "edits")
	if err != nil {
		return nil, err
	}
	if list, ok := tree.([]any); ok && format == 1 {
		for i := range list {
			list[i] = dropUseless(list[i])
		}
	}
	edits := []Edit{}
	return edits, fill(at, tree, reflect.ValueOf(&edits).Elem())
}

// dropUseless leaves out what the first format had and the verb has no use for.
func dropUseless(tree any) any {
	obj, ok := tree.(object)
	if !ok {
		return tree
	}
	do, _ := obj.get("do")
	word, _ := do.(string)
	kind, known := kinds[word]
	if !known {
		return tree
	}
	keys := map[string]bool{"do": true}
	for _, f := range reflect.VisibleFields(kind) {
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		keys[name] = true
	}
	var kept object
	for _, p := range obj {
		if keys[p.key] {
			kept = append(kept, p)
		}
	}
	return kept
}

// fillEdit reads an edit by its verb.
func fillEdit(at *trail, tree any, into reflect.Value) error {
	obj, ok := tree.(object)
	if !ok {
		return wrongType(at, tree, "an edit {…}")
	}
	do, given := obj.get("do")
	if !given {
		return &Refusal{Path: at.field("do").String(), Want: "a verb such as pin, open or put-device: nothing stands there"}
	}
	word, ok := do.(string)
	if !ok {
		return wrongType(at.field("do"), do, "text in quotes")
	}
	kind, known := kinds[word]
	if !known {
		return at.field("do").refuse(word, "a known verb such as pin, open or put-device")
	}
	e := reflect.New(kind).Elem()
	var rest object
	for _, p := range obj {
		if p.key != "do" {
			rest = append(rest, p)
		}
	}
	if err := fillStruct(at, rest, e); err != nil {
		return err
	}
	into.Set(e)
	return nil
}

// Edits is a list of edits; JSON has each with its verb under "do".
type Edits []Edit

// MarshalJSON writes the edits as ReadEdits reads them.
func (list Edits) MarshalJSON() ([]byte, error) {
	if list == nil {
		return []byte("null"), nil
	}
	out := []byte{'['}
	for i, e := range list {
		data, err := Written{e}.MarshalJSON()
		if err != nil {
			return nil, err
		}
		if i > 0 {
			out = append(out, ',')
		}
		out = append(out, data...)
	}
	return append(out, ']'), nil
}

// Written is an edit as JSON has it.
type Written struct{ Edit }

// MarshalJSON puts the verb in front of an edit's own fields, and every list there.
func (w Written) MarshalJSON() ([]byte, error) {
	data, err := json.Marshal(wholeEdit(w.Edit))
	if err != nil {
		return nil, err
	}
	head := `{"do":"` + string(w.Verb()) + `"`
	if len(data) > 2 {
		head += ","
	}
	return append([]byte(head), data[1:]...), nil
}

// MarshalJSON writes a change with its edit.
func (c Change) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		Edit Written `json:"edit"`
		Why  string  `json:"why"`
	}{Written{c.Edit}, c.Why})
}

func wholeEdit(e Edit) Edit {
	switch e := e.(type) {
	case PutNetwork:
		return PutNetwork{e.Network.whole(), e.At}
	case PutRouter:
		return PutRouter{e.Router.whole(), e.At}
	case PutDevice:
		return PutDevice{e.Device.whole(), e.At}
	case PutInterface:
		return PutInterface{e.ID, e.Interface.whole(), e.At}
	case PutService:
		return PutService{e.ID, e.Service.whole(), e.At}
	case PutForward:
		return PutForward{e.Forward.whole(), e.At}
	case PutVisit:
		return PutVisit{e.Visit.whole(), e.At}
	case PutProof:
		return PutProof{e.Proof.whole(), e.At}
	case SetMakers:
		return SetMakers{present(e.Makers)}
	case PatchHeld:
		return PatchHeld{e.ID, eachWhole(e.Drop, HeldForward.whole), eachWhole(e.Add, HeldForward.whole)}
	case SetKinds:
		return SetKinds{eachWhole(e.Kinds, Kind.Whole)}
	case SetLinks:
		return SetLinks{present(e.Links)}
	case SetOpen:
		return SetOpen{e.ID, e.Open.whole()}
	}
	return e
}
