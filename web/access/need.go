package access

import (
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/store"
)

// A Need is the role that a route needs, and in what: in the production that has what the parameter Of of the route
// names, or in any with "".
type Need struct {
	Role store.Role
	Of   string // "scene", "source", "job", "tone", "production"
}

// What routes need.
var (
	Open   = Need{Of: "open"}         // nothing, not even to be signed in
	Person = Need{}                   // to be signed in
	Edits  = Need{Role: store.Editor} // to be an editor anywhere
	Owns   = Need{Role: store.Owner}  // to be an owner anywhere
)

// Listens is what a route needs that changes nothing.
func Listens(of string) Need { return Need{store.Listener, of} }

// Edit is what a route needs that changes something.
func Edit(of string) Need { return Need{store.Editor, of} }

// Own is what a route needs that says who else may do something.
func Own(of string) Need { return Need{store.Owner, of} }

// A Route is one row of the table: what is answered, to whom and by what.
type Route struct {
	Method  string
	Pattern string
	Need    Need
	Handler http.HandlerFunc
}

// Mount puts a table of routes on a router, each behind what it needs.
func (g *Gate) Mount(r chi.Router, table []Route) {
	for _, x := range table {
		r.With(g.needs(x.Need)).Method(x.Method, x.Pattern, x.Handler)
	}
}

// needs lets only those through who have what a route needs. What somebody may not even hear of is not there.
func (g *Gate) needs(n Need) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			c := store.CallerOf(r.Context())
			if c == nil || n.Role == "" {
				next.ServeHTTP(w, r)
				return
			}
			has := c.Best()
			if n.Of != "" {
				var err error
				if has, err = g.Store.RoleIn(r.Context(), n.Of, chi.URLParam(r, n.Of)); err != nil {
					g.Answers.Fail(w, r, err)
					return
				}
			}
			switch {
			case has.Covers(n.Role):
				next.ServeHTTP(w, r)
			case has == "" && n.Of != "":
				g.Answers.Fail(w, r, store.ErrNotFound)
			default:
				g.Answers.Say(w, r, http.StatusForbidden, lacking(has, n.Role))
			}
		})
	}
}

// lacking says what somebody would have to be.
func lacking(has, need store.Role) string {
	you := "You are in no production yet."
	switch has {
	case store.Listener:
		you = "You are a listener here, and change nothing; leave a note instead."
	case store.Editor:
		you = "You are an editor here."
	}
	if need == store.Owner {
		return you + " This is for an owner of the production."
	}
	return you + " An owner of the production can make you an " + string(need) + "."
}

// forPage tells whether somebody looks at a page, and not a script.
func forPage(r *http.Request) bool { return strings.Contains(r.Header.Get("Accept"), "text/html") }

// isStatic tells whether a request is for what ships with the program and is the same for all.
func isStatic(r *http.Request) bool { return strings.HasPrefix(r.URL.Path, "/static/") }
