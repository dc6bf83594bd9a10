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
	listeners map[chan string]bool
}

func (h *hub) join() chan string {
	ch := make(chan string, 64)
	h.mu.Lock()
	h.listeners[ch] = true
	h.mu.Unlock()
	return ch
}

func (h *hub) count() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.listeners)
}

func (h *hub) leave(ch chan string) {
	h.mu.Lock()
	delete(h.listeners, ch)
	h.mu.Unlock()
}

// tell sends to everyone. A browser that does not keep up misses messages, but
// hears of it: then it looks at everything again.
func (h *hub) tell(message string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch := range h.listeners {
		select {
		case ch <- message:
		default:
			for range cap(ch) / 2 { // the older half makes room for one word
				<-ch
			}
			ch <- `{"what":"again"}`
		}
	}
}

// events is a stream of server-sent events: one for each change, of all
// productions. A browser has one for all of its pages.
func (s *Server) events(c *echo.Context) error {
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w)
	ch := s.hub.join()
	defer s.hub.leave(ch)
	fmt.Fprint(w, "retry: 1000\ndata: {\"what\":\"again\"}\n\n")
	_ = flush.SetReadDeadline(time.Time{})
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
