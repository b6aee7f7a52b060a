package site

import (
	"bytes"
	"encoding/json"
	"unicode/utf8"
)

// Format is the name and version of the site file.
const Format = "vestpin-site/1"

type file struct {
	Format string `json:"format"`
	Site
}

// Read reads a site file (JSON, UTF-8, a leading byte order mark is passed
// over). Its error is a *Refusal with the JSON path of the first fault.
func Read(data []byte) (Site, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	if !utf8.Valid(data) {
		return Site{}, &Refusal{Path: "$", Want: "a site file: JSON in UTF-8"}
	}
	var f file
	if err := DecodeStrict(data, "$", &f); err != nil {
		return Site{}, err
	}
	at := &trail{key: "$"}
	if f.Format != Format {
		return Site{}, at.field("format").refuse(f.Format, `"`+Format+`"`)
	}
	f.Routers = eachWhole(f.Routers, Router.whole)
	return f.Site, check(at, f.Site)
}

// Write gives the site file, indented, with a line break at its end.
func Write(s Site) []byte {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	if err := enc.Encode(file{Format, s.Whole()}); err != nil {
		panic(err) // a Site holds nothing that JSON cannot
	}
	return b.Bytes()
}
