package server

import (
	"context"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/store"
)

// LinkEnd is an end of a link as this site has it, beside how the other end stands where
// this program has that site.
type LinkEnd struct {
	site.Link
	reach.LinkState
	There *reach.LinkState `json:"there,omitempty" doc:"How the other end stands"`
	Lost  bool             `json:"lost" doc:"The other site has no such link any more, or is not here any more"`
	Dials string           `json:"dials,omitempty" doc:"What is to be dialled now, where another is entered"`
}

// links tells how the links of a site stand at both their ends.
func (s *server) links(ctx context.Context, in *SiteID) (*struct{ Body []LinkEnd }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	out := []LinkEnd{}
	far := map[string]*store.Stored{}
	states := map[string][]reach.LinkState{}
	here := reach.Of(site.NewView(st.Site)).Links()
	for i, l := range st.Site.Links {
		end := LinkEnd{Link: l, LinkState: here[i]}
		if l.Far.Site != "" {
			if _, asked := far[l.Far.Site]; !asked {
				other, err := s.store.Get(ctx, l.Far.Site)
				if err == nil {
					far[l.Far.Site], states[l.Far.Site] = &other, reach.Of(site.NewView(other.Site)).Links()
				} else {
					far[l.Far.Site] = nil
				}
			}
			end.beside(far[l.Far.Site], states[l.Far.Site])
		}
		out = append(out, end)
	}
	return &struct{ Body []LinkEnd }{out}, nil
}

// beside puts the other end beside an end.
func (e *LinkEnd) beside(other *store.Stored, states []reach.LinkState) {
	e.Lost = true
	if other == nil {
		return
	}
	for i, l := range other.Site.Links {
		if l.ID != e.Link.ID || l.End == e.End {
			continue
		}
		e.Lost, e.There = false, &states[i]
		if e.End == site.Calls && e.There.State == reach.LinkOpen && e.There.Dial != e.Far.Dial {
			e.Dials = e.There.Dial
		}
	}
}
