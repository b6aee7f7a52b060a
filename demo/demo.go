// Package demo holds made-up sites and captures to try the program with.
package demo

import (
	"embed"
	"io/fs"

	"vestpin/core/site"
)

//go:embed sites/*.json
var files embed.FS

// Site is one demo site and the id it is kept under.
type Site struct {
	ID   string
	Site site.Site
}

// Sites gives the demo sites, the main one last, so that it is the newest.
func Sites() ([]Site, error) {
	var out []Site
	for _, id := range []string{"flat", "pottery"} {
		data, err := fs.ReadFile(files, "sites/"+id+".json")
		if err != nil {
			return nil, err
		}
		s, err := site.Read(data)
		if err != nil {
			return nil, err
		}
		out = append(out, Site{id, s})
	}
	return out, nil
}
