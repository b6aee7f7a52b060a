package server

import (
	"time"

	"vestpin/core/addressing"
	"vestpin/core/forwarding"
	"vestpin/core/sheet"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/snag"
	"vestpin/read"
	"vestpin/store"
	"vestpin/write"
)

// Summary is a site in the list of sites.
type Summary struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Subnet  string    `json:"subnet"`
	Devices int       `json:"devices"`
	NeedPin int       `json:"needPin" doc:"Interfaces that want a pin and have none"`
	Stops   int       `json:"stops"`
	Bites   int       `json:"bites"`
	Notes   int       `json:"notes"`
	Changed time.Time `json:"changed"`
}

// RouterState is what the plan takes of a router's form.
type RouterState struct {
	ID           string `json:"id"`
	LinesUsed    int    `json:"linesUsed"`
	Reservations int    `json:"reservations"`
}

// Target is where a forward leads.
type Target struct {
	Forward   string `json:"forward"`
	Address   string `json:"address" doc:"Empty where the interface is loose"`
	Interface string `json:"interface,omitempty"`
}

// Answer is a site with all that is worked out from it.
type Answer struct {
	ID      string        `json:"id"`
	Version int           `json:"version"`
	Site    site.Site     `json:"site"`
	Snags   []snag.Snag   `json:"snags"`
	Sheet   []sheet.Group `json:"sheet"`
	Routers []RouterState `json:"routers"`
	NeedPin []string      `json:"needPin" doc:"Interfaces that want a pin and have none"`
	Ways    []Way         `json:"ways" doc:"How each interface would be pinned"`
	Targets []Target      `json:"targets"`
	// Randomised are the interfaces whose MAC address is made up by the device.
	Randomised []string `json:"randomised"`
	Unmet      []string `json:"unmet" doc:"Services to be opened that nothing leads to yet"`
	Files      []File   `json:"files"`
	Undo       string   `json:"undo" doc:"What undo would take back; empty for nothing"`
	Redo       string   `json:"redo"`
	Done       int      `json:"done" doc:"Steps of the sheet that are done"`
	AllSteps   int      `json:"allSteps"`
}

// Way is how an interface would be pinned if nobody says otherwise.
type Way struct {
	Interface string `json:"interface"`
	By        string `json:"by" enum:"reservation,device"`
}

// File is a file for another program that the site can be written as.
type File struct {
	Name     string `json:"name"`
	FileName string `json:"fileName"`
	For      string `json:"for"`
}

func answer(st store.Stored) Answer {
	v := site.NewView(st.Site)
	a := Answer{
		ID: st.ID, Version: st.Version, Site: st.Site, Snags: snag.Check(v), Sheet: sheet.Steps(v),
		Routers: []RouterState{}, NeedPin: needPin(v), Ways: []Way{}, Targets: []Target{}, Randomised: []string{}, Unmet: []string{}, Undo: st.Undo, Redo: st.Redo,
	}
	if a.Sheet == nil {
		a.Sheet = []sheet.Group{}
	}
	a.Done, a.AllSteps = sheet.Count(a.Sheet)
	for _, r := range v.Routers {
		lines, reservations, _ := forwarding.Lines(v, r)
		a.Routers = append(a.Routers, RouterState{r.ID, len(lines), len(reservations)})
	}
	for _, f := range v.Forwards {
		address, placed := v.Target(f)
		t := Target{Forward: f.ID}
		if address.IsValid() {
			t.Address = address.String()
		}
		if placed != nil {
			t.Interface = placed.Interface.ID
		}
		a.Targets = append(a.Targets, t)
	}
	for _, p := range v.Interfaces() {
		a.Ways = append(a.Ways, Way{p.Interface.ID, addressing.Way(v, *p.Interface)})
		if p.Interface.MAC.Randomised() {
			a.Randomised = append(a.Randomised, p.Interface.ID)
		}
	}
	for _, w := range v.Wishes() {
		if !forwarding.Met(v, w) {
			a.Unmet = append(a.Unmet, w.Service.ID)
		}
	}
	for _, t := range write.Targets {
		a.Files = append(a.Files, File{t.Name, t.FileName, t.For})
	}
	return a
}

func needPin(v site.View) []string {
	out := []string{}
	for _, p := range v.Interfaces() {
		if p.Interface.Pin == nil && v.WantsPin(p) {
			out = append(out, p.Interface.ID)
		}
	}
	return out
}

func summary(st store.Stored) Summary {
	v := site.NewView(st.Site)
	s := Summary{ID: st.ID, Name: st.Site.Name, Devices: len(st.Site.Devices), NeedPin: len(needPin(v)), Changed: st.Changed}
	if len(st.Site.Networks) > 0 {
		s.Subnet = st.Site.Networks[0].Subnet.String()
	}
	for _, sn := range snag.Check(v) {
		switch sn.Weight {
		case snag.Stops:
			s.Stops++
		case snag.Bites:
			s.Bites++
		default:
			s.Notes++
		}
	}
	return s
}

// Preview is what taking a text would do.
type Preview struct {
	Edits    []site.Edit        `json:"edits"`
	Findings []sighting.Finding `json:"findings"`
	Facts    sighting.Facts     `json:"facts"`
	Unread   []read.Unread      `json:"unread" doc:"At most 200 of them"`
	Missed   int                `json:"missed" doc:"How many lines were not understood"`
}

// Taken is an address that an interface cannot have, and why.
type Taken struct {
	Address string `json:"address"`
	Why     string `json:"why"`
}

// largestRoom is the largest subnet whose addresses are listed one by one.
const largestRoom = 1024

// room lists the addresses of its network that an interface cannot be pinned at.
func room(v site.View, p site.Placed, by string) []Taken {
	out := []Taken{}
	n, _ := v.Network(p.Interface.Network)
	if 1<<(32-n.Subnet.Bits()) > largestRoom {
		return out
	}
	for a := n.Subnet.Masked().Addr(); n.Subnet.Contains(a); a = a.Next() {
		if why := addressing.Free(v, p, a, by); why != "" {
			out = append(out, Taken{a.String(), why})
		}
	}
	return out
}
