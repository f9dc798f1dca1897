package copies

import (
	"bytes"
	"errors"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/internal/bucket"
	"blendseam/media/objects"
)

// long is a file of so many bytes in a folder, and what is in it.
func long(t *testing.T, path string, size int) []byte {
	t.Helper()
	raw := make([]byte, size)
	r := rand.NewChaCha8([32]byte{1})
	r.Read(raw)
	if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, raw, 0o600)); err != nil {
		t.Fatal(err)
	}
	return raw
}

// sent is a bucket to which a file of three and a half pieces was sent under a/long, and what was in it.
func sent(t *testing.T) (*bucket.Bucket, []byte) {
	t.Helper()
	b := bucket.New(t)
	c := New(b.Store(t, ""), t.TempDir(), 0)
	path := filepath.Join(c.dir, "a", "long")
	raw := long(t, path, 7*pieceBytes/2)
	if err := c.Send(t.Context(), "a/long", path); err != nil {
		t.Fatal(err)
	}
	return b, raw
}

func opened(t *testing.T, c *Copies, name string) File {
	t.Helper()
	f, err := c.Open(name, filepath.Join(c.dir, filepath.FromSlash(name)))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f
}

// What is read of a long file is what was sent, wherever it is read; and of what is not read nothing comes.
func TestOfALongFileThePiecesComeThatAreRead(t *testing.T) {
	b, raw := sent(t)
	c := New(b.Store(t, ""), t.TempDir(), 0)
	f := opened(t, c, "a/long")
	before := b.Sent()
	part := make([]byte, 1000)
	for _, at := range []int64{pieceBytes - 500, pieceBytes, pieceBytes + 70_000} { // in two pieces
		if _, err := f.ReadAt(part, at); err != nil || !bytes.Equal(part, raw[at:at+1000]) {
			t.Errorf("at %d: other bytes, %v", at, err)
		}
	}
	if got := b.Sent() - before; got < 2*pieceBytes || got > 2*pieceBytes+4096 {
		t.Errorf("%d bytes came for two pieces", got)
	}
	r := rand.New(rand.NewPCG(2, 3))
	for range 200 {
		at := r.Int64N(f.Size())
		part := make([]byte, r.Int64N(min(f.Size()-at, 3*pieceBytes/2))+1)
		if n, err := f.ReadAt(part, at); n != len(part) || err != nil || !bytes.Equal(part, raw[at:at+int64(n)]) {
			t.Fatalf("%d bytes at %d are others, %v", len(part), at, err)
		}
	}
	if n, err := f.ReadAt(part, f.Size()-10); n != 10 || !errors.Is(err, io.EOF) {
		t.Errorf("at its end %d bytes, %v", n, err)
	}
	if _, err := os.Stat(filepath.Join(c.dir, "a", "long")); err == nil {
		t.Error("it was fetched whole")
	}
	if err := c.Fetch("a/long", filepath.Join(c.dir, "a", "long")); err != nil {
		t.Fatal(err)
	}
	if got, err := os.ReadFile(filepath.Join(c.dir, "a", "long")); err != nil || !bytes.Equal(got, raw) {
		t.Errorf("whole it is another file, %v", err)
	}
	if _, err := c.Open("a/none", filepath.Join(c.dir, "a", "none")); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("what is not there is opened: %v", err)
	}
}

// A file that has two names is sent once.
func TestOneFileOfTwoNamesLiesThereOnce(t *testing.T) {
	b := bucket.New(t)
	c := New(b.Store(t, ""), t.TempDir(), 0)
	dir := filepath.Join(c.dir, "a")
	raw := long(t, filepath.Join(dir, "original.wav"), 2*pieceBytes)
	if err := os.Link(filepath.Join(dir, "original.wav"), filepath.Join(dir, "sound")); err != nil {
		t.Fatal(err)
	}
	long(t, filepath.Join(dir, "info"), 5)
	files, err := c.SendAll(t.Context(), "a", dir, "info")
	if err != nil || len(files) != 3 || files[2].Name != "info" {
		t.Fatalf("%v were sent, %v", files, err)
	}
	if again, err := c.SendAll(t.Context(), "a", dir, "info"); err != nil || len(again) > 0 {
		t.Errorf("%v were sent again, %v", again, err)
	}
	list, err := c.List(t.Context(), "")
	var bytesThere int64
	for _, o := range list {
		bytesThere += o.Bytes
	}
	if err != nil || bytesThere > 2*pieceBytes+1024 {
		t.Errorf("%d bytes lie there, %v", bytesThere, err)
	}
	other := New(b.Store(t, ""), t.TempDir(), 0)
	for _, name := range []string{"a/sound", "a/original.wav"} {
		got, err := io.ReadAll(io.NewSectionReader(opened(t, other, name), 0, 1<<30))
		if err != nil || !bytes.Equal(got, raw) {
			t.Errorf("%s is another file, %v", name, err)
		}
		to := filepath.Join(t.TempDir(), "whole")
		if err := other.Fetch(name, to); err != nil {
			t.Error(err)
		}
		if sum, err := objects.Sum(to); err != nil || sum != mustSum(t, filepath.Join(dir, "sound")) {
			t.Errorf("%s is another file when it is whole, %v", name, err)
		}
	}
}

func mustSum(t *testing.T, path string) string {
	t.Helper()
	sum, err := objects.Sum(path)
	if err != nil {
		t.Fatal(err)
	}
	return sum
}

// A piece that does not have its hash is not taken from the store, nor from what an earlier process left.
func TestDamagedPiecesAreNotTaken(t *testing.T) {
	b, raw := sent(t)
	dir := t.TempDir()
	part := make([]byte, 10)
	c := New(b.Store(t, ""), dir, 0)
	if _, err := opened(t, c, "a/long").ReadAt(part, 5); err != nil {
		t.Fatal(err)
	}
	left, err := objects.Folder(filepath.Join(dir, objects.Pieces)).List(t.Context(), "")
	if err != nil || len(left) != 1 {
		t.Fatalf("%v, %v", left, err)
	}
	path := filepath.Join(dir, objects.Pieces, left[0].Name)
	if err := os.WriteFile(path, make([]byte, pieceBytes), 0o600); err != nil {
		t.Fatal(err)
	}
	c = New(b.Store(t, ""), dir, 0) // a new process
	if _, err := opened(t, c, "a/long").ReadAt(part, 5); err != nil || !bytes.Equal(part, raw[5:15]) {
		t.Errorf("what an earlier process left is read as %x, %v", part, err)
	}
	other := bytes.Clone(raw)
	other[2*pieceBytes+3] ^= 1
	b.Damage(t, "a/long", other)
	f := opened(t, New(b.Store(t, ""), t.TempDir(), 0), "a/long")
	if _, err := f.ReadAt(part, 2*pieceBytes); err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("a damaged piece: %v", err)
	}
	if _, err := f.ReadAt(part, pieceBytes); err != nil || !bytes.Equal(part, raw[pieceBytes:pieceBytes+10]) {
		t.Errorf("beside a damaged piece %x, %v", part, err)
	}
	b.Damage(t, "a/long"+listed, []byte(`{"of":"a/long","bytes":1,"piece_bytes":0}`))
	_, err = New(b.Store(t, ""), t.TempDir(), 0).Open("a/long", "")
	if err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("a damaged list: %v", err)
	}
}

// A folder keeps copies of so much; what was used longest ago goes, and comes back when it is wanted. What the store
// does not have stays.
func TestCopiesAreBounded(t *testing.T) {
	b, raw := sent(t)
	c := New(b.Store(t, ""), t.TempDir(), 2*pieceBytes)
	own := filepath.Join(c.dir, "b", "own")
	long(t, own, 1000)
	f := opened(t, c, "a/long")
	part := make([]byte, 10)
	for _, at := range []int64{0, pieceBytes, 2 * pieceBytes, 0} {
		if _, err := f.ReadAt(part, at); err != nil {
			t.Fatal(err)
		}
	}
	c.trimmed = c.trimmed.Add(-2 * trimEvery)
	c.trim()
	there := func(k int) bool { return exists(c.piecePath(f.(pieces).list.SHA256[k])) }
	if !there(0) || there(1) || there(2) || !exists(own) {
		t.Errorf("pieces: %v %v %v; what is here alone: %v", there(0), there(1), there(2), exists(own))
	}
	if c.Bytes() != pieceBytes+1000 {
		t.Errorf("%d bytes are said to be kept", c.Bytes())
	}
	if _, err := f.ReadAt(part, pieceBytes); err != nil || !bytes.Equal(part, raw[pieceBytes:pieceBytes+10]) {
		t.Errorf("what went comes back as %x, %v", part, err)
	}
}
