package store

import (
	"fmt"

	"vestpin/core/site"
)

// Title says in a few words what a batch of edits does, for the journal and the
// undo button.
func Title(s site.Site, edits []site.Edit) string {
	if len(edits) == 0 {
		return "nothing"
	}
	v := site.NewView(s)
	first := titleOf(v, edits[0])
	if len(edits) > 1 {
		return fmt.Sprintf("%s and %d more", first, len(edits)-1)
	}
	return first
}

func titleOf(v site.View, e site.Edit) string {
	device := func(id string) string {
		for _, d := range v.Devices {
			if d.ID == id {
				return d.Label()
			}
		}
		return "a device"
	}
	forward := func(id string) string {
		for _, f := range v.Forwards {
			if f.ID == id && f.Name != "" {
				return f.Name
			}
		}
		return "a forward"
	}
	switch e := e.(type) {
	case site.RenameSite:
		return "rename the site"
	case site.PutNetwork, site.RemoveNetwork:
		return "change the network"
	case site.PutRouter, site.RemoveRouter:
		return "change the router"
	case site.PutDevice:
		return "enter " + e.Device.Label()
	case site.RemoveDevice:
		return "remove " + device(e.ID)
	case site.Describe:
		if e.Name != nil {
			return "name " + *e.Name
		}
		return "describe " + device(e.ID)
	case site.PutInterface, site.RemoveInterface:
		return "change an interface"
	case site.PutService, site.RemoveService:
		return "change a service"
	case site.SetPin:
		return titleOfPin(v, e)
	case site.SetWants:
		return "say what wants a pin"
	case site.SetOpen:
		w, ok := v.Service(e.ID)
		switch {
		case ok && e.Open == nil:
			return "keep " + w.Label() + " inside"
		case ok:
			return "open " + w.Label()
		}
		return "open a service"
	case site.PutForward:
		if e.Forward.Name != "" {
			return "forward " + e.Forward.Name
		}
		return "forward " + e.Forward.Outside.String()
	case site.RemoveForward:
		return "remove " + forward(e.ID)
	case site.PutVisit:
		if e.Visit.Until != "" {
			return "finish the visit"
		}
		return "begin a visit"
	case site.RemoveVisit:
		return "remove a visit"
	case site.PutProof:
		return "keep what was tried"
	case site.RemoveProof:
		return "forget what was tried"
	case site.SetMakers:
		return "change the makers"
	case site.PatchHeld:
		return "note what the router holds"
	case site.SetLinks:
		return "change the links"
	case site.SetKinds:
		return "change the kinds of device"
	case site.Tick:
		return "tick a step"
	}
	return string(e.Verb())
}

func titleOfPin(v site.View, e site.SetPin) string {
	p, ok := v.Interface(e.ID)
	switch {
	case ok && e.Pin == nil:
		return "make " + p.Label() + " loose"
	case ok:
		return fmt.Sprintf("pin %s at %s", p.Label(), e.Pin.Address)
	}
	return "pin an interface"
}
