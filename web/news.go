package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"time"
)

// news carries what happens to the pages that are open, as server-sent events.
type news struct {
	mu    sync.Mutex
	pages map[chan message]string // the scene that a page shows, "" for all
	ended chan struct{}
	once  sync.Once
}

type message struct {
	kind string
	body []byte
}

func newNews() *news {
	return &news{pages: map[chan message]string{}, ended: make(chan struct{})}
}

func (n *news) close() { n.once.Do(func() { close(n.ended) }) }

// tell sends to all pages of a scene, or to every page if scene is "". A page too slow to listen misses it, and
// catches up with the next.
func (n *news) tell(scene, kind string, body any) {
	raw, err := json.Marshal(body)
	if err != nil {
		return
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	for page, shows := range n.pages {
		if scene == "" || shows == "" || shows == scene {
			select {
			case page <- message{kind, raw}:
			default:
			}
		}
	}
}

func (s *Server) events(w http.ResponseWriter, r *http.Request) {
	c := make(chan message, 64)
	s.news.mu.Lock()
	s.news.pages[c] = r.URL.Query().Get("scene")
	s.news.mu.Unlock()
	defer func() {
		s.news.mu.Lock()
		delete(s.news.pages, c)
		s.news.mu.Unlock()
	}()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w).Flush
	fmt.Fprint(w, "retry: 1000\n\n")
	flush()
	alive := time.NewTicker(20 * time.Second)
	defer alive.Stop()
	for {
		select {
		case m := <-c:
			fmt.Fprintf(w, "event: %s\ndata: %s\n\n", m.kind, m.body)
		case <-alive.C:
			fmt.Fprint(w, ": still here\n\n")
		case <-s.news.ended:
			return
		case <-r.Context().Done():
			return
		}
		if flush() != nil {
			return
		}
	}
}
