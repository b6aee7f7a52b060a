package server

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/edit"
	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/store"
	"vestpin/wire"
)

// SurveyState is how far the survey of a site is, or how the last one ended.
type SurveyState struct {
	Running bool     `json:"running"`
	What    string   `json:"what" doc:"What is surveyed: a subnet, or the ports of a device"`
	Doing   string   `json:"doing"`
	Done    int      `json:"done"`
	Of      int      `json:"of"`
	Found   int      `json:"found" doc:"How many devices answered"`
	Left    int      `json:"left" doc:"About how much time is left, in milliseconds"`
	Notes   []string `json:"notes"`
	Says    string   `json:"says" doc:"How it ended; empty while it goes on"`
	Failed  bool     `json:"failed"`
}

// run is a survey that goes on or has ended.
type run struct {
	mu        sync.Mutex
	state     SurveyState
	sightings []sighting.Sighting
	heard     int
	servers   []site.DHCPServer
	stop      context.CancelFunc
	ended     chan struct{}
}

func (r *run) now() (SurveyState, []sighting.Sighting, []site.DHCPServer) {
	r.mu.Lock()
	defer r.mu.Unlock()
	state := r.state
	state.Notes = slices.Clone(state.Notes)
	return state, slices.Clone(r.sightings), slices.Clone(r.servers)
}

// mostHeard is how many sightings of one survey are kept: some for each address of
// the largest subnet that is swept unasked.
const mostHeard = 20000

// take puts what a survey reports into its state.
func (r *run) take(e wire.Event) {
	r.mu.Lock()
	defer r.mu.Unlock()
	switch {
	case e.Sighting != nil:
		if r.heard == mostHeard {
			r.state.Notes = append(r.state.Notes, fmt.Sprintf("More than %d answers came; the rest is left out.", mostHeard))
		}
		if r.heard++; r.heard <= mostHeard {
			r.sightings = append(r.sightings, *e.Sighting)
		}
	case e.Server != nil:
		r.servers = append(r.servers, site.DHCPServer{Address: e.Server.Address, Offers: e.Server.Offers, Gateway: e.Server.Gateway, Lease: e.Server.Lease, At: e.Server.At})
	case e.Note != "":
		r.state.Notes = append(r.state.Notes, e.Note)
	case e.Progress != nil:
		p := e.Progress
		r.state.Doing, r.state.Done, r.state.Of, r.state.Found, r.state.Left = p.Doing, p.Done, p.Of, p.Found, p.Left
	}
}

// networkOf is what a site's surveys go over.
func (s *server) networkOf(id string) wire.Network {
	if s.network == nil {
		return wire.Here{}
	}
	return s.network(id)
}

func subnets(v site.Site) (own []netip.Prefix) {
	for _, n := range v.Networks {
		own = append(own, n.Subnet)
	}
	return own
}

func (s *server) startSurvey(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Network   string `json:"network,omitempty" doc:"The id of the network to sweep; the one that this computer is attached to if absent"`
		Large     bool   `json:"large,omitempty" doc:"A subnet of more than 4,096 addresses is meant"`
		Community string `json:"community,omitempty" doc:"Asked by SNMP where given"`
		Ports     string `json:"ports,omitempty" doc:"An address: every TCP port of that device is looked at, and nothing else"`
	}
}) (*struct{ Body SurveyState }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	net, own := s.networkOf(in.ID), subnets(st.Site)
	var survey func(context.Context, func(wire.Event)) error
	what := ""
	if in.Body.Ports != "" {
		a, err := ipv4.ParseAddr(in.Body.Ports)
		if err != nil {
			return nil, refusal(err)
		}
		if err := wire.Reachable(net, a, own); err != nil {
			return nil, refusal(err)
		}
		what = "all ports of " + a.String()
		survey = func(ctx context.Context, report func(wire.Event)) error {
			return wire.AllPorts(ctx, net, a, own, report)
		}
	} else {
		plan := wire.Plan{Large: in.Body.Large, Community: in.Body.Community}
		if plan.Subnet, err = chosen(net, st.Site, in.Body.Network); err != nil {
			return nil, refusal(err)
		}
		if _, err := wire.Find(net, plan, own); err != nil {
			return nil, refusal(err)
		}
		what = plan.Subnet.String()
		survey = func(ctx context.Context, report func(wire.Event)) error {
			return wire.Survey(ctx, net, plan, own, report)
		}
	}
	r, err := s.begin(in.ID, what, survey)
	if err != nil {
		return nil, err
	}
	state, _, _ := r.now()
	return &struct{ Body SurveyState }{state}, nil
}

// chosen is the subnet of the network with that id, or of the first one that
// this computer is attached to, or of the first there is.
func chosen(n wire.Network, v site.Site, id string) (netip.Prefix, error) {
	if len(v.Networks) == 0 {
		return netip.Prefix{}, &wire.RefusedError{Why: "the site has no network yet: enter its subnet first"}
	}
	for _, x := range v.Networks {
		if x.ID == id {
			return x.Subnet, nil
		}
	}
	if id != "" {
		return netip.Prefix{}, &wire.RefusedError{Why: fmt.Sprintf("the site has no network %s; it may have been removed", span.Quote(id))}
	}
	links, err := n.Links()
	if err != nil {
		return netip.Prefix{}, err
	}
	for _, l := range links {
		for _, x := range v.Networks {
			if l.Subnet().Bits() <= x.Subnet.Bits() && l.Subnet().Contains(x.Subnet.Addr()) {
				return x.Subnet, nil
			}
		}
	}
	return v.Networks[0].Subnet, nil
}

// begin starts a survey of a site, one at a time.
func (s *server) begin(id, what string, survey func(context.Context, func(wire.Event)) error) (*run, error) {
	ctx, stop := context.WithCancel(context.Background())
	r := &run{state: SurveyState{Running: true, What: what, Doing: "beginning", Notes: []string{}}, stop: stop, ended: make(chan struct{})}
	s.mu.Lock()
	if old := s.runs[id]; old != nil {
		if state, _, _ := old.now(); state.Running {
			s.mu.Unlock()
			stop()
			return nil, huma.Error409Conflict("A survey of this site is going on already.")
		}
	}
	s.runs[id] = r
	s.mu.Unlock()
	go func() {
		defer close(r.ended)
		defer stop()
		told := time.Time{}
		err := survey(ctx, func(e wire.Event) {
			r.take(e)
			if time.Since(told) > 150*time.Millisecond {
				told = time.Now()
				s.tellSurvey(id, r)
			}
		})
		s.finish(id, r, err)
		s.tellSurvey(id, r)
	}()
	return r, nil
}

func (s *server) tellSurvey(id string, r *run) {
	state, _, _ := r.now()
	s.hub.tell(news{ID: id, Survey: &state})
}

// finish takes what was found into the site, as one change, also where the
// survey was stopped or failed on the way.
func (s *server) finish(id string, r *run, err error) {
	_, sightings, servers := r.now()
	says, failed := "", false
	var refused *wire.RefusedError
	switch {
	case errors.Is(err, context.Canceled):
		says = "Stopped. What was found is kept: "
	case errors.As(err, &refused):
		says, failed = "Not done: "+err.Error()+". ", true
	case err != nil:
		says, failed = "Broken off: "+err.Error()+". Kept so far: ", true
	}
	fresh, answered, kept := s.keepFound(id, r.state.What, sightings, servers)
	if kept != nil {
		says, failed = "What was found could not be kept: "+kept.Error(), true
	} else if refused == nil {
		says += fmt.Sprintf("%d answered, %d new.", answered, fresh)
	}
	r.mu.Lock()
	r.state.Running, r.state.Says, r.state.Failed, r.state.Left = false, says, failed, 0
	r.mu.Unlock()
}

// keepFound makes the edit; where somebody else was quicker it is worked out
// anew on top.
func (s *server) keepFound(id, what string, sightings []sighting.Sighting, servers []site.DHCPServer) (fresh, answered int, err error) {
	ctx := context.Background() // what was found is kept, whoever has gone meanwhile
	for range 20 {
		st, err := s.store.Get(ctx, id)
		if err != nil {
			return 0, 0, err
		}
		p := sighting.Merge(st.Site, sightings, sighting.Facts{Servers: servers}, time.Now().UTC().Format(time.RFC3339))
		fresh, answered = counts(p)
		if len(p.Edits) == 0 {
			return fresh, answered, nil
		}
		next, _, err := s.store.Edit(ctx, id, store.Change{Version: st.Version, Who: who, Title: "sweep " + what, Edits: p.Edits})
		var stale *store.StaleError
		if errors.As(err, &stale) {
			continue
		}
		if err == nil {
			s.hub.tell(news{ID: next.ID, Version: next.Version})
		}
		return fresh, answered, err
	}
	return 0, 0, errors.New("the site is changed too often; sweep again")
}

// counts tells how many devices are new, and how many were sighted.
func counts(p sighting.Proposal) (fresh, answered int) {
	seen := map[string]bool{}
	for _, f := range p.Findings {
		if f.What == sighting.IsNew {
			fresh++
		}
		if f.Device != "" && !seen[f.Device] {
			seen[f.Device] = true
			answered++
		}
	}
	return fresh, answered
}

// Live is a survey as it stands: its state, and the devices as they would be.
type Live struct {
	State   SurveyState   `json:"state"`
	Devices []site.Device `json:"devices" doc:"The devices that were sighted, with what was learnt of them"`
	New     []string      `json:"new" doc:"Those of them that were not known"`
}

func (s *server) getSurvey(ctx context.Context, in *SiteID) (*struct{ Body Live }, error) {
	out := Live{State: SurveyState{Notes: []string{}}, Devices: []site.Device{}, New: []string{}}
	s.mu.Lock()
	r := s.runs[in.ID]
	s.mu.Unlock()
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	if r == nil {
		return &struct{ Body Live }{out}, nil
	}
	var sightings []sighting.Sighting
	if out.State, sightings, _ = r.now(); !out.State.Running {
		return &struct{ Body Live }{out}, nil
	}
	p := sighting.Merge(st.Site, sightings, sighting.Facts{}, time.Now().UTC().Format(time.RFC3339))
	for _, e := range p.Edits {
		if put, ok := e.(edit.PutDevice); ok {
			out.Devices = append(out.Devices, put.Device)
		}
	}
	for _, f := range p.Findings {
		if f.What == sighting.IsNew {
			out.New = append(out.New, f.Device)
		}
	}
	return &struct{ Body Live }{out}, nil
}

func (s *server) stopSurvey(_ context.Context, in *SiteID) (*struct{ Body SurveyState }, error) {
	s.mu.Lock()
	r := s.runs[in.ID]
	s.mu.Unlock()
	if r == nil {
		return nil, huma.Error404NotFound("No survey of this site is going on.")
	}
	r.stop()
	<-r.ended
	state, _, _ := r.now()
	return &struct{ Body SurveyState }{state}, nil
}

// endSurvey stops the survey of a site that is to be removed.
func (s *server) endSurvey(id string) {
	s.mu.Lock()
	r, c := s.runs[id], s.checks[id]
	s.mu.Unlock()
	if r != nil {
		r.stop()
		<-r.ended
	}
	if c != nil {
		c.stop()
		<-c.ended
	}
}

// stopAll ends the surveys that go on and lets them keep what they found.
func (s *server) stopAll() {
	s.mu.Lock()
	all := make([]*run, 0, len(s.runs))
	for _, r := range s.runs {
		all = append(all, r)
	}
	for _, c := range s.checks {
		c.stop()
	}
	checks := slices.Collect(maps.Values(s.checks))
	s.mu.Unlock()
	for _, r := range all {
		r.stop()
		<-r.ended
	}
	for _, c := range checks {
		<-c.ended
	}
}

func (s *server) askFree(ctx context.Context, in *struct {
	SiteID
	Address string `query:"address" required:"true"`
}) (*struct{ Body wire.Freedom }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	a, err := ipv4.ParseAddr(in.Address)
	if err != nil {
		return nil, refusal(err)
	}
	f, err := wire.Free(ctx, s.networkOf(in.ID), a, subnets(st.Site))
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body wire.Freedom }{f}, nil
}

// compareVisits tells what one visit has other than another, whichever two.
func (s *server) compareVisits(ctx context.Context, in *struct {
	SiteID
	Before string `query:"before" required:"true" doc:"The id of the earlier visit"`
	After  string `query:"after" required:"true" doc:"The id of the later visit"`
}) (*struct{ Body []sighting.Difference }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	find := func(id string) int {
		return slices.IndexFunc(st.Site.Visits, func(v site.Visit) bool { return v.ID == id })
	}
	a, b := find(in.Before), find(in.After)
	if a < 0 || b < 0 {
		return nil, huma.Error404NotFound("There is no such visit; it may have been removed.")
	}
	return &struct{ Body []sighting.Difference }{sighting.Compare(site.NewView(st.Site), st.Site.Visits[a], st.Site.Visits[b])}, nil
}

// joinDevices and splitDevice give edits; taking them is for the page.
func (s *server) joinDevices(ctx context.Context, in *struct {
	SiteID
	Into string `query:"into" required:"true"`
	From string `query:"from" required:"true"`
}) (*struct{ Body edit.List }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	find := func(id string) int {
		return slices.IndexFunc(st.Site.Devices, func(d site.Device) bool { return d.ID == id })
	}
	a, b := find(in.Into), find(in.From)
	if a < 0 || b < 0 || a == b {
		return nil, huma.NewError(http.StatusNotFound, "Those are not two devices of this site; one may have been removed.")
	}
	return &struct{ Body edit.List }{sighting.Join(st.Site.Devices[a], st.Site.Devices[b])}, nil
}

func (s *server) splitDevice(ctx context.Context, in *struct {
	SiteID
	Interface string `query:"interface" required:"true"`
}) (*struct{ Body edit.List }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	p, ok := site.NewView(st.Site).Interface(in.Interface)
	if !ok {
		return nil, huma.Error404NotFound("There is no such interface; it may have been removed.")
	}
	edits := sighting.Split(st.Site, *p.Device, in.Interface)
	if edits == nil {
		return nil, huma.Error422UnprocessableEntity("It is the only interface of its device.")
	}
	return &struct{ Body edit.List }{edits}, nil
}
