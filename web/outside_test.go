package web

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"

	"blendseam/core/limit"
	"blendseam/store"
	"blendseam/web/access"
)

// A provider is a small one of OpenID Connect Core 1.0, section 3.1, with PKCE as RFC 7636 has it.
type provider struct {
	*httptest.Server
	key     *rsa.PrivateKey
	claims  map[string]any // of the next token
	sign    *rsa.PrivateKey
	pending url.Values
}

const (
	clientID = "blend-seam"
	code     = "the code"
)

func newProvider(t *testing.T) *provider {
	t.Helper()
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	p := &provider{key: key, sign: key}
	mux := http.NewServeMux()
	answer := func(w http.ResponseWriter, v any) {
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(v)
	}
	mux.HandleFunc("/.well-known/openid-configuration", func(w http.ResponseWriter, r *http.Request) {
		answer(w, map[string]any{"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize",
			"token_endpoint": p.URL + "/token", "jwks_uri": p.URL + "/keys",
			"id_token_signing_alg_values_supported": []string{"RS256"}})
	})
	mux.HandleFunc("/keys", func(w http.ResponseWriter, r *http.Request) {
		answer(
			w,
			jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: key.Public(), KeyID: "k", Algorithm: "RS256", Use: "sig"}}},
		)
	})
	mux.HandleFunc("/authorize", func(w http.ResponseWriter, r *http.Request) {
		p.pending = r.URL.Query()
		back := p.pending.Get("redirect_uri") + "?" + url.Values{"code": {code}, "state": {p.pending.Get("state")}}.Encode()
		http.Redirect(w, r, back, http.StatusSeeOther)
	})
	mux.HandleFunc("/token", func(w http.ResponseWriter, r *http.Request) {
		r.ParseForm()
		id, secret, _ := r.BasicAuth()
		proof := sha256.Sum256([]byte(r.PostForm.Get("code_verifier")))
		if id != clientID || secret != "s3cret" || r.PostForm.Get("code") != code ||
			base64.RawURLEncoding.EncodeToString(proof[:]) != p.pending.Get("code_challenge") {
			w.WriteHeader(http.StatusBadRequest)
			answer(w, map[string]string{"error": "invalid_grant"})
			return
		}
		claims := map[string]any{"iss": p.URL, "aud": clientID, "sub": "u1", "nonce": p.pending.Get("nonce"),
			"iat": time.Now().Unix(), "exp": time.Now().Add(time.Hour).Unix()}
		for k, v := range p.claims {
			claims[k] = v
		}
		answer(w, map[string]any{"access_token": "x", "token_type": "Bearer", "id_token": p.token(t, claims)})
	})
	p.Server = httptest.NewServer(mux)
	t.Cleanup(p.Close)
	return p
}

func (p *provider) token(t *testing.T, claims map[string]any) string {
	signer, err := jose.NewSigner(
		jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: p.sign, KeyID: "k"}},
		nil,
	)
	if err != nil {
		t.Error(err)
		return ""
	}
	raw, err := json.Marshal(claims)
	if err != nil {
		t.Error(err)
		return ""
	}
	signed, err := signer.Sign(raw)
	if err != nil {
		t.Error(err)
		return ""
	}
	text, err := signed.CompactSerialize()
	if err != nil {
		t.Error(err)
	}
	return text
}

// Somebody signs in at a provider, and is one person here from then on; what the provider did not sign, for us,
// for this
// sign-in and in time, signs in nobody.
func TestSigningInElsewhere(t *testing.T) {
	c := newPeople(t)
	p := newProvider(t)
	outside, err := access.NewOutside(t.Context(), p.URL, clientID, "s3cret", c.url)
	if err != nil {
		t.Fatal(err)
	}
	c.server.gate = access.NewGate(access.Config{Outside: outside}, c.server.Store, answers{c.server})
	c.rebuild()
	id, err := c.server.Store.AddAccount(
		t.Context(),
		store.Account{Name: "kim", Shown: "Kim who was here first", Password: hashed},
	)
	if err != nil {
		t.Fatal(err)
	}
	follow := func(b *person, path string) *http.Response { // through all redirects but the last
		t.Helper()
		b.http.CheckRedirect = nil
		defer func() {
			b.http.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
		}()
		return b.send("GET", path, nil, "Accept", "text/html")
	}
	page := func(claims map[string]any) int {
		t.Helper()
		p.claims = claims
		b := &person{c, "", c.browser()}
		follow(b, "/sign-in/outside?to=/people")
		return b.send("GET", "/people", nil).StatusCode
	}
	if got := page(map[string]any{"preferred_username": "kim", "name": "Kim"}); got != 200 {
		t.Fatalf("signing in elsewhere: %d", got)
	}
	a, err := c.server.Store.AccountOf(t.Context(), p.URL+"|u1")
	if err != nil || a.ID == id || a.Name != "kim-2" || a.Shown != "Kim" {
		t.Errorf("they are %v %v", a, err)
	}
	if got := page(map[string]any{"preferred_username": "renamed"}); got != 200 {
		t.Errorf("the second time: %d", got)
	}
	if again, err := c.server.Store.AccountOf(t.Context(), p.URL+"|u1"); err != nil || again.ID != a.ID {
		t.Errorf("the second time they are %v %v", again, err)
	}
	// Whoever begins and never comes back leaves nothing here, and is let begin only so often.
	rows := func() (n int) {
		if err := c.server.Store.DB().QueryRow("SELECT COUNT(*) FROM sessions").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	had, last := rows(), 0
	for range limit.TriesAddress + 5 {
		b := &person{c, "", c.browser()}
		last = b.send("GET", "/sign-in/outside?to="+strings.Repeat("/x", 5000), nil, "Accept", "text/html").StatusCode
	}
	if now := rows(); now > had || last != http.StatusTooManyRequests {
		t.Errorf("signing in that was only begun keeps %d rows; the last try is answered with %d", now-had, last)
	}
	if _, err := c.server.Store.DB().Exec("DELETE FROM tries"); err != nil {
		t.Fatal(err)
	}
	for what, claims := range map[string]map[string]any{
		"for somebody else":  {"aud": "another-client"},
		"of another issuer":  {"iss": "https://evil.example"},
		"of another sign-in": {"nonce": "another"},
		"that has run out":   {"exp": time.Now().Add(-time.Hour).Unix()},
	} {
		if got := page(claims); got != 401 {
			t.Errorf("a token %s: %d", what, got)
		}
	}
	forged, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	p.sign = forged
	if got := page(nil); got != 401 {
		t.Errorf("a forged token: %d", got)
	}
	p.sign = p.key
	b := &person{c, "", c.browser()}
	if a := b.send("GET", "/sign-in/return?code=x&state=y", nil); a.StatusCode != 401 {
		t.Errorf("a return that was not begun: %d", a.StatusCode)
	}
	b.send("GET", "/sign-in/outside", nil)
	if a := b.send("GET", "/sign-in/return?code="+url.QueryEscape(code)+"&state=another", nil); a.StatusCode != 401 {
		t.Errorf("another state: %d", a.StatusCode)
	}
}
