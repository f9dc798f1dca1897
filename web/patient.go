package web

import (
	"errors"
	"io"
	"net/http"
	"os"
	"time"

	"blendseam/core/limit"
)

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
