package server

import (
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// anyEdit stands for edit.Edit in the description of the interface: one of the
// edits, told apart by "do".
type anyEdit struct{}

// Schema gives a schema for each verb, and one of them.
func (anyEdit) Schema(r huma.Registry) *huma.Schema {
	const name, prefix = "Edit", "#/components/schemas/"
	if r.Map()[name] == nil {
		one := &huma.Schema{Discriminator: &huma.Discriminator{PropertyName: "do", Mapping: map[string]string{}}}
		r.Map()[name] = one
		for _, e := range edit.Each {
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

// anyWord stands for a word of a site in the description of the interface.
type anyWord[W interface{ Words() []string }] struct{}

// Schema lists the words.
func (anyWord[W]) Schema(huma.Registry) *huma.Schema {
	var w W
	s := &huma.Schema{Type: "string"}
	for _, word := range w.Words() {
		s.Enum = append(s.Enum, word)
	}
	return s
}

// word describes a kind of words.
func word[W interface{ Words() []string }](r huma.Registry) {
	r.RegisterTypeAlias(reflect.TypeFor[W](), reflect.TypeFor[anyWord[W]]())
}

// words describes all kinds of words that a site has.
func words(r huma.Registry) {
	for _, describe := range []func(huma.Registry){
		word[site.OnOff], word[site.YesNo], word[site.WANKind], word[site.PortsPerLine], word[site.Renumbering], word[site.SourceLimit],
		word[site.ReservationPlace], word[site.FieldIs], word[site.FieldPart], word[site.Alphabet], word[site.Wants], word[site.PinBy],
		word[site.LinkEnd], word[site.KindPort], word[site.Risk], word[site.Checker], word[site.TriedFrom], word[site.AddressBy],
		word[site.Answered], word[site.StoodIn], word[site.Answer], word[site.TryResult], word[site.TriedBy],
	} {
		describe(r)
	}
}
