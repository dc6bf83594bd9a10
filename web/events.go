package web

import (
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
)

// hub passes announcements on to the pages that are open.
type hub struct {
	mu        sync.Mutex
	listeners map[chan string]string // to the production that it looks at
}

func (h *hub) join(production string) chan string {
	ch := make(chan string, 64)
	h.mu.Lock()
	h.listeners[ch] = production
	h.mu.Unlock()
	return ch
}

func (h *hub) leave(ch chan string) {
	h.mu.Lock()
	delete(h.listeners, ch)
	h.mu.Unlock()
}

// tell sends to everyone who looks at the production; "" is all. A page that
// does not keep up misses messages, but never the last: each says only that
// there is something new.
func (h *hub) tell(production, message string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch, p := range h.listeners {
		if production != "" && p != production {
			continue
		}
		select {
		case ch <- message:
		default:
		}
	}
}

// events is a stream of server-sent events: one for each change.
func (s *Server) events(c *echo.Context) error {
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w)
	ch := s.hub.join(c.Param("production"))
	defer s.hub.leave(ch)
	fmt.Fprint(w, "retry: 1000\ndata: {\"what\":\"again\"}\n\n")
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	for {
		if err := flush.Flush(); err != nil {
			return nil
		}
		select {
		case <-c.Request().Context().Done():
			return nil
		case m := <-ch:
			fmt.Fprintf(w, "data: %s\n\n", m)
		case <-beat.C:
			fmt.Fprint(w, ": still here\n\n")
		}
	}
}
