package edit

import (
	"encoding/json"
	"fmt"
	"reflect"

	"vestpin/core/site"
	"vestpin/core/strict"
)

// Format is the version of the edits as a journal keeps them:
//
//	1  an edit may carry keys that its verb has no use for
//	2  each verb has its own keys and no others
const Format = 2

// Each has an empty edit of each verb, in the order in which they are told.
var Each = []Edit{
	RenameSite{}, PutNetwork{}, RemoveNetwork{}, PutRouter{}, RemoveRouter{}, PutDevice{}, RemoveDevice{}, Describe{}, PutInterface{}, RemoveInterface{},
	PutService{}, RemoveService{}, SetPin{}, SetWants{}, SetOpen{}, PutForward{}, RemoveForward{}, Tick{}, PutVisit{}, RemoveVisit{}, SetMakers{}, SetKinds{}, SetLinks{}, PatchHeld{}, PutProof{}, RemoveProof{},
}

// union tells how the edits of a format are read.
func union(format int) strict.Union {
	u := strict.Union{Interface: reflect.TypeFor[Edit](), Key: "do", Types: map[string]reflect.Type{}, Noun: "an edit", Want: "a verb such as pin, open or put-device", Surplus: format == 1}
	for _, e := range Each {
		u.Types[string(e.Verb())] = reflect.TypeOf(e)
	}
	return u
}

// Read reads a list of edits in JSON that a journal kept in a format. Its error is a
// *strict.Refusal.
func Read(format int, data []byte) ([]Edit, error) {
	if format < 1 || format > Format {
		return nil, strict.At("edits").Refuse(fmt.Sprint("format ", format), fmt.Sprintf("edits of format 1 to %d: a newer program wrote these", Format))
	}
	edits := []Edit{}
	return edits, strict.Decode(data, "edits", &edits, union(format))
}

// now tells how the edits of today's format are read.
var now = union(Format)

// Decode reads JSON that may hold edits, as strict.Decode does.
func Decode(data []byte, root string, into any) error {
	return strict.Decode(data, root, into, now)
}

// List is a list of edits; JSON has each with its verb under "do".
type List []Edit

// MarshalJSON writes the edits as Read reads them.
func (list List) MarshalJSON() ([]byte, error) {
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
		return PutNetwork{e.Network.Whole(), e.At}
	case PutRouter:
		return PutRouter{e.Router.Whole(), e.At}
	case PutDevice:
		return PutDevice{e.Device.Whole(), e.At}
	case PutInterface:
		return PutInterface{e.ID, e.Interface.Whole(), e.At}
	case PutService:
		return PutService{e.ID, e.Service.Whole(), e.At}
	case PutForward:
		return PutForward{e.Forward.Whole(), e.At}
	case PutVisit:
		return PutVisit{e.Visit.Whole(), e.At}
	case PutProof:
		return PutProof{e.Proof.Whole(), e.At}
	case SetMakers:
		return SetMakers{site.Present(e.Makers)}
	case PatchHeld:
		return PatchHeld{e.ID, site.EachWhole(e.Drop, site.HeldForward.Whole), site.EachWhole(e.Add, site.HeldForward.Whole)}
	case SetKinds:
		return SetKinds{site.EachWhole(e.Kinds, site.Kind.Whole)}
	case SetLinks:
		return SetLinks{site.Present(e.Links)}
	case SetOpen:
		return SetOpen{e.ID, e.Open.Whole()}
	}
	return e
}
