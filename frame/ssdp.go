package frame

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"net/textproto"
	"strings"

	"vestpin/core/site"
)

const portSSDP = 1900

// SSDP is a message of the simple service discovery protocol (UPnP Device
// Architecture, section 1).
type SSDP struct {
	Search   bool // it asks
	Type     string
	Server   string
	Location string // of the description document
}

// AskSSDP is the question to all devices.
const AskSSDP = "M-SEARCH * HTTP/1.1\r\nHOST: 239.255.255.250:1900\r\nMAN: \"ssdp:discover\"\r\nMX: 1\r\nST: ssdp:all\r\n\r\n"

// ParseSSDP reads a message; headers come in any order and case.
func ParseSSDP(b []byte) (SSDP, bool) {
	r := textproto.NewReader(bufio.NewReader(bytes.NewReader(b[:min(len(b), 4096)])))
	first, err := r.ReadLine()
	if err != nil || !strings.Contains(first, "HTTP/1.") {
		return SSDP{}, false
	}
	h, _ := r.ReadMIMEHeader() // what was readable counts
	m := SSDP{Search: strings.HasPrefix(first, "M-SEARCH"), Type: h.Get("St"), Server: h.Get("Server"), Location: h.Get("Location")}
	if m.Type == "" {
		m.Type = h.Get("Nt")
	}
	return m, true
}

// Traits are what the message tells of its sender.
func (m SSDP) Traits() []site.Trait {
	out := AddTrait(nil, site.TraitServer, m.Server)
	if t := deviceType(m.Type); t != "" {
		out = AddTrait(out, site.TraitType, t)
	}
	return out
}

// deviceType finds the word in "urn:schemas-upnp-org:device:MediaRenderer:1".
func deviceType(urn string) string {
	_, rest, ok := strings.Cut(urn, ":device:")
	if !ok {
		return ""
	}
	word, _, _ := strings.Cut(rest, ":")
	return word
}

// Description is what a device's description document says of it (UPnP Device
// Architecture, section 2.3).
type Description struct{ Type, Name, Maker, Model string }

// deepest is how many levels a document may have.
const deepest = 30

var errDeep = errors.New("the document has too many levels")

// ParseDescription reads a description document. Documents with entities of
// their own, or more levels than anybody needs, are refused; what comes before
// the fault counts.
func ParseDescription(r io.Reader) (Description, error) {
	var d Description
	fields := map[string]*string{"deviceType": &d.Type, "friendlyName": &d.Name, "manufacturer": &d.Maker, "modelName": &d.Model}
	err := eachText(r, func(name, text string) {
		if to := fields[name]; to != nil && *to == "" {
			*to = Plain(text)
		}
	})
	d.Type = deviceType(d.Type)
	return d, err
}

// eachText gives each element's name and text.
func eachText(r io.Reader, take func(name, text string)) error {
	dec := xml.NewDecoder(r)
	var path []string
	for {
		t, err := dec.Token()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		switch t := t.(type) {
		case xml.StartElement:
			if path = append(path, t.Name.Local); len(path) > deepest {
				return errDeep
			}
		case xml.EndElement:
			path = path[:len(path)-1]
		case xml.CharData:
			if len(path) > 0 && len(t) <= 4096 {
				take(path[len(path)-1], string(t))
			}
		}
	}
}

// AskDiscovery builds the probe of WS-Discovery (OASIS, version 1.1) as devices
// of the older 2005 version know it too.
func AskDiscovery(id string) []byte {
	return []byte(`<?xml version="1.0" encoding="utf-8"?><e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope" xmlns:a="http://schemas.xmlsoap.org/ws/2004/08/addressing" xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/discovery"><e:Header><a:MessageID>urn:uuid:` + id +
		`</a:MessageID><a:To>urn:schemas-xmlsoap-org:ws:2005:04:discovery</a:To><a:Action>http://schemas.xmlsoap.org/ws/2005/04/discovery/Probe</a:Action></e:Header><e:Body><d:Probe/></e:Body></e:Envelope>`)
}

// ParseDiscovery reads the answer to a WS-Discovery probe: the types, without
// their prefixes, and of the scopes the name and the hardware where they are
// given.
func ParseDiscovery(b []byte) ([]site.Trait, bool) {
	var out []site.Trait
	matched := false
	_ = eachText(bytes.NewReader(b[:min(len(b), 16<<10)]), func(name, text string) {
		switch name {
		case "Types":
			matched = true
			for _, t := range strings.Fields(text) {
				_, word, ok := strings.Cut(t, ":")
				if !ok {
					word = t
				}
				out = AddTrait(out, site.TraitType, word)
			}
		case "Scopes":
			for _, s := range strings.Fields(text) {
				if i := strings.Index(s, "/hardware/"); i >= 0 {
					out = AddTrait(out, site.TraitModel, s[i+len("/hardware/"):])
				}
			}
		}
	})
	return out, matched
}
