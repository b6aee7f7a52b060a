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

// Edits has an empty edit of each verb, in the order in which they are told.
var Edits = []Edit{
	RenameSite{}, PutNetwork{}, RemoveNetwork{}, PutRouter{}, RemoveRouter{}, PutDevice{}, RemoveDevice{}, Describe{}, PutInterface{}, RemoveInterface{},
	PutService{}, RemoveService{}, SetPin{}, SetWants{}, SetOpen{}, PutForward{}, RemoveForward{}, Tick{}, PutVisit{}, RemoveVisit{}, SetMakers{},
}

// kinds finds the type of each verb.
var kinds = func() map[string]reflect.Type {
	out := map[string]reflect.Type{}
	for _, e := range Edits {
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

// tagged puts the verb in front of an edit's own fields.
func tagged(do Verb, fields any) ([]byte, error) {
	data, err := json.Marshal(fields)
	if err != nil {
		return nil, err
	}
	head := `{"do":"` + string(do) + `"`
	if len(data) > 2 {
		head += ","
	}
	return append([]byte(head), data[1:]...), nil
}

// MarshalJSON of each edit writes its verb under "do" and every list.
func (e RenameSite) MarshalJSON() ([]byte, error) {
	type fields RenameSite
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e PutNetwork) MarshalJSON() ([]byte, error) {
	type fields PutNetwork
	e.Network = e.Network.whole()
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e RemoveNetwork) MarshalJSON() ([]byte, error) {
	type fields RemoveNetwork
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e PutRouter) MarshalJSON() ([]byte, error) {
	type fields PutRouter
	e.Router = e.Router.whole()
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e RemoveRouter) MarshalJSON() ([]byte, error) {
	type fields RemoveRouter
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e PutForward) MarshalJSON() ([]byte, error) {
	type fields PutForward
	e.Forward = e.Forward.whole()
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e RemoveForward) MarshalJSON() ([]byte, error) {
	type fields RemoveForward
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e Tick) MarshalJSON() ([]byte, error) {
	type fields Tick
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e PutVisit) MarshalJSON() ([]byte, error) {
	type fields PutVisit
	e.Visit = e.Visit.whole()
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e RemoveVisit) MarshalJSON() ([]byte, error) {
	type fields RemoveVisit
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e SetMakers) MarshalJSON() ([]byte, error) {
	type fields SetMakers
	e.Makers = present(e.Makers)
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e PutDevice) MarshalJSON() ([]byte, error) {
	type fields PutDevice
	e.Device = e.Device.whole()
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e RemoveDevice) MarshalJSON() ([]byte, error) {
	type fields RemoveDevice
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e Describe) MarshalJSON() ([]byte, error) {
	type fields Describe
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e PutInterface) MarshalJSON() ([]byte, error) {
	type fields PutInterface
	e.Interface = e.Interface.whole()
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e RemoveInterface) MarshalJSON() ([]byte, error) {
	type fields RemoveInterface
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e SetPin) MarshalJSON() ([]byte, error) {
	type fields SetPin
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e SetWants) MarshalJSON() ([]byte, error) {
	type fields SetWants
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e PutService) MarshalJSON() ([]byte, error) {
	type fields PutService
	e.Service = e.Service.whole()
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e RemoveService) MarshalJSON() ([]byte, error) {
	type fields RemoveService
	return tagged(e.Verb(), fields(e))
}

// MarshalJSON writes "do" and the fields.
func (e SetOpen) MarshalJSON() ([]byte, error) {
	type fields SetOpen
	e.Open = e.Open.whole()
	return tagged(e.Verb(), fields(e))
}
