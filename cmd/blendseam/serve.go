package main

import (
	"context"
	"errors"
)

type serveCmd struct{}

func (c *serveCmd) Run(ctx context.Context) error { return errors.New("x") }

type demoCmd struct{}

func (c *demoCmd) Run(ctx context.Context) error { return errors.New("x") }

type importCmd struct{}

func (c *importCmd) Run(ctx context.Context) error { return errors.New("x") }
