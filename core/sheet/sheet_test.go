package sheet

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

const plan = `{"format":"vestpin-site/1","name":"x",
 "networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1","dns":["10.48.16.1","192.0.2.53"]}],
 "routers":[{"id":"edge","name":"Router","network":"main","upnp":"on","form":{"portsPerLine":"range","renumber":"one","protocols":["tcp","udp"],"limitsSender":"network"}}],
 "devices":[
  {"id":"rec","name":"Gallery recorder","place":"office","interfaces":[{"id":"rec.0","network":"main","mac":"00:00:5e:00:53:21","pin":{"address":"10.48.16.20"}}]},
  {"id":"cam","name":"Kamera Küche","place":"yard","interfaces":[{"id":"cam.0","network":"main","mac":"00:00:5e:00:53:22","pin":{"address":"10.48.16.21","by":"both"}}]},
  {"id":"sw","name":"Switch","place":"office","interfaces":[{"id":"sw.0","network":"main","pin":{"address":"10.48.16.5","by":"device"}}]}],
 "forwards":[{"id":"f1","name":"Recorder calls","router":"edge","protocol":"both","outside":"5060","to":"rec.0","from":["198.51.100.0/24"]},
  {"id":"f2","name":"Camera page","router":"edge","protocol":"tcp","outside":"8021","to":"cam.0","inside":"80"},
  {"id":"off","router":"edge","enabled":false,"protocol":"tcp","outside":"9","to":"cam.0"}]}`

func read(t *testing.T, text string) site.Site {
	t.Helper()
	s, err := sitefile.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// lines writes a sheet in short: a group, then its steps with their values.
func lines(groups []Group) []string {
	var out []string
	for _, g := range groups {
		out = append(out, g.Title)
		for _, s := range g.Steps {
			var values []string
			for _, f := range s.Fields {
				values = append(values, f.Value)
			}
			out = append(out, fmt.Sprintf("%s %s: %s", s.ID, s.State, strings.Join(values, " ")))
		}
	}
	return out
}

func TestSteps(t *testing.T) {
	s := read(t, plan)
	want := []string{
		"At the router: clear the way",
		"upnp:edge todo: ",
		"At the router: reserve addresses",
		"reserve:rec.0 todo: gallery-recorder 00:00:5E:00:53:21 10.48.16.20",
		"reserve:cam.0 todo: kamera-kueche 00:00:5E:00:53:22 10.48.16.21",
		"In the office: set addresses on the devices",
		"device:sw.0 todo: 10.48.16.5 255.255.255.0 10.48.16.1 10.48.16.1 192.0.2.53",
		"In the yard: set addresses on the devices",
		"device:cam.0 todo: 10.48.16.21 255.255.255.0 10.48.16.1 10.48.16.1 192.0.2.53",
		"At the router: forward ports",
		"line:f1:1 todo: recorder-calls 5060 5060 TCP 10.48.16.20 5060 198.51.100.0/24",
		"line:f1:2 todo: recorder-calls-2 5060 5060 UDP 10.48.16.20 5060 198.51.100.0/24",
		"line:f2:1 todo: camera-page 8021 8021 TCP 10.48.16.21 80",
		"Restart in the right order",
		"restart:router todo: ",
		"restart:devices todo: ",
	}
	if got := lines(Steps(site.NewView(s))); !slices.Equal(got, want) {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// tick ticks every step of a sheet.
func tick(t *testing.T, s site.Site) site.Site {
	t.Helper()
	var edits []edit.Edit
	for _, g := range Steps(site.NewView(s)) {
		for _, st := range g.Steps {
			edits = append(edits, edit.Tick{ID: st.ID, Done: &site.Done{Step: st.ID, At: "2026-11-23T09:42:00Z", Values: st.Values}})
		}
	}
	next, _, err := edit.Apply(s, edits)
	if err != nil {
		t.Fatal(err)
	}
	return next
}

func TestTickedStepsOutliveThePlan(t *testing.T) {
	s := tick(t, read(t, plan))
	if done, all := Count(Steps(site.NewView(s))); done != 10 || all != 10 {
		t.Fatalf("%d of %d done", done, all)
	}
	pin := &site.Pin{Address: s.Devices[0].Interfaces[0].Pin.Address.Next().Next(), By: site.ByReservation}
	s, _, err := edit.Apply(s, []edit.Edit{edit.SetPin{ID: "rec.0", Pin: pin}, edit.RemoveForward{ID: "f2"}})
	if err != nil {
		t.Fatal(err)
	}
	states := map[string]string{}
	for _, g := range Steps(site.NewView(s)) {
		for _, st := range g.Steps {
			states[st.ID] = g.ID + " " + st.State + " " + st.Was
		}
	}
	for id, want := range map[string]string{
		"reserve:rec.0": "reserve:edge again Name gallery-recorder, MAC 00:00:5E:00:53:21, IP 10.48.16.20",
		"line:f1:1":     "forward:edge again Service recorder-calls, From port 5060, To port 5060, Protocol TCP, Device 10.48.16.20, Its port 5060, Only from 198.51.100.0/24",
		"device:sw.0":   "devices:office done ",
		"line:f2:1":     "out todo Service camera-page, From port 8021, To port 8021, Protocol TCP, Device 10.48.16.21, Its port 80",
	} {
		if states[id] != want {
			t.Errorf("%s: %q, want %q", id, states[id], want)
		}
	}
}

// The exposed host is a step as any other: ticked, asked for again where it changes, and taken
// out where nobody is exposed any more.
func TestExposedHostIsAStep(t *testing.T) {
	s := read(t, strings.Replace(plan, `"upnp":"on"`, `"upnp":"off","exposedHost":"rec.0"`, 1))
	state := func() string {
		for _, g := range Steps(site.NewView(s)) {
			for _, st := range g.Steps {
				if st.ID == "exposed:edge" {
					return fmt.Sprint(g.ID, " ", st.State, " ", st.Fields)
				}
			}
		}
		return "none"
	}
	expect := func(want string) {
		t.Helper()
		if got := state(); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
	expect("forward:edge todo [{Exposed host 10.48.16.20 }]")
	s = tick(t, s)
	expect("forward:edge done [{Exposed host 10.48.16.20 }]")
	s.Routers[0].ExposedHost = "cam.0"
	expect("forward:edge again [{Exposed host 10.48.16.21 }]")
	s.Routers[0].ExposedHost = ""
	expect("out todo []")
}

func TestHostName(t *testing.T) {
	for name, want := range map[string]string{
		"Gallery recorder": "gallery-recorder", "Küche/Ofen #2": "kueche-ofen-2", "a\nb": "a-b", "--": "device", "": "device", "مسجل": "device", strings.Repeat("long ", 30): "long-long-long-long-long-long-long-long-long-long-long-long-lon",
	} {
		if got := form.HostName(name); got != want || len(got) > 63 {
			t.Errorf("%q: got %q, want %q", name, got, want)
		}
	}
}

// What a device calls at another site is typed into it; once the link is gone, it is taken out.
func TestDial(t *testing.T) {
	s := read(t, plan)
	s.Links = []site.Link{
		{ID: "l", End: site.Calls, Interface: "cam.0", Far: site.Far{Name: "Hall", Dial: "hall.example.net:7001/udp 198.51.100.7:80/tcp"}},
		{ID: "m", End: site.Calls, Interface: "rec.0"}, // not known yet
	}
	find := func(s site.Site, id string) *Step {
		for _, g := range Steps(site.NewView(s)) {
			for _, st := range g.Steps {
				if st.ID == id {
					return &st
				}
			}
		}
		return nil
	}
	got := find(s, "dial:l")
	if got == nil || got.Title != "Kamera Küche calls Hall" || got.Values != "Host hall.example.net, Port 7001/udp, Host 198.51.100.7, Port 80/tcp" || find(s, "dial:m") != nil {
		t.Fatalf("got %+v, and %+v", got, find(s, "dial:m"))
	}
	s.Done = []site.Done{{Step: "dial:l", At: "2026-11-26T09:00:00Z", Values: got.Values}}
	if got := find(s, "dial:l"); got.State != Ready {
		t.Errorf("ticked it is %s", got.State)
	}
	s.Links = nil
	if got := find(s, "dial:l"); got == nil || got.Title != "Let a device call another site no more" {
		t.Errorf("without the link: %+v", got)
	}
}
