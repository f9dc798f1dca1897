package access

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"blendseam/core/limit"
	"blendseam/store"
)

// Outside is somebody else who vouches for people, by OpenID Connect Core 1.0 (code flow, with PKCE of RFC 7636).
type Outside struct {
	Words string // on the button that leads there

	verifier *oidc.IDTokenVerifier
	oauth    oauth2.Config
	issuer   string
}

// NewOutside asks an issuer for its endpoints. public is our own address, without a path.
func NewOutside(ctx context.Context, issuer, client, secret, public string) (*Outside, error) {
	p, err := oidc.NewProvider(ctx, issuer)
	if err != nil {
		return nil, err
	}
	return &Outside{
		Words:    "Sign in at " + hostOf(issuer),
		verifier: p.Verifier(&oidc.Config{ClientID: client}),
		issuer:   issuer,
		oauth: oauth2.Config{ClientID: client, ClientSecret: secret, Endpoint: p.Endpoint(),
			RedirectURL: public + returnPath, Scopes: []string{oidc.ScopeOpenID, "profile", "email"}},
	}, nil
}

// toOutside leads there, and remembers what has to come back.
func (g *Gate) toOutside(w http.ResponseWriter, r *http.Request) {
	if g.Outside == nil {
		g.Answers.Fail(w, r, store.ErrNotFound)
		return
	}
	if g.perAddress.RespondOnLimit(w, r, "elsewhere from "+g.addressOf(r)) {
		return
	}
	b := begun{State: rand.Text(), Nonce: rand.Text(), Proof: oauth2.GenerateVerifier(), At: time.Now().Unix()}
	if to := ownPath(r.URL.Query().Get("to")); len(to) <= longestPath {
		b.To = to
	}
	raw, err := json.Marshal(b)
	if err != nil {
		g.Answers.Fail(w, r, err)
		return
	}
	g.remember(w, base64.RawURLEncoding.EncodeToString(raw), limit.OutsideMinutes*60)
	http.Redirect(w, r, g.Outside.oauth.AuthCodeURL(b.State, oidc.Nonce(b.Nonce), oauth2.S256ChallengeOption(b.Proof)),
		http.StatusSeeOther)
}

// begun is what has to come back of signing in elsewhere. The browser keeps it: nobody else can use it, and whoever
// begins and never comes back leaves nothing here.
type begun struct {
	State string `json:"state"`
	Nonce string `json:"nonce"`
	Proof string `json:"proof"`
	To    string `json:"to"`
	At    int64  `json:"at"` // seconds since 1970
}

// remember lets the browser keep something of signing in elsewhere for so many seconds; none forgets it.
func (g *Gate) remember(w http.ResponseWriter, value string, seconds int) {
	if value == "" {
		seconds = -1
	}
	http.SetCookie(w, &http.Cookie{Name: g.outsideCookie(), Value: value, Path: "/", MaxAge: seconds, HttpOnly: true,
		Secure: g.Secure, SameSite: http.SameSiteLaxMode})
}

func (g *Gate) outsideCookie() string {
	if g.Secure {
		return "__Host-blendseam_elsewhere"
	}
	return "blendseam_elsewhere"
}

// cameBack is what was begun in the browser of a request; ok is false if nothing was, or too long ago.
func (g *Gate) cameBack(w http.ResponseWriter, r *http.Request) (b begun, ok bool) {
	c, err := r.Cookie(g.outsideCookie())
	if err != nil {
		return b, false
	}
	g.remember(w, "", 0)
	raw, err := base64.RawURLEncoding.DecodeString(c.Value)
	if err != nil || json.Unmarshal(raw, &b) != nil {
		return b, false
	}
	age := time.Since(time.Unix(b.At, 0))
	return b, b.State != "" && age >= 0 && age < limit.OutsideMinutes*time.Minute
}

// fromOutside takes who somebody is.
func (g *Gate) fromOutside(w http.ResponseWriter, r *http.Request) {
	if g.Outside == nil {
		g.Answers.Fail(w, r, store.ErrNotFound)
		return
	}
	if g.perAddress.RespondOnLimit(w, r, "back from elsewhere from "+g.addressOf(r)) {
		return
	}
	ctx, q := r.Context(), r.URL.Query()
	b, ok := g.cameBack(w, r)
	if !ok || subtle.ConstantTimeCompare([]byte(q.Get("state")), []byte(b.State)) != 1 {
		g.ask(w, r, http.StatusUnauthorized, "That was not begun here, or too long ago. Sign in again.")
		return
	}
	a, err := g.vouched(ctx, q.Get("code"), b.Nonce, b.Proof)
	if refused := (*store.Refused)(nil); errors.As(err, &refused) || errors.Is(err, store.ErrUnavailable) {
		g.Answers.Fail(w, r, err)
		return
	} else if err != nil {
		g.ask(w, r, http.StatusUnauthorized, "Signing in elsewhere did not succeed: "+err.Error())
		return
	}
	g.begin(w, r, a, b.To)
}

// vouched is the account of whom a code stands for. One that has the same name here is somebody else.
func (g *Gate) vouched(ctx context.Context, code, nonce, proof string) (a store.Account, err error) {
	token, err := g.Outside.oauth.Exchange(ctx, code, oauth2.VerifierOption(proof))
	if err != nil {
		return a, errors.New("the code was not taken")
	}
	raw, _ := token.Extra("id_token").(string)
	id, err := g.Outside.verifier.Verify(ctx, raw)
	if err != nil || id.Nonce != nonce {
		return a, errors.New("what came back cannot be trusted")
	}
	var claims struct {
		Name  string `json:"name"`
		Login string `json:"preferred_username"`
		Email string `json:"email"`
	}
	if err := id.Claims(&claims); err != nil {
		return a, err
	}
	subject := g.Outside.issuer + "|" + id.Subject
	if a, err = g.Store.AccountOf(ctx, subject); !errors.Is(err, store.ErrNotFound) {
		return a, err
	}
	a = store.Account{Name: firstOf(claims.Login, claims.Email, id.Subject), Subject: subject}
	a.Shown = firstOf(claims.Name, a.Name)
	for name, n := a.Name, 2; ; n++ {
		_, err := g.Store.AddAccount(ctx, a)
		if err == nil {
			return g.Store.AccountOf(ctx, subject)
		}
		if refused := (*store.Refused)(nil); !errors.As(err, &refused) || n > 100 {
			return a, err
		}
		a.Name = fmt.Sprintf("%s-%d", name, n)
	}
}

// firstOf is the first of some names that can be one.
func firstOf(names ...string) string {
	for _, n := range names {
		if store.BadName(n) == nil {
			return n
		}
	}
	return "somebody"
}
