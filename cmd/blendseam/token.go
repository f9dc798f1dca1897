package main

import (
	"context"
	"errors"
	"fmt"
	"time"

	"blendseam/store"
)

// tokenCmd keeps the tokens by which scripts use the HTTP API.
type tokenCmd struct {
	Add    tokenAddCmd    `cmd:"" help:"Make a token and print its secret, once."`
	List   tokenListCmd   `cmd:"" help:"List the tokens with their roles and when they expire."`
	Remove tokenRemoveCmd `cmd:"" help:"Remove a token; scripts that use it are refused from then on."`
}

type tokenAddCmd struct {
	place
	Name string `arg:"" help:"What the token is called."`
	User string `help:"Whose account it acts as; needed where there are accounts." placeholder:"NAME"`
	Role string `help:"What it may do at most: ${enum}." enum:"listener,editor,owner" default:"editor"`
	Days int    `help:"After how many days it expires, 1 to 365." default:"90" placeholder:"N"`
}

func (c *tokenAddCmd) Run(ctx context.Context) error {
	if c.Days < 1 || c.Days > 365 {
		return fmt.Errorf("--days: %d is not possible; 1 to 365 are", c.Days)
	}
	return c.with(ctx, func(st *store.Store) error {
		t := store.Token{Name: c.Name, Role: store.Role(c.Role), Expires: time.Now().AddDate(0, 0, c.Days)}
		any, err := st.AnyAccount(ctx)
		switch {
		case err != nil:
			return err
		case any && c.User == "":
			return errors.New("--user: there are accounts here; name the one that the token acts as")
		case c.User != "":
			a, err := accountNamed(ctx, st, c.User)
			if err != nil {
				return err
			}
			t.Account = a.ID
		}
		secret, err := st.AddToken(ctx, t)
		if err == nil {
			fmt.Println(secret)
		}
		return err
	})
}

type tokenListCmd struct{ place }

func (c *tokenListCmd) Run(ctx context.Context) error {
	return c.with(ctx, func(st *store.Store) error {
		list, err := st.Tokens(ctx)
		if err != nil {
			return err
		}
		for _, t := range list {
			as := "nobody"
			if t.Account != "" {
				a, err := st.Account(ctx, t.Account)
				if err != nil {
					return err
				}
				as = a.Name
			}
			until := "expires"
			if !t.Expires.After(time.Now()) {
				until = "expired"
			}
			fmt.Printf("%s\t%s as %s\t%s %s\n", t.Name, t.Role, as, until, t.Expires.Format(time.DateOnly))
		}
		return nil
	})
}

type tokenRemoveCmd struct {
	place
	Name string `arg:"" help:"Which."`
}

func (c *tokenRemoveCmd) Run(ctx context.Context) error {
	return c.with(ctx, func(st *store.Store) error {
		err := st.RemoveToken(ctx, c.Name)
		if errors.Is(err, store.ErrNotFound) {
			err = fmt.Errorf("there is no token %s; blendseam token list shows those that there are", c.Name)
		}
		return err
	})
}
