// Package servertest gives tests a database of their own.
package servertest

import (
	"context"
	"fmt"
	"os"
	"testing"

	"blendseam/store/server"
)

// Main runs a package's tests with a private database in a folder that is removed after them. It is for TestMain, and
// ends the test program.
func Main(m *testing.M, to **server.Server) {
	os.Exit(run(m, to))
}

func run(m *testing.M, to **server.Server) int {
	dir, err := os.MkdirTemp("", "blendseam-test-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	s, err := server.Start(context.Background(), dir)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer s.Stop()
	*to = s
	return m.Run()
}
