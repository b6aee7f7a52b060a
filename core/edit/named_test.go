package edit

import (
	"reflect"
	"testing"

	"vestpin/core/site"
)

// What is added without an id gets one that nothing else has, also of the same batch, and
// the edits that were given stay as they are.
func TestNamed(t *testing.T) {
	s := site.Site{
		Networks: []site.Network{{ID: "main"}, {ID: "net3"}},
		Devices:  []site.Device{{ID: "d2", Interfaces: []site.Interface{{ID: "d2.0"}}, Services: []site.Service{{ID: "d2.s1"}}}},
	}
	edits := []Edit{
		PutDevice{Device: site.Device{Interfaces: []site.Interface{{Network: "main"}, {Network: "main"}}, Services: []site.Service{{Name: "web"}}}},
		PutDevice{Device: site.Device{ID: "d3"}},
		PutDevice{Device: site.Device{}},
		PutInterface{ID: "d2", Interface: site.Interface{}},
		PutService{ID: "d2", Service: site.Service{}},
		PutForward{Forward: site.Forward{}}, PutForward{Forward: site.Forward{}},
		PutNetwork{Network: site.Network{}}, PutRouter{Router: site.Router{}},
		SetPin{ID: "d2.0"},
	}
	named, made := Named(s, edits)
	want := []site.Ref{"device:d4", "interface:d4.0", "interface:d4.1", "service:d4.s1", "device:d5", "interface:d2.1", "service:d2.s2", "forward:f1", "forward:f2", "network:net4", "router:router1"}
	if !reflect.DeepEqual(made, want) {
		t.Errorf("made %v, want %v", made, want)
	}
	if got := named[0].(PutDevice).Device; got.Services[0].Interface != "d4.0" {
		t.Errorf("the service of a new device is on %q", got.Services[0].Interface)
	}
	if got := named[4].(PutService).Service.Interface; got != "d2.0" {
		t.Errorf("a service of a known device is on %q", got)
	}
	if given := edits[0].(PutDevice).Device; given.ID != "" || given.Interfaces[0].ID != "" || given.Services[0].ID != "" {
		t.Errorf("the edit that was given is changed: %+v", given)
	}
	if again, made := Named(s, named); !reflect.DeepEqual(again, named) || len(made) != 0 {
		t.Errorf("named twice: %v", made)
	}
}
