package edit

import (
	"slices"

	"vestpin/core/strict"

	"vestpin/core/site"
)

// SetLinks gives the whole list of links with other sites.
type SetLinks struct {
	Links []site.Link `json:"links"`
}

// Verb is "links".
func (SetLinks) Verb() Verb { return "links" }

// Touches the list of links.
func (SetLinks) Touches() []Touch { return []Touch{{"site", "links"}} }

func (e SetLinks) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	back := SetLinks{d.Links}
	d.Links = site.Present(slices.Clone(e.Links))
	delete(d.copied, "links")
	return []Edit{back}, nil
}

// dropLinks takes away the links that match, and gives the edit that brings them back.
func (d *draft) dropLinks(match func(site.Link) bool) []Edit {
	if !slices.ContainsFunc(d.Links, match) {
		return nil
	}
	back := SetLinks{d.Links}
	d.Links = slices.DeleteFunc(slices.Clone(d.Links), match)
	delete(d.copied, "links")
	return []Edit{back}
}
