package server

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/afar"
	"vestpin/core/catalogue"
	"vestpin/core/diagnosis"
	"vestpin/core/edit"
	"vestpin/core/reach"
	"vestpin/core/sheet"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/store"
	"vestpin/wire"
)

// CheckState is how far the check of a site is, or how the last one ended.
type CheckState struct {
	Running bool   `json:"running"`
	What    string `json:"what" enum:",check,watch,hotspot" doc:"A check, a watch for devices that come back, or a check as soon as this computer is elsewhere"`
	Doing   string `json:"doing"`
	Done    int    `json:"done"`
	Of      int    `json:"of"`
	Says    string `json:"says" doc:"How it ended; empty while it goes on"`
	Failed  bool   `json:"failed"`
	// Followed is that it began by itself, since this computer had left the site.
	Followed bool `json:"followed"`
}

// checking is a check that goes on or has ended, with what it saw so far.
type checking struct {
	mu    sync.Mutex
	state CheckState
	seen  site.Proof
	back  []wire.Back
	stop  context.CancelFunc
	ended chan struct{}
}

func (c *checking) now() (CheckState, site.Proof, []wire.Back) {
	c.mu.Lock()
	defer c.mu.Unlock()
	p := c.seen
	p.Interfaces, p.Services = slices.Clone(p.Interfaces), slices.Clone(p.Services)
	return c.state, p, slices.Clone(c.back)
}

// take puts what a check tells into what it saw.
func (c *checking) take(t wire.Trying) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if t.Doing != "" {
		c.state.Doing = t.Doing
	}
	c.state.Done, c.state.Of = t.Done, t.Of
	if t.There != nil {
		c.seen.Interfaces = append(c.seen.Interfaces, *t.There)
	}
	if h := t.Heard; h != nil {
		i := slices.IndexFunc(c.seen.Services, func(o site.ProofHeard) bool { return o.Service == h.Service })
		if i < 0 {
			c.seen.Services = append(c.seen.Services, *h)
		} else {
			c.seen.Services[i] = *h
		}
	}
}

// Side is from where this computer would try: inside, on a network of the site, or outside.
type Side struct {
	Inside  bool       `json:"inside"`
	Address netip.Addr `json:"address,omitzero"`
	Strange bool       `json:"strange" doc:"It has an address of the site's, but another gateway than before"`
	Says    string     `json:"says"`
}

// FarEnd is the helper at the far end that this program is paired with.
type FarEnd struct {
	Paired bool   `json:"paired"`
	At     string `json:"at,omitempty" doc:"Its host and port"`
	Says   string `json:"says,omitempty" doc:"Why it is of no use"`
}

// Checks are what was tried at a site last, and what it says of the plan.
type Checks struct {
	Version int               `json:"version" doc:"Of the site that the mends were worked out for"`
	State   CheckState        `json:"state"`
	Report  *diagnosis.Report `json:"report,omitempty" doc:"Absent where nothing was tried yet"`
	Open    map[string]string `json:"open" doc:"By service: what is opened from elsewhere to see it, where that is a page"`
	Here    Side              `json:"here"`
	Far     FarEnd            `json:"far"`
	Back    []wire.Back       `json:"back" doc:"Who came back since the watch began"`
}

// realFar reaches a helper by its pairing text.
func realFar(ctx context.Context, _, pairing string) (wire.FarEnd, error) {
	p, err := afar.ParsePairing(pairing)
	if err != nil {
		return nil, err
	}
	return afar.Reach(ctx, p)
}

func (s *server) getFarEnd(ctx context.Context, _ *struct{}) (*struct{ Body FarEnd }, error) {
	out, err := s.farEnd(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body FarEnd }{out}, nil
}

func (s *server) farEnd(ctx context.Context) (FarEnd, error) {
	text, err := s.store.FarEnd(ctx)
	if err != nil || text == "" {
		return FarEnd{}, err
	}
	p, err := afar.ParsePairing(text)
	if err != nil {
		return FarEnd{Paired: true, Says: err.Error()}, nil
	}
	return FarEnd{Paired: true, At: p.Addr}, nil
}

// setFarEnd pairs with a helper; an empty text forgets it.
func (s *server) setFarEnd(ctx context.Context, in *struct {
	Body struct {
		Pairing string `json:"pairing" doc:"The last word of what vestpin afar prints, or the whole line"`
	}
}) (*struct{ Body FarEnd }, error) {
	text := ""
	if strings.TrimSpace(in.Body.Pairing) != "" {
		p, err := afar.ParsePairing(in.Body.Pairing)
		if err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err.Error())+".", &huma.ErrorDetail{Location: "pairing", Message: err.Error(), Value: "…"})
		}
		text = p.String()
	}
	if err := s.store.SetFarEnd(ctx, text); err != nil {
		return nil, refusal(err)
	}
	return s.getFarEnd(ctx, nil)
}

// startCheck begins a check of a site, or a watch for its devices to come back; one at a time.
func (s *server) startCheck(ctx context.Context, in *struct {
	SiteID
	Body struct {
		What     string   `json:"what,omitempty" enum:"check,watch,hotspot" default:"check"`
		From     string   `json:"from,omitempty" enum:",inside,outside" doc:"Found out if absent"`
		Services []string `json:"services,omitempty" doc:"Only these; all if absent"`
	}
}) (*struct{ Body CheckState }, error) {
	c, err := s.try(ctx, in.ID, in.Body.What, wire.Trial{From: site.TriedFrom(in.Body.From), Only: in.Body.Services})
	if err != nil {
		return nil, err
	}
	state, _, _ := c.now()
	return &struct{ Body CheckState }{state}, nil
}

// try begins a check of a site, which goes on by itself.
func (s *server) try(ctx context.Context, id, what string, t wire.Trial) (*checking, error) {
	st, err := s.store.Get(ctx, id)
	if err != nil {
		return nil, refusal(err)
	}
	t.Site = site.NewView(st.Site)
	if t.Known, err = s.catalogueOf(ctx); err != nil {
		return nil, err
	}
	text, err := s.store.FarEnd(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	far, farErr := s.far(ctx, id, text)
	if farErr == nil {
		t.Far = far
	}
	inside := s.sideOf(id, st.Site).Inside
	if what == "watch" && !inside {
		return nil, huma.Error422UnprocessableEntity("Not watched: this computer is attached to no network of the site.")
	}
	ctx, stop := context.WithCancel(context.Background()) // it goes on when the request is over
	c, err := s.beginCheck(id, what, stop)
	if err != nil {
		stop()
		return nil, err
	}
	if inside {
		s.mu.Lock()
		s.atWork[id] = time.Now()
		s.mu.Unlock()
	}
	go func() {
		defer close(c.ended)
		defer stop()
		switch what {
		case "watch":
			s.watch(ctx, id, c, t.Site)
		case "hotspot":
			s.elsewhere(ctx, id, c, t)
		default:
			s.check(ctx, id, c, t, text != "" && farErr != nil, farErr)
		}
		s.tellCheck(id, c)
	}()
	return c, nil
}

func (s *server) beginCheck(id, what string, stop context.CancelFunc) (*checking, error) {
	if what == "" {
		what = "check"
	}
	c := &checking{state: CheckState{Running: true, What: what, Doing: "beginning"}, ended: make(chan struct{}), stop: stop}
	s.mu.Lock()
	defer s.mu.Unlock()
	if old := s.checks[id]; old != nil {
		if state, _, _ := old.now(); state.Running {
			return nil, huma.Error409Conflict("A check of this site is going on already, perhaps in another window.")
		}
	}
	s.checks[id] = c
	return c, nil
}

func (s *server) tellCheck(id string, c *checking) {
	state, _, _ := c.now()
	s.hub.tell(news{ID: id, Check: &state})
}

// check tries what is planned, and keeps what was seen, also where it was stopped.
func (s *server) check(ctx context.Context, id string, c *checking, t wire.Trial, noFar bool, why error) {
	told := time.Time{}
	p, err := wire.Prove(ctx, s.networkOf(id), t, func(e wire.Trying) {
		c.take(e)
		if time.Since(told) > 150*time.Millisecond {
			told = time.Now()
			s.tellCheck(id, c)
		}
	})
	if noFar {
		p.Notes = append(p.Notes, "The far end was not of use: "+why.Error()+".")
	}
	says, failed := "", false
	var refused *wire.RefusedError
	switch {
	case errors.As(err, &refused):
		says, failed = "Not tried: "+refused.Why+".", true
	case errors.Is(err, context.Canceled):
		says = "Stopped. What was seen is kept."
	case errors.Is(err, wire.ErrSlept):
		says = "This computer slept in the middle, or its clock was set. What was seen before is kept; check again."
	case errors.Is(err, wire.ErrLeft):
		says = "This computer left the network in the middle. What was seen before is kept."
	case err != nil:
		says, failed = "Broken off: "+err.Error()+".", true
	}
	if !failed {
		if err := s.keepProof(id, p); err != nil {
			says, failed = "What was seen could not be kept: "+err.Error(), true
		}
	}
	c.mu.Lock()
	c.state.Running, c.state.Says, c.state.Failed = false, says, failed
	c.mu.Unlock()
}

// longestAway is how long it is waited for this computer to leave the site, and to be back.
const longestAway = 15 * time.Minute

// roamer is a made-up network, out of which nobody carries a computer: after a while it goes by
// itself.
type roamer interface{ Roam(away bool) }

const roamAfter = 3 * time.Second

// elsewhere waits until this computer is on another network, as on the hotspot of a phone,
// tries everything from there, and waits until it is back.
func (s *server) elsewhere(ctx context.Context, id string, c *checking, t wire.Trial) {
	wait := func(doing string, inside bool) bool {
		c.mu.Lock()
		c.state.Doing = doing
		c.mu.Unlock()
		s.tellCheck(id, c)
		if made, ok := s.networkOf(id).(roamer); ok {
			defer time.AfterFunc(roamAfter, func() { made.Roam(!inside) }).Stop()
		}
		for end := time.Now().Add(longestAway); time.Now().Before(end); {
			if side := s.sideOf(id, t.Site.Site); side.Inside == inside && side.Address.IsValid() {
				return true
			}
			select {
			case <-ctx.Done():
				return false
			case <-time.After(500 * time.Millisecond):
			}
		}
		return false
	}
	end := func(says string, failed bool) {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.state.Running, c.state.Says, c.state.Failed = false, says, failed
	}
	if !wait("join the phone's hotspot with this computer now", false) { // at once where it has left already
		end("Not tried: this computer did not leave the site.", ctx.Err() == nil)
		return
	}
	if made, ok := s.networkOf(id).(roamer); ok {
		defer made.Roam(false)
	}
	t.From, t.Far = wire.Outside, nil
	s.check(ctx, id, c, t, false, nil)
	state, _, _ := c.now()
	if state.Says != "" {
		return
	}
	c.mu.Lock()
	c.state.Running = true
	c.mu.Unlock()
	if wait("tried; go back to the site's network now", true) {
		end("Tried from elsewhere, and back inside.", false)
		return
	}
	end("Tried from elsewhere; this computer is not back on the site's network.", false)
}

// keepProof keeps what was seen as an edit: on one visit, or within a day where there is none,
// it is put over what was seen before, and stands apart from earlier ones.
func (s *server) keepProof(id string, p site.Proof) error {
	ctx := context.Background() // what was seen is kept, whoever has gone meanwhile
	for range 20 {
		st, err := s.store.Get(ctx, id)
		if err != nil {
			return err
		}
		edits := []edit.Edit{edit.PutProof{Proof: over(st.Site, p)}}
		for _, old := range st.Site.Proofs[:max(0, len(st.Site.Proofs)-mostStays)] {
			edits = append(edits, edit.RemoveProof{ID: old.ID})
		}
		next, _, err := s.store.Edit(ctx, id, store.Change{Version: st.Version, Who: who, Title: "try what is planned", Edits: edits})
		var stale *store.StaleError
		if errors.As(err, &stale) {
			continue
		}
		if err == nil {
			s.hub.tell(news{ID: next.ID, Version: next.Version})
		}
		return err
	}
	return errors.New("the site is changed too often; try again")
}

// mostStays is of how many stays what was tried is kept beside the last; undo brings back
// what was let go.
const mostStays = 12

// over is a proof put over the last one where both are of one stay.
func over(s site.Site, p site.Proof) site.Proof {
	if v, ok := s.Visit(); ok && v.Until == "" {
		p.Visit = v.ID
	}
	last, ok := s.Proof()
	p = p.After(last)
	if ok && last.Visit == p.Visit && (p.Visit != "" || day(last.At) == day(p.At)) {
		return last.With(p)
	}
	for n := len(s.Proofs) + 1; ; n++ {
		if p.ID = fmt.Sprint("p", n); !slices.ContainsFunc(s.Proofs, func(o site.Proof) bool { return o.ID == p.ID }) {
			return p
		}
	}
}

func day(at string) string { return at[:min(len(at), len("2006-01-02"))] }

// watch tells who goes and who comes back, until all are back.
func (s *server) watch(ctx context.Context, id string, c *checking, v site.View) {
	err := wire.Watch(ctx, s.networkOf(id), v, onSheet(v), func(back []wire.Back) {
		c.mu.Lock()
		c.back = back
		c.state.Of, c.state.Done = len(back), 0
		for _, b := range back {
			if b.State == wire.CameBack || b.State == wire.NeverGone {
				c.state.Done++
			}
		}
		c.state.Doing = "watching who comes back"
		c.mu.Unlock()
		s.tellCheck(id, c)
	})
	c.mu.Lock()
	defer c.mu.Unlock()
	c.state.Running = false
	var refused *wire.RefusedError
	switch {
	case errors.As(err, &refused):
		c.state.Says, c.state.Failed = "Not watched: "+refused.Why+".", true
	case errors.Is(err, context.Canceled):
		c.state.Says = "The watch was ended."
	case err != nil:
		c.state.Says, c.state.Failed = "Broken off: "+err.Error()+".", true
	default:
		c.state.Says = "All are back."
	}
}

// onSheet are the interfaces in the order in which the sheet comes to their devices.
func onSheet(v site.View) (order []string) {
	for _, g := range sheet.Steps(v) {
		for _, step := range g.Steps {
			for _, ref := range step.About {
				if id, is := strings.CutPrefix(string(ref), "interface:"); is && !slices.Contains(order, id) {
					order = append(order, id)
				}
			}
		}
	}
	return order
}

func (s *server) stopCheck(_ context.Context, in *SiteID) (*struct{ Body CheckState }, error) {
	s.mu.Lock()
	c := s.checks[in.ID]
	s.mu.Unlock()
	if c == nil {
		return nil, huma.Error404NotFound("No check of this site is going on.")
	}
	c.stop()
	<-c.ended
	state, _, _ := c.now()
	return &struct{ Body CheckState }{state}, nil
}

// getChecks judges what was seen last, and what the check that goes on has seen so far.
func (s *server) getChecks(ctx context.Context, in *SiteID) (*struct{ Body Checks }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	v := site.NewView(st.Site)
	known, err := s.catalogueOf(ctx)
	if err != nil {
		return nil, err
	}
	out := Checks{Version: st.Version, Here: s.sideOf(in.ID, st.Site), Back: []wire.Back{}, Open: pagesOf(v, known.With(v.Kinds...))}
	if out.Far, err = s.farEnd(ctx); err != nil {
		return nil, refusal(err)
	}
	if !out.Far.Paired && s.network != nil {
		if far, err := s.far(ctx, in.ID, ""); err == nil { // a made-up network has one of its own
			out.Far = FarEnd{Paired: true, At: far.Stands().String()}
		}
	}
	p, have := st.Site.Proof()
	s.mu.Lock()
	c := s.checks[in.ID]
	s.mu.Unlock()
	if c != nil {
		var seen site.Proof
		out.State, seen, out.Back = c.now()
		if out.State.Running && len(seen.Services) > 0 {
			seen.From, seen.At, seen.Router = p.From, p.At, p.Router
			p, have = p.With(seen), true
		}
	}
	if have {
		r := diagnosis.Of(v, p)
		out.Report = &r
	}
	if out.Back == nil {
		out.Back = []wire.Back{}
	}
	return &struct{ Body Checks }{out}, nil
}

// pagesOf are the web pages of services, as they are opened from elsewhere.
func pagesOf(v site.View, known catalogue.Catalogue) map[string]string {
	out := map[string]string{}
	m := reach.Of(v)
	outer, _ := reach.Outermost(v)
	host := outer.WAN.Host()
	for _, w := range v.Wishes() {
		kind, ok := known.Named(w.Device.Kind, w.Service.Name, w.Service.Protocol, w.Service.Ports)
		entries := m.Entries(w)
		if !ok || host == "" || len(entries) == 0 || !strings.HasPrefix(kind.Address, "http") {
			continue
		}
		out[w.Service.ID] = strings.NewReplacer("{host}", host, "{port}", fmt.Sprint(entries[0].Outside.Lo)).Replace(kind.Address)
	}
	return out
}

// sideOf is where this computer is, as seen from a site.
func (s *server) sideOf(id string, v site.Site) Side {
	at, err := wire.PlaceOf(s.networkOf(id), v)
	if err != nil || len(at.Links) == 0 {
		return Side{Says: "This computer is attached to no network."}
	}
	for _, n := range v.Networks {
		if l, on := at.On[n.ID]; on {
			return Side{Inside: true, Address: l.Own.Addr(), Says: fmt.Sprintf("This computer is inside, at %s.", l.Own.Addr())}
		}
	}
	if own := at.Strange.Own; own.IsValid() {
		return Side{Address: own.Addr(), Strange: true, Says: fmt.Sprintf("This computer is at %s, which could be here, but another router than before answers there: what it tries is tried from outside.", own.Addr())}
	}
	own := at.Links[0].Own
	return Side{Address: own.Addr(), Says: fmt.Sprintf("This computer is elsewhere, at %s: what it tries is tried from outside.", own)}
}

// saw keeps what a person saw who opened the address of a service from elsewhere.
func (s *server) saw(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Service string `json:"service"`
		Saw     string `json:"saw" enum:"answers,nothing" doc:"The right device, or nothing"`
	}
}) (*struct{ Body CheckState }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	w, ok := site.NewView(st.Site).Service(in.Body.Service)
	if !ok {
		return nil, huma.Error404NotFound(fmt.Sprintf("There is no service %s; it may have been removed.", span.Quote(in.Body.Service)))
	}
	now := time.Now().UTC().Format(time.RFC3339)
	h := site.Heard{Result: site.HeardSilent, By: site.TriedPerson, Says: "Somebody tried it and saw nothing.", When: now}
	last, _ := st.Site.Proof()
	if in.Body.Saw == "answers" {
		h.Result, h.Says = site.HeardAnswers, "Somebody tried it and saw the right device."
		for _, o := range last.Services {
			if o.Service == w.Service.ID {
				h.Key = o.Inside.Key
			}
		}
	}
	p := site.Proof{At: now, From: wire.Outside, Services: []site.ProofHeard{{Service: w.Service.ID, Inside: site.Heard{Result: site.Untried}, Outside: h}}}
	if err := s.keepProof(in.ID, p); err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body CheckState }{CheckState{}}, nil
}
