package web

import (
	"crypto/hmac"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"os"
	"slices"
	"strings"
	"time"

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

func (d Door) handler(next http.Handler, s *Server) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == healthy || r.URL.Path == ready:
			next.ServeHTTP(w, r)
		case !d.ours(r):
			s.problem(w, r, http.StatusMisdirectedRequest, problem{Message: fmt.Sprintf(misdirected, r.Host)})
		case d.Token == "" || strings.HasPrefix(r.URL.Path, "/static/") || d.known(r):
			next.ServeHTTP(w, r)
		case r.URL.Path == enter && r.Method == http.MethodPost:
			s.handle(d.entered)(w, r)
		default:
			s.ask(w, r, "")
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

// entered takes the secret from the form.
func (d Door) entered(w http.ResponseWriter, r *http.Request) error {
	r.Body = http.MaxBytesReader(w, r.Body, limit.RequestBytes)
	if err := r.ParseForm(); err != nil {
		return errBadRequest{fmt.Errorf("the secret did not arrive: %w", err)}
	}
	if subtle.ConstantTimeCompare([]byte(strings.TrimSpace(r.PostForm.Get("secret"))), []byte(d.Token)) != 1 {
		return errWrongSecret
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
	to := r.PostForm.Get("to")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.Contains(to, "\\") {
		to = "/"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

// ask asks for the secret; said is what was wrong with the last one.
func (s *Server) ask(w http.ResponseWriter, r *http.Request, said string) {
	if !strings.Contains(r.Header.Get("Accept"), "text/html") {
		s.problem(
			w,
			r,
			http.StatusUnauthorized,
			problem{Message: "A secret is needed here: open the page in a browser, or send it as Authorization: Bearer SECRET."},
		)
		return
	}
	to := r.URL.RequestURI()
	if r.URL.Path == enter {
		to = r.PostForm.Get("to")
	}
	if err := s.pageAs(
		w,
		http.StatusUnauthorized,
		"enter",
		view{Title: "Enter", Problem: said, Data: map[string]string{"to": to}},
	); err != nil {
		s.fail(w, r, err)
	}
}

// patient gives the body of a request so long to arrive.
func patient(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = &timed{
				ReadCloser: r.Body,
				control:    http.NewResponseController(w),
				until:      time.Now().Add(limit.BodyS * time.Second),
			}
		}
		next.ServeHTTP(w, r)
	})
}

// timed is a body that arrives in time, or not at all. While it is not read nothing is waited for.
type timed struct {
	io.ReadCloser
	control *http.ResponseController
	until   time.Time // zero: each piece of it has its own time
}

func (b *timed) Read(p []byte) (int, error) {
	until := b.until
	if until.IsZero() {
		until = time.Now().Add(limit.BodyS * time.Second)
	}
	timed := b.control.SetReadDeadline(until) == nil // not where a test stands in for the connection
	n, err := b.ReadCloser.Read(p)
	if timed && !errors.Is(err, os.ErrDeadlineExceeded) { // whatever else reads of a body that is late is late, too
		b.control.SetReadDeadline(time.Time{})
	}
	return n, err
}

// inPieces is the body of an upload, of which each piece has its own time.
func inPieces(r *http.Request) io.Reader {
	if b, ok := r.Body.(*timed); ok {
		b.until = time.Time{}
	}
	return r.Body
}
