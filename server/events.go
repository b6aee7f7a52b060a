package server

import (
	"encoding/json"
	"fmt"
	"io"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
)

// news is that a site has a new version, or how far its survey is.
type news struct {
	ID      string       `json:"id"`
	Version int          `json:"version,omitempty"`
	Survey  *SurveyState `json:"survey,omitempty"`
}

// hub tells all open windows of news. The zero hub is ready to use.
type hub struct {
	mu        sync.Mutex
	listeners map[chan news]bool
}

func (h *hub) listen() (chan news, func()) {
	ch := make(chan news, 16)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.listeners == nil {
		h.listeners = map[chan news]bool{}
	}
	h.listeners[ch] = true
	return ch, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.listeners, ch)
	}
}

// tell drops the news for a window that does not keep up: the next will do.
func (h *hub) tell(n news) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch := range h.listeners {
		select {
		case ch <- n:
		default:
		}
	}
}

// heartbeat keeps the connection open through whatever closes idle ones.
const heartbeat = 20 * time.Second

// events streams news as server-sent events.
func (s *server) events(c *gin.Context) {
	ch, stop := s.hub.listen()
	defer stop()
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
		case n := <-ch:
			data, _ := json.Marshal(n)
			fmt.Fprintf(w, "data: %s\n\n", data)
		case <-beat.C:
			io.WriteString(w, ": still here\n\n")
		}
		return true
	})
}
