package access

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"

	"blendseam/core/limit"
	"blendseam/store"
)

// Where people sign in and out.
const (
	signInPath  = "/sign-in"
	signOutPath = "/sign-out"
	outsidePath = "/sign-in/outside"
	returnPath  = "/sign-in/return"
)

// Routes are those of the gate itself.
func (g *Gate) Routes() []Route {
	return []Route{
		{http.MethodGet, signInPath, Open, g.form},
		{http.MethodPost, signInPath, Open, g.signIn},
		{http.MethodGet, outsidePath, Open, g.toOutside},
		{http.MethodGet, returnPath, Open, g.fromOutside},
		{http.MethodPost, signOutPath, Open, g.signOut},
	}
}

func limitedQuery(to string) string {
	if len(to) > longestPath {
		to = "/"
	}
	return url.QueryEscape(to)
}

// ask shows the form; said is what was wrong.
func (g *Gate) ask(w http.ResponseWriter, r *http.Request, status int, said string) {
	if !forPage(r) {
		g.Answers.Say(w, r, status, said)
		return
	}
	to := r.URL.Query().Get("to")
	if r.PostForm != nil {
		to = r.PostForm.Get("to")
	}
	data := map[string]string{"to": ownPath(to), "name": r.PostForm.Get("name")}
	if g.Outside != nil {
		data["outside"] = g.Outside.Words
	}
	g.Answers.Show(w, r, status, "sign-in", "Sign in", said, data)
}

func (g *Gate) form(w http.ResponseWriter, r *http.Request) {
	c := store.CallerOf(r.Context())
	if asks, err := g.Asks(r.Context()); err == nil && !asks || c == nil || c.Account != "" {
		// nobody has to sign in, or they have
		http.Redirect(w, r, ownPath(r.URL.Query().Get("to")), http.StatusSeeOther)
		return
	}
	g.ask(w, r, http.StatusOK, "")
}

// tried is under what tries of somebody are counted: the name and the address, so that nobody locks another out.
func (g *Gate) tried(what, name string, r *http.Request) string {
	sum := sha256.Sum256([]byte(name))
	return what + " " + hex.EncodeToString(sum[:12]) + " from " + g.addressOf(r)
}

// Limited answers a request that sets a password, if there were too many, and tells whether it did.
func (g *Gate) Limited(w http.ResponseWriter, r *http.Request) bool {
	account := ""
	if c := store.CallerOf(r.Context()); c != nil {
		account = c.Account
	}
	return g.perAccount.RespondOnLimit(w, r, g.tried("password", account, r))
}

// wrong is told whoever signs in with a name and a password that do not belong together, whichever is wrong.
const wrong = "The name and the password do not go together. Check both; an owner of the machine can set a new " +
	"password."

func (g *Gate) signIn(w http.ResponseWriter, r *http.Request) {
	form, err := formOf(w, r)
	if err != nil {
		g.Answers.Say(w, r, http.StatusBadRequest, "the form did not arrive: "+err.Error())
		return
	}
	name, password := form.Get("name"), form.Get("password")
	if g.perAddress.RespondOnLimit(w, r, "from "+g.addressOf(r)) ||
		g.perAccount.RespondOnLimit(w, r, g.tried("as", name, r)) {
		return
	}
	a, err := g.Store.AccountNamed(r.Context(), name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		g.Answers.Fail(w, r, err)
		return
	}
	if !Matches(r.Context(), password, a.Password) {
		g.ask(w, r, http.StatusUnauthorized, wrong)
		return
	}
	g.begin(w, r, a, form.Get("to"))
}

// begin begins the session of a person under a new token: one that somebody else may have given the browser ends.
func (g *Gate) begin(w http.ResponseWriter, r *http.Request, a store.Account, to string) {
	if err := g.sessions.RenewToken(r.Context()); err != nil {
		g.Answers.Fail(w, r, fmt.Errorf("%w (%s)", store.ErrUnavailable, err))
		return
	}
	if err := g.Store.ForgetSessions(r.Context()); err != nil { // they do not sign in, they only lie there
		slog.Debug("sessions that have run out are kept", "err", err)
	}
	g.sessions.Put(r.Context(), "account", a.ID)
	g.sessions.Put(r.Context(), "stamp", a.Stamp)
	http.Redirect(w, r, ownPath(to), http.StatusSeeOther)
}

func (g *Gate) signOut(w http.ResponseWriter, r *http.Request) {
	if asks, err := g.Asks(r.Context()); err == nil && asks && g.Header == "" {
		if err := g.sessions.Destroy(r.Context()); err != nil {
			g.Answers.Fail(w, r, fmt.Errorf("%w (%s)", store.ErrUnavailable, err))
			return
		}
	}
	http.Redirect(w, r, signInPath, http.StatusSeeOther)
}

// BadPassword says what is wrong with a new password; nil if nothing is.
func BadPassword(password string) error {
	if n := len([]rune(password)); n < limit.PasswordLeast || n > limit.PasswordMost {
		return &store.Refused{Why: fmt.Sprintf("A password has %d to %d letters; this one has %d.",
			limit.PasswordLeast, limit.PasswordMost, n)}
	}
	return nil
}

// hashing is how many passwords are hashed at once: each takes 64 MB.
var hashing = make(chan struct{}, limit.PasswordsHashed)

// Hash is what is kept of a password: argon2id with the parameters of RFC 9106's second choice, 64 MiB.
func Hash(password string) (string, error) {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2id.CreateHash(password, hashParams)
}

var hashParams = &argon2id.Params{Memory: 64 << 10, Iterations: 3, Parallelism: 4, SaltLength: 16, KeyLength: 32}

// nobody is the hash that is tried where there is no account, so that the time does not tell which there are.
var nobody = sync.OnceValue(func() string {
	hash, err := Hash(time.Now().String())
	if err != nil {
		panic(err) // there is no randomness
	}
	return hash
})

// Matches tells whether a password is the one that a hash was made of; "" is the hash of none.
func Matches(ctx context.Context, password, hash string) bool {
	known := hash != ""
	if !known {
		hash = nobody()
	}
	select {
	case hashing <- struct{}{}:
	case <-ctx.Done():
		return false
	}
	defer func() { <-hashing }()
	is, err := argon2id.ComparePasswordAndHash(password, hash)
	return is && err == nil && known
}

// hostOf is the host of an address, for people.
func hostOf(address string) string {
	if u, err := url.Parse(address); err == nil && u.Host != "" {
		return u.Hostname()
	}
	return address
}
