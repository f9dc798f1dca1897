package workspace

import (
	"encoding/json"
	"log/slog"
	"sync"
)

// A Hub tells open pages what happens.
type Hub struct {
	mu    sync.Mutex
	pages map[chan Event]string // the scene that a page shows, "" for all
	ended chan struct{}
	once  sync.Once
}

// An Event is something that happened, with its body in JSON.
type Event struct {
	Scene string // "" if it is no scene's
	Kind  string
	Body  []byte
}

func newHub() *Hub {
	return &Hub{pages: map[chan Event]string{}, ended: make(chan struct{})}
}

// Close tells all listeners that nothing more will come.
func (h *Hub) Close() { h.once.Do(func() { close(h.ended) }) }

// Ended is closed when nothing more will come.
func (h *Hub) Ended() <-chan struct{} { return h.ended }

// pageEvents is how many events may wait for a page.
const pageEvents = 64

// Listen gives what happens to a scene, or to all of them for "", until leave is called.
func (h *Hub) Listen(scene string) (events <-chan Event, leave func()) {
	c := make(chan Event, pageEvents)
	h.mu.Lock()
	h.pages[c] = scene
	h.mu.Unlock()
	return c, func() {
		h.mu.Lock()
		delete(h.pages, c)
		h.mu.Unlock()
	}
}

// Listening is how many pages listen.
func (h *Hub) Listening() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.pages)
}

// Tell sends to all pages of a scene, or to every page if scene is "". A page too slow to listen misses it, and
// catches up with the next.
func (h *Hub) Tell(scene, kind string, body any) {
	raw, err := json.Marshal(body)
	if err != nil {
		slog.Error("an event could not be told", "kind", kind, "err", err)
		return
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	for page, shows := range h.pages {
		if scene == "" || shows == "" || shows == scene {
			select {
			case page <- Event{scene, kind, raw}:
			default:
			}
		}
	}
}
