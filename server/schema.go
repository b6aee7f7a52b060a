package server

import (
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/site"
)

// anyEdit stands for site.Edit in the description of the interface: one of the
// edits, told apart by "do".
type anyEdit struct{}

// Schema gives a schema for each verb, and one of them.
func (anyEdit) Schema(r huma.Registry) *huma.Schema {
	const name, prefix = "Edit", "#/components/schemas/"
	if r.Map()[name] == nil {
		one := &huma.Schema{Discriminator: &huma.Discriminator{PropertyName: "do", Mapping: map[string]string{}}}
		r.Map()[name] = one
		for _, e := range site.EachEdit {
			t := reflect.TypeOf(e)
			ref := r.Schema(t, true, t.Name())
			s := r.Map()[strings.TrimPrefix(ref.Ref, prefix)]
			if s.Properties["do"] == nil {
				s.Properties["do"] = &huma.Schema{Type: "string", Enum: []any{string(e.Verb())}}
				s.Required = append(s.Required, "do")
			}
			one.OneOf = append(one.OneOf, ref)
			one.Discriminator.Mapping[string(e.Verb())] = ref.Ref
		}
	}
	return &huma.Schema{Ref: prefix + name}
}

// anyProtocol stands for site.Protocol in the description of the interface.
type anyProtocol struct{}

// Schema names the three words.
func (anyProtocol) Schema(r huma.Registry) *huma.Schema {
	const name = "Protocol"
	if r.Map()[name] == nil {
		r.Map()[name] = &huma.Schema{Type: "string", Enum: []any{string(site.TCP), string(site.UDP), string(site.Both)}}
	}
	return &huma.Schema{Ref: "#/components/schemas/" + name}
}
