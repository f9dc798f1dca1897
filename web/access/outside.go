package access

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/http"

	"blendseam/store"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
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
	state, nonce, proof := rand.Text(), rand.Text(), oauth2.GenerateVerifier()
	for key, v := range map[string]string{"state": state, "nonce": nonce, "proof": proof, "to": r.URL.Query().Get("to")} {
		g.sessions.Put(r.Context(), key, v)
	}
	http.Redirect(w, r, g.Outside.oauth.AuthCodeURL(state, oidc.Nonce(nonce), oauth2.S256ChallengeOption(proof)),
		http.StatusSeeOther)
}

// fromOutside takes who somebody is.
func (g *Gate) fromOutside(w http.ResponseWriter, r *http.Request) {
	if g.Outside == nil {
		g.Answers.Fail(w, r, store.ErrNotFound)
		return
	}
	ctx, q := r.Context(), r.URL.Query()
	state, nonce := g.sessions.PopString(ctx, "state"), g.sessions.PopString(ctx, "nonce")
	proof, to := g.sessions.PopString(ctx, "proof"), g.sessions.PopString(ctx, "to")
	if state == "" || q.Get("state") != state {
		g.ask(w, r, http.StatusUnauthorized, "That was not begun here, or too long ago. Sign in again.")
		return
	}
	a, err := g.vouched(ctx, q.Get("code"), nonce, proof)
	if refused := (*store.Refused)(nil); errors.As(err, &refused) || errors.Is(err, store.ErrUnavailable) {
		g.Answers.Fail(w, r, err)
		return
	} else if err != nil {
		g.ask(w, r, http.StatusUnauthorized, "Signing in elsewhere did not succeed: "+err.Error())
		return
	}
	g.begin(w, r, a, to)
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
