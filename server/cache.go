package server

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"sync"

	"golang.org/x/sync/singleflight"

	"vestpin/store"
)

// answers keeps the last answer and summary of each site. What is not there is
// worked out once, however many ask, and without a lock. The zero answers is ready
// to use.
type answers struct {
	working singleflight.Group
	mu      sync.Mutex
	bodies  map[string]versioned[[]byte]
	brief   map[string]versioned[Summary]
}

type versioned[T any] struct {
	version int
	created string
	value   T
}

// answerOf gives the answer for a site as JSON, made once for each version.
func (s *server) answerOf(ctx context.Context, st store.Stored) ([]byte, error) {
	return recall(ctx, &s.answers, &s.answers.bodies, "answer", st, func() ([]byte, error) {
		var b bytes.Buffer
		enc := json.NewEncoder(&b)
		enc.SetEscapeHTML(false)
		err := enc.Encode(answer(st, s.makers()))
		return b.Bytes(), err
	})
}

// summaryOf gives a site in the list of sites.
func (s *server) summaryOf(ctx context.Context, l store.Listed) (Summary, error) {
	if l.Damaged != nil {
		return Summary{ID: l.ID, Name: l.Site.Name, Changed: l.Changed, Damaged: l.Damaged.Error()}, nil
	}
	return recall(ctx, &s.answers, &s.answers.brief, "summary", l.Stored, func() (Summary, error) { return summary(l.Stored), nil })
}

// recall gives what is kept for a version of a site, or works it out. Whoever's
// request ends does not wait for it.
func recall[T any](ctx context.Context, a *answers, in *map[string]versioned[T], what string, st store.Stored, work func() (T, error)) (T, error) {
	a.mu.Lock()
	old, ok := (*in)[st.ID]
	a.mu.Unlock()
	if ok && old.version == st.Version && old.created == st.Created {
		return old.value, nil
	}
	done := a.working.DoChan(fmt.Sprint(what, " ", st.Version, " ", st.Created, " ", st.ID), func() (v any, err error) {
		defer func() { // it runs on nobody's request, which would tell of it
			if e := recover(); e != nil {
				err = fmt.Errorf("the %s of site %s: %v", what, st.ID, e)
			}
		}()
		v, err = work()
		if err != nil {
			return v, err
		}
		a.mu.Lock()
		defer a.mu.Unlock()
		if *in == nil {
			*in = map[string]versioned[T]{}
		}
		if kept := (*in)[st.ID]; kept.created != st.Created || kept.version < st.Version {
			(*in)[st.ID] = versioned[T]{st.Version, st.Created, v.(T)}
		}
		return v, nil
	})
	var none T
	select {
	case r := <-done:
		if r.Err != nil {
			return none, r.Err
		}
		return r.Val.(T), nil
	case <-ctx.Done():
		return none, ctx.Err()
	}
}

// forget drops what is kept of a site that was removed.
func (s *server) forget(id string) {
	s.answers.mu.Lock()
	defer s.answers.mu.Unlock()
	delete(s.answers.bodies, id)
	delete(s.answers.brief, id)
}
