package server

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

// news is that a site has a new version, or how far its survey or its check is.
type news struct {
	ID      string       `json:"id"`
	Version int          `json:"version,omitempty"`
	Survey  *SurveyState `json:"survey,omitempty"`
	Check   *CheckState  `json:"check,omitempty"`
}

// hub tells all open windows of news. The zero hub is ready to use.
type hub struct {
	mu        sync.Mutex
	listeners map[*listener]bool
}

// listener is one window. What it has not taken yet is kept, the newest of each
// site, so that a slow window misses nothing that matters.
type listener struct {
	mu      sync.Mutex
	pending map[string]news
	order   []string
	ready   chan struct{}
}

// mostListeners is how many windows are told of news: each holds a connection, and
// there must be some left for work.
const mostListeners = 200

func (h *hub) listen() (l *listener, stop func(), ok bool) {
	l = &listener{pending: map[string]news{}, ready: make(chan struct{}, 1)}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.listeners == nil {
		h.listeners = map[*listener]bool{}
	}
	if len(h.listeners) >= mostListeners {
		return nil, nil, false
	}
	h.listeners[l] = true
	return l, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.listeners, l)
	}, true
}

func (h *hub) tell(n news) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.listeners {
		l.put(n)
	}
}

func (l *listener) put(n news) {
	l.mu.Lock()
	defer l.mu.Unlock()
	old, have := l.pending[n.ID]
	if !have {
		l.order = append(l.order, n.ID)
	}
	n.Version = max(n.Version, old.Version)
	if n.Survey == nil {
		n.Survey = old.Survey
	}
	if n.Check == nil {
		n.Check = old.Check
	}
	l.pending[n.ID] = n
	select {
	case l.ready <- struct{}{}:
	default:
	}
}

// take gives what is pending, each site once.
func (l *listener) take() []news {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := make([]news, 0, len(l.order))
	for _, id := range l.order {
		out = append(out, l.pending[id])
	}
	clear(l.pending)
	l.order = nil
	return out
}

// heartbeat keeps the connection open through whatever closes idle ones.
const heartbeat = 20 * time.Second

// events streams news as server-sent events.
func (s *server) events(c *gin.Context) {
	l, stop, ok := s.hub.listen()
	if !ok {
		c.Header("Retry-After", "30")
		problem(c, http.StatusServiceUnavailable, "Too many windows listen already. This one shows what is new when it is loaded again.")
		return
	}
	defer stop()
	var ended chan struct{}
	over := func() bool { return false }
	if who, ok := c.Get(guestKey); ok { // they end with their session
		ended = who.(*guest).ended
		over = func() bool { return s.gate.over(who.(*guest)) }
	}
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	c.Writer.WriteHeaderNow()
	c.Writer.Flush()
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	c.Stream(func(w io.Writer) bool {
		select {
		case <-c.Request.Context().Done():
			return false
		case <-s.closing:
			return false
		case <-ended:
			return false
		case <-l.ready:
			for _, n := range l.take() {
				data, _ := json.Marshal(n)
				fmt.Fprintf(w, "data: %s\n\n", data)
			}
		case <-beat.C:
			if over() {
				return false
			}
			io.WriteString(w, ": still here\n\n")
		}
		return true
	})
}
