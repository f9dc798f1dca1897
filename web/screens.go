package web

import (
	"io/fs"
	"net/http"
	"strings"

	"blendseam/store"
	"blendseam/web/access"
)

// A screen is a page of the program. Its template is templates/NAME.html, its script, if it has one, ui/pages/NAME.ts.
type screen struct {
	Name  string
	Path  string
	Words string // in the navigation: of a scene if the path is one of its, else of all pages; "" if it is not there
	Needs access.Need
	show  func(*Server, http.ResponseWriter, *http.Request) error
}

// screens are all pages, in the order of the navigation.
func screens() []screen {
	listens, edits := access.Listens("scene"), access.Edit("scene")
	return []screen{
		{"scenes", "/", "", access.Person, (*Server).scenesPage},
		{"scene", "/scenes/{scene}/", "Scene", listens, (*Server).scenePage},
		{"sources", "/scenes/{scene}/sources", "Sources", edits, (*Server).sourcesPage},
		{"source", "/scenes/{scene}/sources/{source}/", "", edits, (*Server).sourcePage},
		{"tone", "/scenes/{scene}/tone", "Tone", edits, (*Server).tonePage},
		{"rooms", "/scenes/{scene}/rooms", "Rooms", edits, (*Server).roomsPage},
		{"voices", "/scenes/{scene}/voices", "Voices", edits, (*Server).voicesPage},
		{"loud", "/scenes/{scene}/loud", "Too loud", listens, (*Server).loudPage},
		{"report", "/scenes/{scene}/report", "Report", listens, (*Server).reportPage},
		{"hand-over", "/scenes/{scene}/hand-over", "Hand over", edits, (*Server).handOverPage},
		{"come-back", "/scenes/{scene}/come-back", "Come back", edits, (*Server).comeBackPage},
		{"notes", "/scenes/{scene}/remarks", "Notes", listens, (*Server).notesPage},
		{"listen", "/scenes/{scene}/listen", "", listens, (*Server).listenPage},
		{"people", "/people", "People", access.Person, (*Server).peoplePage},
		{"settings", "/settings", "Settings", access.Person, (*Server).settingsPage},
		{"keys", "/keys", "Keys", access.Person, (*Server).keysPage},
		{"api", "/api", "", access.Person, (*Server).apiPage},
	}
}

// ofScene begins the path of all that is a scene's.
const ofScene = "/scenes/{scene}"

// screens are the routes to the pages.
func (s *Server) screens() (table []access.Route) {
	for _, x := range screens() {
		table = append(table, access.Route{Method: http.MethodGet, Pattern: x.Path, Need: x.Needs,
			Handler: s.handle(func(w http.ResponseWriter, r *http.Request) error { return x.show(s, w, r) })})
	}
	return table
}

// A way leads to a screen.
type way struct {
	Href, Words string
	Here        bool
}

// ways are the screens of a scene, or with "" those beside scenes, that the navigation lists. Where nobody is asked who
// they are, there are no people; a person sees those that their role in the scene lets them open.
func ways(scene, here string, person *store.Caller, role store.Role) (list []way) {
	for _, x := range screens() {
		of := strings.HasPrefix(x.Path, ofScene)
		if person == nil && x.Name == "people" {
			continue
		}
		if x.Words != "" && of == (scene != "") && (!of || person == nil || role.Covers(x.Needs.Role)) {
			list = append(list, way{strings.ReplaceAll(x.Path, "{scene}", scene), x.Words, x.Name == here})
		}
	}
	return list
}

// Scenes are the ways to the pages of the scene that a page is about, Others those to the rest.
func (v view) Scenes() []way { return ways(v.Scene, v.Here, v.Person, v.Role) }
func (v view) Others() []way { return ways("", v.Here, v.Person, v.Role) }

// Script tells whether the page has one.
func (v view) Script() bool {
	_, err := fs.Stat(static, "static/"+v.Screen+".js")
	return v.Screen != "" && err == nil
}
