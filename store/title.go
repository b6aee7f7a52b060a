package store

import (
	"fmt"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// Title says in a few words what a batch of edits does, for the journal and the
// undo button.
func Title(s site.Site, edits []edit.Edit) string {
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

func titleOf(v site.View, e edit.Edit) string {
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
	case edit.RenameSite:
		return "rename the site"
	case edit.PutNetwork, edit.RemoveNetwork:
		return "change the network"
	case edit.PutRouter, edit.RemoveRouter:
		return "change the router"
	case edit.PutDevice:
		return "enter " + e.Device.Label()
	case edit.RemoveDevice:
		return "remove " + device(e.ID)
	case edit.Describe:
		if e.Name != nil {
			return "name " + *e.Name
		}
		return "describe " + device(e.ID)
	case edit.PutInterface, edit.RemoveInterface:
		return "change an interface"
	case edit.PutService, edit.RemoveService:
		return "change a service"
	case edit.SetPin:
		return titleOfPin(v, e)
	case edit.SetWants:
		return "say what wants a pin"
	case edit.SetOpen:
		w, ok := v.Service(e.ID)
		switch {
		case ok && e.Open == nil:
			return "keep " + w.Label() + " inside"
		case ok:
			return "open " + w.Label()
		}
		return "open a service"
	case edit.PutForward:
		if e.Forward.Name != "" {
			return "forward " + e.Forward.Name
		}
		return "forward " + e.Forward.Outside.String()
	case edit.RemoveForward:
		return "remove " + forward(e.ID)
	case edit.PutVisit:
		if e.Visit.Until != "" {
			return "finish the visit"
		}
		return "begin a visit"
	case edit.RemoveVisit:
		return "remove a visit"
	case edit.PutProof:
		return "keep what was tried"
	case edit.RemoveProof:
		return "forget what was tried"
	case edit.SetMakers:
		return "change the makers"
	case edit.PatchHeld:
		return "note what the router holds"
	case edit.SetLinks:
		return "change the links"
	case edit.SetKinds:
		return "change the kinds of device"
	case edit.Tick:
		return "tick a step"
	}
	return string(e.Verb())
}

func titleOfPin(v site.View, e edit.SetPin) string {
	p, ok := v.Interface(e.ID)
	switch {
	case ok && e.Pin == nil:
		return "make " + p.Label() + " loose"
	case ok:
		return fmt.Sprintf("pin %s at %s", p.Label(), e.Pin.Address)
	}
	return "pin an interface"
}
