// Package bucket is an S3 store in memory for tests, by a server that is not ours.
package bucket

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"

	"blendseam/media/objects"
)

// A Bucket is a bucket of such a store.
type Bucket struct {
	Close func() // ends the server

	URL string // of the bucket, as --media takes it

	back *s3mem.Backend
	sent atomic.Int64
}

const name = "recordings"

// New starts a store with an empty bucket.
func New(t *testing.T) *Bucket {
	t.Helper()
	t.Setenv("AWS_ACCESS_KEY_ID", "key")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "secret")
	b := &Bucket{back: s3mem.New()}
	if err := b.back.CreateBucket(name); err != nil {
		t.Fatal(err)
	}
	s3 := gofakes3.New(b.back).Server()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s3.ServeHTTP(counting{w, &b.sent}, r)
	}))
	t.Cleanup(server.Close)
	b.Close, b.URL = server.Close, strings.Replace(server.URL, "http:", "s3+http:", 1)+"/"+name
	return b
}

// Store is what lies under a prefix of the bucket, by a client of its own.
func (b *Bucket) Store(t *testing.T, prefix string) objects.Store {
	t.Helper()
	s, err := objects.Open(b.URL + prefix)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// Sent is how many bytes of files and answers the server has sent.
func (b *Bucket) Sent() int64 { return b.sent.Load() }

// Damage changes what lies under a key, so that it does not have its hash any more.
func (b *Bucket) Damage(t *testing.T, key string, content []byte) {
	t.Helper()
	o, err := b.back.GetObject(name, key, nil)
	if err == nil {
		_, err = b.back.PutObject(name, key, o.Metadata, bytes.NewReader(content), int64(len(content)), nil)
	}
	if err != nil {
		t.Fatal(err)
	}
}

type counting struct {
	http.ResponseWriter
	sent *atomic.Int64
}

func (c counting) Write(p []byte) (int, error) {
	n, err := c.ResponseWriter.Write(p)
	c.sent.Add(int64(n))
	return n, err
}
