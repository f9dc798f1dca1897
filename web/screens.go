package web

import (
	"io/fs"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"
)

// A screen is a page of the program. Its template is templates/NAME.html, its script, if it has one, ui/pages/NAME.ts.
type screen struct {
	Name  string
	Path  string
	Words string // in the navigation: of a scene if the path is one of its, else of all pages; "" if it is not there
	show  func(*Server, http.ResponseWriter, *http.Request) error
}

// screens are all pages, in the order of the navigation.
func screens() []screen {
	return []screen{
		{"scenes", "/", "", (*Server).scenesPage},
		{"scene", "/scenes/{scene}/", "Scene", (*Server).scenePage},
		{"sources", "/scenes/{scene}/sources", "Sources", (*Server).sourcesPage},
		{"source", "/scenes/{scene}/sources/{source}/", "", (*Server).sourcePage},
		{"tone", "/scenes/{scene}/tone", "Tone", (*Server).tonePage},
		{"rooms", "/scenes/{scene}/rooms", "Rooms", (*Server).roomsPage},
		{"voices", "/scenes/{scene}/voices", "Voices", (*Server).voicesPage},
		{"loud", "/scenes/{scene}/loud", "Too loud", (*Server).loudPage},
		{"report", "/scenes/{scene}/report", "Report", (*Server).reportPage},
		{"hand-over", "/scenes/{scene}/hand-over", "Hand over", (*Server).handOverPage},
		{"come-back", "/scenes/{scene}/come-back", "Come back", (*Server).comeBackPage},
		{"settings", "/settings", "Settings", (*Server).settingsPage},
		{"keys", "/keys", "Keys", (*Server).keysPage},
	}
}

// ofScene begins the path of all that is a scene's.
const ofScene = "/scenes/{scene}"

// screens routes to the pages of a scene, or with "" to those beside scenes.
func (s *Server) screens(r chi.Router, below string) {
	for _, x := range screens() {
		if path, of := strings.CutPrefix(x.Path, ofScene); of == (below != "") {
			r.Get(path, s.handle(func(w http.ResponseWriter, r *http.Request) error { return x.show(s, w, r) }))
		}
	}
}

// A way leads to a screen.
type way struct {
	Href, Words string
	Here        bool
}

// ways are the screens of a scene, or with "" those beside scenes, that the navigation lists.
func ways(scene, here string) (list []way) {
	for _, x := range screens() {
		of := strings.HasPrefix(x.Path, ofScene)
		if x.Words != "" && of == (scene != "") {
			list = append(list, way{strings.ReplaceAll(x.Path, "{scene}", scene), x.Words, x.Name == here})
		}
	}
	return list
}

// Scenes are the ways to the pages of the scene that a page is about, Others those to the rest.
func (v view) Scenes() []way { return ways(v.Scene, v.Here) }
func (v view) Others() []way { return ways("", v.Here) }

// Script tells whether the page has one.
func (v view) Script() bool {
	_, err := fs.Stat(static, "static/"+v.Screen+".js")
	return v.Screen != "" && err == nil
}
