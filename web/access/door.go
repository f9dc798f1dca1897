// Package access says who is answered: under which names, who somebody is, and what each may do where. It holds the
// table of routes to what each of them needs.
package access

import (
	"crypto/hmac"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"

	"github.com/go-chi/httprate"

	"blendseam/core/limit"
)

// A Door says who is answered. A page of another site can have its own name point at this machine, and would then be of
// the same site as we are: so requests are answered only under names that are ours.
type Door struct {
	Names []string // of this machine, besides those of loopback
	Every bool     // it answers at every address that it has, and under each of them
	Token string   // the secret that is asked for; "" if none is
}

// cookie keeps that a browser was told the secret.
const cookie = "blendseam"

// enter is where the secret is told.
const enter = "/enter"

// misdirected answers a request under a name that is none of ours.
const misdirected = "This address does not answer under the name %q. Use the one that the program printed when it " +
	"started, or start it with --name."

// Handler answers nobody but those whom the door lets in, and whoever keeps the program running.
func (d Door) Handler(next http.Handler, a Answers) http.Handler {
	tries := httprate.NewRateLimiter(limit.TriesAddress, triesIn, httprate.WithLimitHandler(
		func(w http.ResponseWriter, r *http.Request) {
			a.Say(w, r, http.StatusTooManyRequests, "There were too many tries. Wait a minute, then try again.")
		}))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == Healthy || r.URL.Path == Ready:
			next.ServeHTTP(w, r)
		case !d.ours(r):
			a.Say(w, r, http.StatusMisdirectedRequest, fmt.Sprintf(misdirected, r.Host))
		case d.Token == "" || isStatic(r) || d.known(r) || tokenOf(r) != "": // the gate looks at tokens
			next.ServeHTTP(w, r)
		case r.URL.Path == enter && r.Method == http.MethodPost:
			if from, _, _ := net.SplitHostPort(r.RemoteAddr); !tries.RespondOnLimit(w, r, httprate.CanonicalizeIP(from)) {
				d.entered(w, r, a)
			}
		default:
			ask(w, r, a, "")
		}
	})
}

// ours tells whether a request names this machine.
func (d Door) ours(r *http.Request) bool {
	host := r.Host
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	host = strings.ToLower(strings.Trim(host, "[]"))
	if host == "localhost" || slices.ContainsFunc(d.Names, func(n string) bool { return strings.EqualFold(n, host) }) {
		return true
	}
	at, err := netip.ParseAddr(host)
	if err != nil {
		return false
	}
	if at.IsLoopback() {
		return true
	}
	local, ok := r.Context().Value(http.LocalAddrContextKey).(*net.TCPAddr)
	return d.Every && ok && local.AddrPort().Addr().Unmap() == at.Unmap()
}

// pass is what the cookie of a browser that was told the secret says.
func (d Door) pass() string {
	h := hmac.New(sha256.New, []byte(d.Token))
	io.WriteString(h, "blendseam, told once")
	return hex.EncodeToString(h.Sum(nil))
}

// known tells whether a request comes from somebody who knows the secret: by its cookie, or, from scripts, by itself.
func (d Door) known(r *http.Request) bool {
	if c, err := r.Cookie(cookie); err == nil && subtle.ConstantTimeCompare([]byte(c.Value), []byte(d.pass())) == 1 {
		return true
	}
	told, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
	return ok && subtle.ConstantTimeCompare([]byte(told), []byte(d.Token)) == 1
}

// cookieDays is how long a browser is not asked again.
const cookieDays = 90

// wrongSecret is told to whoever tells another secret than ours.
const wrongSecret = "That is not the secret. It is in the file that the program was started with."

// entered takes the secret from the form.
func (d Door) entered(w http.ResponseWriter, r *http.Request, a Answers) {
	form, err := formOf(w, r)
	if err != nil {
		a.Say(w, r, http.StatusBadRequest, "the secret did not arrive: "+err.Error())
		return
	}
	if subtle.ConstantTimeCompare([]byte(strings.TrimSpace(form.Get("secret"))), []byte(d.Token)) != 1 {
		ask(w, r, a, wrongSecret)
		return
	}
	http.SetCookie(
		w,
		&http.Cookie{
			Name:     cookie,
			Value:    d.pass(),
			Path:     "/",
			HttpOnly: true,
			SameSite: http.SameSiteStrictMode,
			Secure:   r.TLS != nil,
			MaxAge:   cookieDays * 24 * 3600,
		},
	)
	http.Redirect(w, r, ownPath(form.Get("to")), http.StatusSeeOther)
}

// formOf reads the form of a request.
func formOf(w http.ResponseWriter, r *http.Request) (url.Values, error) {
	r.Body = http.MaxBytesReader(w, r.Body, limit.RequestBytes)
	err := r.ParseForm()
	return r.PostForm, err
}

// ownPath is where a form leads, if that is a page of ours, else the first page.
func ownPath(to string) string {
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n\t") {
		return "/"
	}
	return to
}

// ask asks for the secret; said is what was wrong with the last one.
func ask(w http.ResponseWriter, r *http.Request, a Answers, said string) {
	if !forPage(r) {
		a.Say(w, r, http.StatusUnauthorized,
			"A secret is needed here: open the page in a browser, or send it as Authorization: Bearer SECRET.")
		return
	}
	to := r.URL.RequestURI()
	if r.URL.Path == enter {
		to = r.PostForm.Get("to")
	}
	a.Show(w, r, http.StatusUnauthorized, "enter", "Enter", said, map[string]string{"to": to})
}
