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
	at    map[string]int64      // the newest revision of a scene that was told
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
	return &Hub{pages: map[chan Event]string{}, at: map[string]int64{}, ended: make(chan struct{})}
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

// Edited tells that a scene was edited, by whom and on which page; "" where that is not known here.
func (h *Hub) Edited(scene string, revision int64, words, who, page string) {
	h.mu.Lock()
	if h.at[scene] >= revision { // here or by the database, whichever came first
		h.mu.Unlock()
		return
	}
	h.at[scene] = revision
	h.mu.Unlock()
	h.Tell(scene, "edit", map[string]any{"revision": revision, "words": words, "who": who, "page": page})
}

// told is the newest revision of a scene that was told.
func (h *Hub) told(scene string) int64 {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.at[scene]
}

// scenes are those that pages show.
func (h *Hub) scenes() (list []string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	seen := map[string]bool{"": true}
	for _, id := range h.pages {
		if !seen[id] {
			seen[id] = true
			list = append(list, id)
		}
	}
	return list
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
