package copies

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"blendseam/media/objects"
	"blendseam/scratch"
)

const (
	// pieceBytes is how long a piece is: some seven seconds of 24-bit sound. Files that are longer are read by pieces.
	pieceBytes = 1 << 20

	// listed is what the name of the list of a file's pieces ends in.
	listed = ".pieces"
)

// A list says what the pieces of a file are. It lies in the store beside the file, and is all that lies there of a file
// that is the same as another.
type list struct {
	Of     string   `json:"of"` // the name under which the bytes lie in the store
	Bytes  int64    `json:"bytes"`
	Piece  int64    `json:"piece_bytes"`
	SHA256 []string `json:"sha256"`
}

// listOf makes the list of a file, whose bytes will lie under a name.
func listOf(path, of string) (*list, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	l := &list{Of: of, Piece: pieceBytes}
	for {
		h := sha256.New()
		n, err := io.CopyN(h, f, pieceBytes)
		if n > 0 {
			l.Bytes += n
			l.SHA256 = append(l.SHA256, hex.EncodeToString(h.Sum(nil)))
		}
		if errors.Is(err, io.EOF) {
			return l, nil
		} else if err != nil {
			return nil, err
		}
	}
}

func (l *list) check() error {
	if l.Piece < 1 || l.Piece > 1<<30 || l.Bytes < 1 || int64(len(l.SHA256)) != (l.Bytes+l.Piece-1)/l.Piece {
		return errors.New("it does not say what its pieces are")
	}
	for _, sum := range l.SHA256 {
		if len(sum) != 2*sha256.Size || strings.Trim(sum, "0123456789abcdef") != "" {
			return errors.New("it names what is no hash")
		}
	}
	return nil
}

// putList sends the list of a file's pieces.
func (c *Copies) putList(ctx context.Context, name, path, of string) error {
	l, err := listOf(path, of)
	if err != nil {
		return err
	}
	raw, err := json.Marshal(l)
	if err != nil {
		return err
	}
	dir, err := scratch.Dir()
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	part := filepath.Join(dir, "list")
	if err := os.WriteFile(part, raw, 0o600); err != nil {
		return err
	}
	return c.Put(ctx, name+listed, part)
}

// list gives the list of the pieces of what the store has under a name; objects.ErrNone if there is none.
func (c *Copies) list(name string) (*list, error) {
	return c.lists.Get(context.Background(), name, func(ctx context.Context) (*list, error) {
		ctx, cancel := context.WithTimeout(ctx, pieceLimit)
		defer cancel()
		return readList(ctx, c.Store, name+listed)
	})
}

func readList(ctx context.Context, from objects.Store, name string) (*list, error) {
	dir, err := scratch.Dir()
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	part := filepath.Join(dir, "list")
	if err := from.Get(ctx, name, part); err != nil {
		return nil, err
	}
	raw, err := os.ReadFile(part)
	if err != nil {
		return nil, err
	}
	l := new(list)
	if err = json.Unmarshal(raw, l); err == nil {
		err = l.check()
	}
	if err != nil {
		return nil, fmt.Errorf("%s is damaged in the store at %s: %w", name, from.Where(), err)
	}
	return l, nil
}

// pieces is a file that is read from its pieces.
type pieces struct {
	*Copies
	list *list
}

func (p pieces) Size() int64 { return p.list.Bytes }

func (p pieces) Close() error { return nil }

// ReadAt is io.ReaderAt's; pieces that are not here are fetched.
func (p pieces) ReadAt(dst []byte, at int64) (n int, err error) {
	if at < 0 {
		return 0, errors.New("a place before the beginning")
	}
	for n < len(dst) {
		if at >= p.list.Bytes {
			return n, io.EOF
		}
		k := at / p.list.Piece
		part := dst[n:min(int64(len(dst)), int64(n)+min(p.list.Bytes, (k+1)*p.list.Piece)-at)]
		if err := p.read(k, part, at-k*p.list.Piece); err != nil {
			return n, err
		}
		n, at = n+len(part), at+int64(len(part))
	}
	return n, nil
}

// read reads within one piece.
func (p pieces) read(k int64, dst []byte, at int64) error {
	path := p.piecePath(p.list.SHA256[k])
	for {
		first := p.use(path)
		f, err := os.Open(path)
		if err == nil && first && !p.whole(f, k) { // of an earlier process
			f.Close()
			err = errors.Join(os.Remove(path), os.ErrNotExist)
		}
		if err == nil {
			_, err = f.ReadAt(dst, at)
			return errors.Join(err, f.Close())
		}
		if !errors.Is(err, os.ErrNotExist) {
			return err
		}
		if err := p.fetch(k, path); err != nil {
			return err
		}
	}
}

func (c *Copies) piecePath(sum string) string {
	return filepath.Join(c.dir, objects.Pieces, sum[:2], sum)
}

func (l *list) length(k int64) int64 { return min(l.Piece, l.Bytes-k*l.Piece) }

// whole tells whether a file is a piece, by its hash.
func (p pieces) whole(f *os.File, k int64) bool {
	h := sha256.New()
	_, err := io.Copy(h, io.NewSectionReader(f, 0, p.list.length(k)+1))
	return err == nil && hex.EncodeToString(h.Sum(nil)) == p.list.SHA256[k]
}

// fetch sees to it that a piece lies at a path. What does not have its hash is not taken.
func (p pieces) fetch(k int64, path string) error {
	_, err := p.fetches.Get(context.Background(), path, func(ctx context.Context) (none struct{}, err error) {
		if exists(path) {
			return none, nil
		}
		ctx, cancel := context.WithTimeout(ctx, pieceLimit)
		defer cancel()
		raw := make([]byte, p.list.length(k))
		if err := p.Read(ctx, p.list.Of, k*p.list.Piece, raw); err != nil {
			return none, err
		}
		if sum := sha256.Sum256(raw); hex.EncodeToString(sum[:]) != p.list.SHA256[k] {
			return none, fmt.Errorf("%s is damaged in the store at %s: the hash of piece %d is another one",
				p.list.Of, p.Where(), k)
		}
		p.use(path)
		return none, objects.Write(path, raw)
	})
	if err == nil {
		p.trim()
	}
	return err
}

// IsList tells whether what lies under a name of a store is the list of a file's pieces.
func IsList(name string) bool { return strings.HasSuffix(name, listed) }

// Listed says of which file a list says the pieces, and under which name its bytes lie.
func Listed(ctx context.Context, from objects.Store, name string) (file, of string, err error) {
	l, err := readList(ctx, from, name)
	if err != nil {
		return "", "", err
	}
	return strings.TrimSuffix(name, listed), l.Of, nil
}
