package main

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"golang.org/x/term"

	"blendseam/store"
	"blendseam/web/access"
)

// userCmd keeps the accounts of people.
type userCmd struct {
	Add      userAddCmd      `cmd:"" help:"Make an account; its password is asked for, or read from standard input."`
	List     userListCmd     `cmd:"" help:"List the accounts with their roles."`
	Password userPasswordCmd `cmd:"" help:"Set a new password; all sign in anew."`
	Remove   userRemoveCmd   `cmd:"" help:"Remove an account; what its person did stays under their name."`
}

type userAddCmd struct {
	place
	Name       string `arg:"" help:"What they sign in with."`
	Shown      string `help:"The name that others read; the same unless given." placeholder:"NAME"`
	Role       string `help:"What they may do: ${enum}." enum:"listener,editor,owner" default:"editor"`
	Production string `help:"In which production; made if there is none of that name." placeholder:"NAME"`
	NoPassword bool   `help:"Somebody else vouches for them: a proxy that names them."`
}

func (c *userAddCmd) Run(ctx context.Context) error {
	return c.with(ctx, func(st *store.Store) error {
		a := store.Account{Name: c.Name, Shown: cmp.Or(c.Shown, c.Name)}
		if _, err := st.AccountNamed(ctx, c.Name); err == nil {
			return fmt.Errorf("there is an account %s already; blendseam user password sets its password", c.Name)
		}
		first, err := st.AnyAccount(ctx)
		if err != nil {
			return err
		}
		if !c.NoPassword {
			if a.Password, err = newPassword(c.Name); err != nil {
				return err
			}
		}
		id, err := st.AddAccount(ctx, a)
		if err != nil {
			return err
		}
		role := store.Role(c.Role)
		production, err := c.production(ctx, st, id)
		if err != nil {
			return err
		}
		if !first && production == store.FirstProduction {
			role = store.Owner // there is nobody else
		}
		if err := st.SetMember(ctx, production, id, role); err != nil {
			return err
		}
		p, err := st.Production(ctx, production)
		if err == nil {
			fmt.Printf("%s is %s of %s\n", c.Name, role, p.Name)
		}
		return err
	})
}

// production is the one that is named, which is made if need be, or the first one.
func (c *userAddCmd) production(ctx context.Context, st *store.Store, owner string) (string, error) {
	id, err := productionNamed(ctx, st, c.Production)
	if errors.Is(err, errNoProduction) && c.Role == string(store.Owner) {
		return st.AddProduction(ctx, c.Production, owner)
	}
	return id, err
}

// errNoProduction says that none has a name.
var errNoProduction = errors.New("there is no such production")

// productionNamed is the id of a production by its name; "" names the one that was there first.
func productionNamed(ctx context.Context, st *store.Store, name string) (string, error) {
	if name == "" {
		return store.FirstProduction, nil
	}
	list, err := st.Productions(ctx)
	if err != nil {
		return "", err
	}
	var names []string
	for _, p := range list {
		if p.Name == name {
			return p.ID, nil
		}
		names = append(names, p.Name)
	}
	return "", fmt.Errorf("--production: %w as %q; there are %s, and an account with --role owner makes one",
		errNoProduction, name, strings.Join(names, ", "))
}

type userListCmd struct{ place }

func (c *userListCmd) Run(ctx context.Context) error {
	return c.with(ctx, func(st *store.Store) error {
		people, err := st.Accounts(ctx)
		if err != nil {
			return err
		}
		list, err := st.Productions(ctx)
		if err != nil {
			return err
		}
		for _, a := range people {
			var roles []string
			for _, p := range list {
				for _, m := range p.People {
					if m.Account == a.ID {
						roles = append(roles, fmt.Sprintf("%s of %s", m.Role, p.Name))
					}
				}
			}
			fmt.Printf("%s\t%s\t%s\n", a.Name, a.Shown, cmp.Or(strings.Join(roles, ", "), "in no production"))
		}
		return nil
	})
}

type userPasswordCmd struct {
	place
	Name string `arg:"" help:"Whose."`
}

func (c *userPasswordCmd) Run(ctx context.Context) error {
	return c.with(ctx, func(st *store.Store) error {
		a, err := accountNamed(ctx, st, c.Name)
		if err != nil {
			return err
		}
		hash, err := newPassword(c.Name)
		if err != nil {
			return err
		}
		return st.SetPassword(ctx, a.ID, hash)
	})
}

type userRemoveCmd struct {
	place
	Name      string `arg:"" help:"Whose account."`
	OpenAgain bool   `help:"Also the last owner: with no account left, nobody is asked who they are."`
}

func (c *userRemoveCmd) Run(ctx context.Context) error {
	return c.with(ctx, func(st *store.Store) error {
		a, err := accountNamed(ctx, st, c.Name)
		if err != nil {
			return err
		}
		if last, err := lastOwner(ctx, st, a.ID); err != nil {
			return err
		} else if last && !c.OpenAgain {
			return fmt.Errorf("%s is the last owner; make somebody else one, or say --open-again: with no account left, "+
				"everybody who reaches the program may see and change everything", c.Name)
		}
		return st.RemoveAccount(ctx, a.ID)
	})
}

// lastOwner tells whether nobody else owns any production.
func lastOwner(ctx context.Context, st *store.Store, account string) (bool, error) {
	list, err := st.Productions(ctx)
	if err != nil {
		return false, err
	}
	owns := false
	for _, p := range list {
		for _, m := range p.People {
			if m.Role != store.Owner {
				continue
			}
			if m.Account != account {
				return false, nil
			}
			owns = true
		}
	}
	return owns, nil
}

func accountNamed(ctx context.Context, st *store.Store, name string) (store.Account, error) {
	a, err := st.AccountNamed(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		err = fmt.Errorf("there is no account %s; blendseam user list shows those that there are", name)
	}
	return a, err
}

// with does something with the database.
func (p place) with(ctx context.Context, do func(*store.Store) error) error {
	o, err := p.open(ctx)
	if err != nil {
		return err
	}
	defer o.close()
	return do(o.Store)
}

// newPassword asks for a password, twice at a terminal, and gives what is kept of it.
func newPassword(name string) (string, error) {
	var password string
	if in := int(os.Stdin.Fd()); term.IsTerminal(in) {
		for i, question := range []string{"Password for " + name + ": ", "Once more: "} {
			fmt.Fprint(os.Stderr, question)
			raw, err := term.ReadPassword(in)
			fmt.Fprintln(os.Stderr)
			if err != nil {
				return "", err
			}
			if i > 0 && string(raw) != password {
				return "", errors.New("the two are not the same; nothing was changed")
			}
			password = string(raw)
		}
	} else {
		line, err := bufio.NewReader(os.Stdin).ReadString('\n')
		if line == "" && err != nil {
			return "", errors.New("no password came; give one as a line of standard input")
		}
		password = strings.TrimRight(line, "\r\n")
	}
	if err := access.BadPassword(password); err != nil {
		return "", err
	}
	return access.Hash(password)
}
