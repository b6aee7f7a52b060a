// Package sitefile reads and writes the file of a site.
package sitefile

import (
	"bytes"
	"encoding/json"
	"unicode/utf8"

	"vestpin/core/plain"
	"vestpin/core/site"
	"vestpin/core/strict"
)

// Format is the name and version of the site file.
const Format = "vestpin-site/1"

type file struct {
	Format string `json:"format"`
	site.Site
}

// Read reads a site file (JSON, UTF-8, a leading byte order mark is passed
// over). Its error is a *strict.Refusal with the JSON path of the first fault.
func Read(data []byte) (site.Site, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if !utf8.Valid(data) {
		return site.Site{}, &strict.Refusal{Path: "$", Want: "a site file: JSON in UTF-8"}
	}
	var f file
	if err := strict.Decode(data, "$", &f); err != nil {
		return site.Site{}, err
	}
	at := strict.At("$")
	if f.Format != Format {
		return site.Site{}, at.Field("format").Refuse(f.Format, `"`+Format+`"`)
	}
	f.Routers = site.EachWhole(f.Routers, site.Router.Whole)
	return f.Site, site.CheckAt(at, f.Site)
}

// Write gives the site file, indented, with a line break at its end.
func Write(s site.Site) []byte {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	if err := enc.Encode(file{Format, s.Whole()}); err != nil {
		panic(err) // a Site holds nothing that JSON cannot
	}
	return plain.JSON(b.Bytes())
}
