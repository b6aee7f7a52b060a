// Package demo holds made-up sites and captures to try the program with.
package demo

import (
	"embed"
	"errors"
	"io/fs"

	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/sim"
)

//go:embed sites/*.json networks/*.json
var files embed.FS

// Site is one demo site and the id it is kept under.
type Site struct {
	ID   string
	Site site.Site
}

// Sites gives the demo sites, the main one last, so that it is the newest.
func Sites() ([]Site, error) {
	out := []Site{{"works", Large()}}
	for _, id := range []string{"farm", "flat", "pottery"} {
		data, err := fs.ReadFile(files, "sites/"+id+".json")
		if err != nil {
			return nil, err
		}
		s, err := sitefile.Read(data)
		if err != nil {
			return nil, err
		}
		out = append(out, Site{id, s})
	}
	return out, nil
}

// Network gives the made-up network that a demo site's laptop is attached to, nil
// for other sites.
func Network(id string) (*sim.World, error) {
	data, err := fs.ReadFile(files, "networks/"+id+".json")
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return sim.Read(data)
}
