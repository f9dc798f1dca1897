package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
)

// A Token lets a script ask for things: as an account, with its roles but none above Role; or, where there are no
// accounts, with Role everywhere.
type Token struct {
	ID      string
	Name    string // by which people know it
	Account string // "" where there are no accounts
	Role    Role
	Expires time.Time
	Made    time.Time
}

// TokenPrefix begins the secret of every token, so that it is known as one wherever it turns up.
const TokenPrefix = "bsm_"

// hashOf is what is kept of a secret. Secrets are random and long, so that they need no salt and no slow hash.
func hashOf(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// AddToken makes a token and returns its secret, which is kept nowhere.
func (s *Store) AddToken(ctx context.Context, t Token) (secret string, err error) {
	if err := BadName(t.Name); err != nil {
		return "", err
	}
	switch {
	case !slices.Contains(Roles, t.Role):
		return "", &Refused{fmt.Sprintf("%q is no role; listener, editor and owner are.", t.Role)}
	case !t.Expires.After(time.Now()):
		return "", &Refused{"A token needs a time in the future at which it expires."}
	}
	secret = TokenPrefix + rand.Text() + rand.Text()
	account := sql.NullString{String: t.Account, Valid: t.Account != ""}
	_, err = s.exec(ctx, "INSERT INTO access_tokens (id, name, account, role, hash, expires) VALUES (?, ?, ?, ?, ?, ?)",
		uuid.NewString(), t.Name, account, t.Role, hashOf(secret), t.Expires.UTC())
	return secret, taken(err, fmt.Sprintf("There is a token %s already. Choose another name, or remove that one.", t.Name))
}

const tokenColumns = "id, name, COALESCE(account, ''), role, expires, made"

func scanToken(scan func(...any) error) (t Token, err error) {
	return t, scan(&t.ID, &t.Name, &t.Account, &t.Role, &t.Expires, &t.Made)
}

// Tokens returns all tokens by their names, those that have expired among them.
func (s *Store) Tokens(ctx context.Context) ([]Token, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT "+tokenColumns+" FROM access_tokens ORDER BY name")
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	list := []Token{}
	for rows.Next() {
		t, err := scanToken(rows.Scan)
		if err != nil {
			return nil, plain(err)
		}
		list = append(list, t)
	}
	return list, plain(rows.Err())
}

// RemoveToken removes the token of a name; ErrNotFound if there is none.
func (s *Store) RemoveToken(ctx context.Context, name string) error {
	return s.changed(s.exec(ctx, "DELETE FROM access_tokens WHERE name = ?", name))
}

// TokenCaller returns for whom the token of a secret asks. It is ErrNotFound if there is no such token, if it has
// expired, or if its account is gone; a token of no account holds only as long as there are no accounts at all.
func (s *Store) TokenCaller(ctx context.Context, secret string) (*Caller, error) {
	if !strings.HasPrefix(secret, TokenPrefix) {
		return nil, ErrNotFound
	}
	t, err := scanToken(s.db.QueryRowContext(ctx, "SELECT "+tokenColumns+" FROM access_tokens WHERE hash = ?",
		hashOf(secret)).Scan)
	switch {
	case errors.Is(err, sql.ErrNoRows), err == nil && !t.Expires.After(time.Now()):
		return nil, ErrNotFound
	case err != nil:
		return nil, plain(err)
	}
	c := &Caller{Name: t.Name, Roles: map[string]Role{}}
	if t.Account == "" {
		if any, err := s.AnyAccount(ctx); err != nil || any {
			return nil, errors.Join(err, ErrNotFound)
		}
		list, err := s.Productions(ctx)
		for _, p := range list {
			c.Roles[p.ID] = t.Role
		}
		return c, err
	}
	a, err := s.Account(ctx, t.Account)
	if err != nil {
		return nil, err
	}
	if c, err = s.CallerFor(ctx, a); err != nil {
		return nil, err
	}
	for production, role := range c.Roles {
		if role.Covers(t.Role) {
			c.Roles[production] = t.Role
		}
	}
	return c, nil
}
