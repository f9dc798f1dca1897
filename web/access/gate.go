package access

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/mysqlstore"
	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/httprate"

	"blendseam/core/limit"
	"blendseam/store"
)

// Where whoever keeps the program running asks how it is. Nothing of anybody's work is told there, so that no secret
// and no name is needed; figures are for owners, or at an address of their own.
const (
	Healthy = "/healthz"
	Ready   = "/readyz"
	Metrics = "/metrics"
)

// Answers are how the interface answers.
type Answers interface {
	Say(w http.ResponseWriter, r *http.Request, status int, message string)
	Show(w http.ResponseWriter, r *http.Request, status int, page, title, said string, data any)
	Fail(w http.ResponseWriter, r *http.Request, err error)
}

// A Config is what decides who somebody is.
type Config struct {
	Secure  bool           // pages come by https, from us or from a proxy
	Header  string         // of a proxy's that names the person, "" if none does
	Proxies []netip.Prefix // whose word counts
	Outside *Outside       // somebody else who vouches for people, nil if nobody does
}

// A Gate knows who somebody is. Where there are no accounts and no proxy names people, nobody is asked.
type Gate struct {
	Config
	Store   *store.Store
	Answers Answers

	sessions   *scs.SessionManager
	perAddress *httprate.RateLimiter
	perAccount *httprate.RateLimiter
	warned     sync.Once // that a proxy is not trusted
}

// triesIn is the time in which tries to sign in are counted.
const triesIn = time.Minute

// NewGate gives a gate.
func NewGate(c Config, st *store.Store, a Answers) *Gate {
	g := &Gate{Config: c, Store: st, Answers: a, sessions: scs.New()}
	g.sessions.Store = mysqlstore.NewWithCleanupInterval(st.DB(), 0)
	g.sessions.Lifetime = limit.SessionDays * 24 * time.Hour
	g.sessions.Cookie.Name = "blendseam_person"
	if g.sessions.Cookie.Secure = c.Secure; c.Secure {
		g.sessions.Cookie.Name = "__Host-blendseam_person"
	}
	g.sessions.Cookie.SameSite = http.SameSiteLaxMode // signing in elsewhere leads back here
	g.sessions.HashTokenInStore = true
	g.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		a.Fail(w, r, fmt.Errorf("%w (%s)", store.ErrUnavailable, err))
	}
	tries := func(most int) *httprate.RateLimiter {
		return httprate.NewRateLimiter(most, triesIn, httprate.WithLimitCounter(&store.Tries{Store: st}),
			httprate.WithLimitHandler(func(w http.ResponseWriter, r *http.Request) {
				g.ask(w, r, http.StatusTooManyRequests, "There were too many tries. Wait a minute, then try again.")
			}))
	}
	g.perAddress, g.perAccount = tries(limit.TriesAddress), tries(limit.TriesAccount)
	return g
}

// Asks tells whether people are asked who they are.
func (g *Gate) Asks(ctx context.Context) (bool, error) {
	if g.Header != "" || g.Outside != nil {
		return true, nil
	}
	return g.Store.AnyAccount(ctx)
}

// Handler finds out who somebody is, and asks those of whom it does not know.
func (g *Gate) Handler(next http.Handler) http.Handler {
	asked := g.sessions.LoadAndSave(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		c, name, err := g.signedIn(r)
		switch {
		case err != nil:
			g.Answers.Fail(w, r, err)
		case c != nil:
			next.ServeHTTP(w, known(r, c, name))
		case g.public(r):
			next.ServeHTTP(w, r.WithContext(store.WithCaller(r.Context(), &store.Caller{})))
		default:
			g.askFirst(w, r)
		}
	}))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if isStatic(r) || r.URL.Path == Healthy || r.URL.Path == Ready {
			next.ServeHTTP(w, r)
			return
		}
		if token := tokenOf(r); token != "" {
			g.withToken(w, r, token, next)
			return
		}
		switch asks, err := g.Asks(r.Context()); {
		case err != nil:
			g.Answers.Fail(w, r, err)
		case !asks && !g.public(r):
			next.ServeHTTP(w, r)
		case g.Header != "":
			g.named(w, r, next)
		default:
			asked.ServeHTTP(w, r)
		}
	})
}

// scripts begins the addresses that tokens are for.
const scripts = "/api/"

// tokenOf is the secret of the token that a request of a script brings, "" if it brings none.
func tokenOf(r *http.Request) string {
	told, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	if !ok || !strings.HasPrefix(told, store.TokenPrefix) || !strings.HasPrefix(r.URL.Path, scripts) {
		return ""
	}
	return told
}

// withToken lets a script in that brings a token.
func (g *Gate) withToken(w http.ResponseWriter, r *http.Request, token string, next http.Handler) {
	c, err := g.Store.TokenCaller(r.Context(), token)
	switch {
	case errors.Is(err, store.ErrNotFound):
		if !g.perAddress.RespondOnLimit(w, r, "token:"+g.addressOf(r)) {
			g.Answers.Say(w, r, http.StatusUnauthorized,
				"This token does not hold, or not any more. Make another one with blendseam token add.")
		}
	case err != nil:
		g.Answers.Fail(w, r, err)
	default:
		next.ServeHTTP(w, known(r, c, c.Name))
	}
}

type noteKey struct{}

// Noting is a context in which it is noted who somebody is, for the log.
func Noting(ctx context.Context, name *string) context.Context {
	return context.WithValue(ctx, noteKey{}, name)
}

// known is a request of somebody who is known.
func known(r *http.Request, c *store.Caller, name string) *http.Request {
	if note, is := r.Context().Value(noteKey{}).(*string); is {
		*note = name
	}
	return r.WithContext(store.WithCaller(r.Context(), c))
}

// public tells whether a request is one of those by which somebody signs in.
func (g *Gate) public(r *http.Request) bool {
	return slices.ContainsFunc(g.Routes(), func(x Route) bool { return x.Need == Open && x.Pattern == r.URL.Path })
}

// signedIn is whoever the session of a request belongs to, with the name that they sign in with; nil if nobody.
func (g *Gate) signedIn(r *http.Request) (c *store.Caller, name string, err error) {
	id := g.sessions.GetString(r.Context(), "account")
	if id == "" {
		return nil, "", nil
	}
	a, err := g.Store.Account(r.Context(), id)
	if errors.Is(err, store.ErrNotFound) || err == nil && a.Stamp != g.sessions.GetInt64(r.Context(), "stamp") {
		return nil, "", nil
	} else if err != nil {
		return nil, "", err
	}
	c, err = g.Store.CallerFor(r.Context(), a)
	return c, a.Name, err
}

// named lets whoever a proxy names in.
func (g *Gate) named(w http.ResponseWriter, r *http.Request, next http.Handler) {
	name := strings.TrimSpace(r.Header.Get(g.Header))
	if !g.trusted(r.RemoteAddr) || name == "" || len(r.Header.Values(g.Header)) != 1 {
		g.Answers.Say(w, r, http.StatusUnauthorized,
			"Nobody says who you are here: come in through the proxy that this program trusts, and sign in there.")
		return
	}
	a, err := g.Store.AccountNamed(r.Context(), name)
	if errors.Is(err, store.ErrNotFound) {
		if _, err = g.Store.AddAccount(r.Context(), store.Account{Name: name, Shown: name}); err == nil {
			a, err = g.Store.AccountNamed(r.Context(), name)
		}
	}
	if err != nil {
		g.Answers.Fail(w, r, err)
		return
	}
	c, err := g.Store.CallerFor(r.Context(), a)
	if err != nil {
		g.Answers.Fail(w, r, err)
		return
	}
	next.ServeHTTP(w, known(r, c, name))
}

// trusted tells whether an address, with its port or without, is that of a proxy whose word counts.
func (g *Gate) trusted(address string) bool {
	at, err := netip.ParseAddr(address)
	if with, e := netip.ParseAddrPort(address); e == nil {
		at, err = with.Addr(), nil
	}
	return err == nil && slices.ContainsFunc(g.Proxies, func(p netip.Prefix) bool { return p.Contains(at.Unmap()) })
}

// addressOf is the address that somebody comes from: that of the connection, or what the last proxy before one of ours
// saw.
func (g *Gate) addressOf(r *http.Request) string {
	at, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	address := at.Addr().Unmap().String()
	if r.Header.Get("X-Forwarded-For") != "" && !g.trusted(address) {
		g.warned.Do(func() {
			slog.Warn("a proxy that is not among --trusted-proxies says whom it asks for; all who come through it count as one",
				"address", address)
		})
	}
	seen := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for _, x := range slices.Backward(seen) {
		if x = strings.TrimSpace(x); !g.trusted(address) || x == "" {
			break
		}
		if next, err := netip.ParseAddr(x); err == nil {
			address = next.Unmap().String()
		}
	}
	return httprate.CanonicalizeIP(address)
}

// askFirst answers whoever is not known: a page leads to the form, a script is told.
func (g *Gate) askFirst(w http.ResponseWriter, r *http.Request) {
	switch {
	case !forPage(r):
		g.Answers.Say(
			w,
			r,
			http.StatusUnauthorized,
			"Sign in first: open the page in a browser, or send a name and a password as "+
				"a form to "+signInPath+" and keep the cookie.",
		)
	case r.Method == http.MethodGet:
		http.Redirect(w, r, signInPath+"?to="+limitedQuery(r.URL.RequestURI()), http.StatusSeeOther)
	default:
		g.ask(w, r, http.StatusUnauthorized, "You are not signed in any more. Sign in, and do it again.")
	}
}

// longestPath is how long a path may be that somebody is led back to.
const longestPath = limit.Names * 4
