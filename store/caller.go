package store

import (
	"context"
	"slices"
	"strings"
)

// A Role is what a person may do in a production; each may do what those before it may.
type Role string

const (
	Listener Role = "listener" // listens, auditions and leaves notes
	Editor   Role = "editor"
	Owner    Role = "owner" // says who else may
)

// Roles are all roles, that of the least first.
var Roles = []Role{Listener, Editor, Owner}

// Covers tells whether whoever has the role may do what needs another. No role covers nothing.
func (r Role) Covers(need Role) bool {
	return r != "" && slices.Index(Roles, r) >= slices.Index(Roles, need)
}

// A Caller is the person for whom something is done. What they may not see is not there for them.
type Caller struct {
	Account string
	Name    string          // as others read it
	Roles   map[string]Role // by production
}

type callerKey struct{}

// WithCaller is a context in which things are done for a person. Without one they are done by the program itself, or by
// whoever sits at it where there are no accounts: everything is there.
func WithCaller(ctx context.Context, c *Caller) context.Context {
	return context.WithValue(ctx, callerKey{}, c)
}

// CallerOf is the person for whom something is done, nil if it is the program itself.
func CallerOf(ctx context.Context) *Caller {
	c, _ := ctx.Value(callerKey{}).(*Caller)
	return c
}

// CallerFor returns the person of an account, with their roles as they are now.
func (s *Store) CallerFor(ctx context.Context, a Account) (*Caller, error) {
	roles, err := s.RolesOf(ctx, a.ID)
	return &Caller{Account: a.ID, Name: a.Shown, Roles: roles}, err
}

// who is by which account and under which name something is kept.
func who(ctx context.Context) (account, name string) {
	if c := CallerOf(ctx); c != nil {
		return c.Account, cut(c.Name, 200)
	}
	return "", ""
}

// Best is the highest role that a person has in any production.
func (c *Caller) Best() (best Role) {
	for _, r := range c.Roles {
		if best == "" || r.Covers(best) {
			best = r
		}
	}
	return best
}

// In are the productions in which a person has at least a role, in a fixed order.
func (c *Caller) In(least Role) (list []string) {
	for p, r := range c.Roles {
		if r.Covers(least) {
			list = append(list, p)
		}
	}
	slices.Sort(list)
	return list
}

// within is a condition that a column names a production in which the caller has at least a role.
func within(ctx context.Context, column string, least Role) (condition string, args []any) {
	c := CallerOf(ctx)
	if c == nil {
		return "TRUE", nil
	}
	return among(column, c.In(least))
}

// among is the condition that a column has one of some values; of none it never holds.
func among(column string, list []string) (condition string, args []any) {
	if len(list) == 0 {
		return "FALSE", nil
	}
	for _, v := range list {
		args = append(args, v)
	}
	return column + " IN (?" + strings.Repeat(", ?", len(list)-1) + ")", args
}

// readable is a condition that a column names a recording of such a production, or one that comes with the program.
func readable(ctx context.Context, column string, least Role) (condition string, args []any) {
	in, args := within(ctx, "production", least)
	if in == "TRUE" {
		return in, nil
	}
	return "(" + column + " IN (SELECT source FROM production_sources WHERE " + in + ") OR " + column +
		" IN (SELECT source FROM tones WHERE made_up IS NOT NULL))", args
}
