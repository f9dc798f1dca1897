package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"

	"blendseam/core/limit"
	"blendseam/core/scene"
)

// FirstProduction has all that there is where nobody has an account.
const FirstProduction = "first"

// An Account is a person who signs in.
type Account struct {
	ID, Name string
	Shown    string // the name that others read
	Password string // its hash, "" if somebody else vouches for them
	Subject  string // who they are there
	Stamp    int64  // of the sessions that hold
}

// A Production holds scenes and recordings.
type Production struct {
	ID     string   `json:"id"`
	Name   string   `json:"name"`
	Role   Role     `json:"role"` // the caller's
	People []Member `json:"people"`
}

// A Member is a person of a production.
type Member struct {
	Account string `json:"account"`
	Name    string `json:"name"`
	Shown   string `json:"shown"`
	Role    Role   `json:"role"`
}

// Refused says why something about people cannot be done, and what would work.
type Refused struct{ Why string }

func (e *Refused) Error() string { return e.Why }

// BadName says what is wrong with a name of a person or of a production; nil if nothing is.
func BadName(name string) error {
	switch {
	case strings.TrimSpace(name) != name || name == "":
		return &Refused{"A name needs letters, and none of them may be a space at its beginning or end."}
	case len([]rune(name)) > limit.PersonLetters:
		return &Refused{fmt.Sprintf("A name has at most %d letters.", limit.PersonLetters)}
	case strings.ContainsFunc(name, limit.Hidden):
		return &Refused{"A name has letters that are seen: no control, direction or zero-width characters."}
	}
	return nil
}

// taken turns the database's complaint that a key is there already into one that a user can read.
func taken(err error, why string) error {
	var refused *mysql.MySQLError
	if errors.As(err, &refused) && refused.Number == 1062 {
		return &Refused{why}
	}
	return plain(err)
}

// AnyAccount tells whether there is one. Once there was, there is; that there is none yet is looked at again after a
// second, or at once where this process makes the first.
func (s *Store) AnyAccount(ctx context.Context) (is bool, err error) {
	if s.anyAccount.Load() || time.Since(time.Unix(0, s.looked.Load())) < lookForAccounts {
		return s.anyAccount.Load(), nil
	}
	err = s.db.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM accounts)").Scan(&is)
	if err == nil {
		s.looked.Store(time.Now().UnixNano())
		if is {
			s.anyAccount.Store(true)
		}
	}
	return s.anyAccount.Load(), plain(err)
}

const lookForAccounts = time.Second

// AddAccount keeps a new account, which is in no production yet, and gives its id.
func (s *Store) AddAccount(ctx context.Context, a Account) (string, error) {
	if err := errors.Join(BadName(a.Name), BadName(a.Shown)); err != nil {
		return "", err
	}
	a.ID = uuid.NewString()
	_, err := s.exec(ctx,
		"INSERT INTO accounts (id, name, shown, password, subject) VALUES (?, ?, ?, NULLIF(?, ''), NULLIF(?, ''))",
		a.ID, a.Name, a.Shown, a.Password, a.Subject)
	if err == nil {
		s.anyAccount.Store(true)
	}
	return a.ID, taken(err, fmt.Sprintf("There is an account %s already.", a.Name))
}

const accountColumns = "SELECT id, name, shown, COALESCE(password, ''), COALESCE(subject, ''), stamp FROM " +
	"accounts WHERE "

func (s *Store) account(ctx context.Context, condition string, value string) (a Account, err error) {
	err = s.db.QueryRowContext(ctx, accountColumns+condition, value).
		Scan(&a.ID, &a.Name, &a.Shown, &a.Password, &a.Subject, &a.Stamp)
	return a, plain(err)
}

// Account gives an account by its id, AccountNamed by its name, AccountOf by who somebody is elsewhere; ErrNotFound if
// there is none.
func (s *Store) Account(ctx context.Context, id string) (Account, error) {
	return s.account(ctx, "id = ?", id)
}

// AccountNamed is one of those.
func (s *Store) AccountNamed(ctx context.Context, name string) (Account, error) {
	return s.account(ctx, "name = ?", name)
}

// AccountOf is one of those.
func (s *Store) AccountOf(ctx context.Context, subject string) (Account, error) {
	return s.account(ctx, "subject = ?", subject)
}

// Accounts lists all accounts by their names.
func (s *Store) Accounts(ctx context.Context) (list []Account, err error) {
	rows, err := s.db.QueryContext(ctx, accountColumns+"TRUE ORDER BY name")
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var a Account
		if err := rows.Scan(&a.ID, &a.Name, &a.Shown, &a.Password, &a.Subject, &a.Stamp); err != nil {
			return nil, plain(err)
		}
		list = append(list, a)
	}
	return list, plain(rows.Err())
}

// SetPassword keeps the hash of a new password, and ends all sessions of the account.
func (s *Store) SetPassword(ctx context.Context, id, hash string) error {
	return s.changed(s.exec(ctx, "UPDATE accounts SET password = ?, stamp = stamp + 1 WHERE id = ?", hash, id))
}

// RemoveAccount removes an account; what its person did stays under their name. The last owner of a production that
// others are in stays.
func (s *Store) RemoveAccount(ctx context.Context, id string) error {
	list, err := s.Productions(ctx)
	if err != nil {
		return err
	}
	for _, p := range list {
		if len(p.People) > 1 {
			if err := p.without(id); err != nil {
				return err
			}
		}
	}
	return s.changed(s.exec(ctx, "DELETE FROM accounts WHERE id = ?", id))
}

// changed is the error of a statement that was to change a row; ErrNotFound if there is none.
func (s *Store) changed(r sql.Result, err error) error {
	if err != nil {
		return plain(err)
	}
	if n, err := r.RowsAffected(); err != nil {
		return plain(err)
	} else if n == 0 {
		return ErrNotFound
	}
	return nil
}

// without says why somebody cannot leave a production or stop being its owner; nil if they can.
func (p Production) without(account string) error {
	for _, m := range p.People {
		if m.Role == Owner && m.Account != account {
			return nil
		}
	}
	if slices.ContainsFunc(p.People, func(m Member) bool { return m.Account == account }) {
		return &Refused{"Nobody else owns " + p.Name + ". Make somebody else its owner first."}
	}
	return nil
}

// RolesOf gives the roles of an account, by production.
func (s *Store) RolesOf(ctx context.Context, account string) (map[string]Role, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT production, role FROM members WHERE account = ?", account)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	roles := map[string]Role{}
	for rows.Next() {
		var p string
		var r Role
		if err := rows.Scan(&p, &r); err != nil {
			return nil, plain(err)
		}
		roles[p] = r
	}
	return roles, plain(rows.Err())
}

// AddProduction keeps a new production, which an account owns, and gives its id.
func (s *Store) AddProduction(ctx context.Context, name, owner string) (string, error) {
	if err := BadName(name); err != nil {
		return "", err
	}
	id := uuid.NewString()
	err := s.inTransaction(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "INSERT INTO productions (id, name) VALUES (?, ?)", id, name); err != nil {
			return err
		}
		if err := beginBlends(ctx, tx, id); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO members (production, account, role) VALUES (?, ?, 'owner')", id, owner)
		return err
	})
	return id, taken(err, fmt.Sprintf("There is a production %s already.", name))
}

// NameProduction gives a production another name.
func (s *Store) NameProduction(ctx context.Context, id, name string) error {
	if err := BadName(name); err != nil {
		return err
	}
	_, err := s.exec(ctx, "UPDATE productions SET name = ? WHERE id = ?", name, id)
	return taken(err, fmt.Sprintf("There is a production %s already.", name))
}

// Productions lists those that the caller is in, with their people, by name.
func (s *Store) Productions(ctx context.Context) ([]Production, error) {
	in, args := within(ctx, "p.id", Listener)
	rows, err := s.db.QueryContext(ctx, `SELECT p.id, p.name, COALESCE(a.id, ''), COALESCE(a.name, ''),
		COALESCE(a.shown, ''), COALESCE(m.role, '') FROM productions p LEFT JOIN members m ON m.production = p.id
		LEFT JOIN accounts a ON a.id = m.account WHERE `+in+` ORDER BY p.name, p.id, a.name`, args...)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	list := []Production{}
	for rows.Next() {
		p, m := Production{People: []Member{}}, Member{}
		if err := rows.Scan(&p.ID, &p.Name, &m.Account, &m.Name, &m.Shown, &m.Role); err != nil {
			return nil, plain(err)
		}
		if n := len(list); n == 0 || list[n-1].ID != p.ID {
			if c := CallerOf(ctx); c != nil {
				p.Role = c.Roles[p.ID]
			}
			list = append(list, p)
		}
		if last := &list[len(list)-1]; m.Account != "" {
			last.People = append(last.People, m)
		}
	}
	return list, plain(rows.Err())
}

// Production gives a production that the caller is in.
func (s *Store) Production(ctx context.Context, id string) (Production, error) {
	list, err := s.Productions(ctx)
	if err != nil {
		return Production{}, err
	}
	i := slices.IndexFunc(list, func(p Production) bool { return p.ID == id })
	if i < 0 {
		return Production{}, ErrNotFound
	}
	return list[i], nil
}

// SetMember gives somebody a role in a production, or takes theirs with "".
func (s *Store) SetMember(ctx context.Context, production, account string, role Role) error {
	p, err := s.Production(ctx, production)
	if err != nil {
		return err
	}
	if role != Owner {
		if err := p.without(account); err != nil {
			return err
		}
	}
	if role == "" {
		return s.changed(s.exec(ctx, "DELETE FROM members WHERE production = ? AND account = ?", production, account))
	}
	_, err = s.exec(ctx, "REPLACE INTO members (production, account, role) VALUES (?, ?, ?)",
		production, account, role)
	return plain(err)
}

// RoleIn is the role that the caller has in what a route names: "scene", "source", "job", "tone" or "production" by its
// id. It is "" where they have none, or where there is no such thing. Without a caller it is Owner.
func (s *Store) RoleIn(ctx context.Context, kind, id string) (best Role, err error) {
	c := CallerOf(ctx)
	if c == nil {
		return Owner, nil
	}
	query := map[string]string{
		"production": "SELECT ?",
		"scene":      "SELECT production FROM scenes WHERE id = ?",
		"source":     "SELECT production FROM production_sources WHERE source = ?",
		"job":        "SELECT s.production FROM jobs j JOIN scenes s ON s.id = j.scene WHERE j.id = ?",
		"tone":       "SELECT production FROM tones WHERE id = ? AND production IS NOT NULL",
	}[kind]
	rows, err := s.db.QueryContext(ctx, query, id)
	if err != nil {
		return "", plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var production string
		if err := rows.Scan(&production); err != nil {
			return "", plain(err)
		}
		if r := c.Roles[production]; r.Covers(best) || best == "" {
			best = r
		}
	}
	if kind == "source" && scene.IsMissing(id) { // a scene has it in the place of one that is nowhere
		return Listener, nil
	}
	if err := rows.Err(); err != nil || best != "" || kind != "source" && kind != "tone" {
		return best, plain(err)
	}
	var comes bool // with the program
	err = s.db.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM tones WHERE made_up IS NOT NULL AND ? IN (id, "+
		"source))", id).
		Scan(&comes)
	if comes {
		best = Listener
	}
	return best, plain(err)
}

// ProductionOf is the production of a scene.
func (s *Store) ProductionOf(ctx context.Context, id string) (production string, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT production FROM scenes WHERE id = ?", id).Scan(&production)
	return production, plain(err)
}

// LetNamed lets the production of a scene have a recording, under the name that it was brought in by there.
func (s *Store) LetNamed(ctx context.Context, id, source, name string) error {
	_, err := s.exec(ctx, "INSERT INTO production_sources (production, source, name) "+
		"SELECT production, ?, ? FROM scenes WHERE id = ? ON DUPLICATE KEY UPDATE name = production_sources.name",
		source, cut(name, 255), id)
	return plain(err)
}

// Grant lets the production of a scene have recordings.
func (s *Store) Grant(ctx context.Context, id string, sources ...string) error {
	for _, source := range sources {
		if _, err := s.exec(ctx, "INSERT IGNORE INTO production_sources (production, source) "+
			"SELECT production, ? FROM scenes WHERE id = ?", source, id); err != nil {
			return plain(err)
		}
	}
	return nil
}

// LetProduction lets a production have a recording, under the name that it was brought in by there.
func (s *Store) LetProduction(ctx context.Context, production, source, name string) error {
	_, err := s.exec(ctx, "INSERT IGNORE INTO production_sources (production, source, name) VALUES (?, ?, ?)",
		production, source, cut(name, 255))
	return plain(err)
}

// Home is the production that new things of the caller go to if they do not say which: their only one in which they
// may edit, or the first one where nobody has an account.
func Home(ctx context.Context, chosen string) (string, error) {
	c := CallerOf(ctx)
	if c == nil {
		return FirstProduction, nil
	}
	list := c.In(Editor)
	switch {
	case chosen != "" && slices.Contains(list, chosen):
		return chosen, nil
	case chosen != "":
		return "", &Refused{"You may not edit in that production; ask one of its owners."}
	case len(list) == 1:
		return list[0], nil
	case len(list) == 0:
		return "", &Refused{"You may edit in no production yet; ask an owner of one to make you an editor of it."}
	}
	return "", &Refused{"Say which production it is for: you edit in several."}
}
