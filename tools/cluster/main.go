// The program starts a whole cluster on loopback: three servers of one database, a store of recordings, three programs
// and a balancer in front. With -for it is driven by editors, and parts of it are killed; it then says what was lost.
package main

import (
	"context"
	"database/sql"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	_ "github.com/go-sql-driver/mysql"
)

// stores are the S3 servers that there are to choose from: each is built once, into the cache of the machine. The first
// keeps files in a folder, as it would in a house, and takes minutes to build; the second keeps them in one file, takes
// seconds, and does not put together what is sent in several parts, so that no file may be longer than 16 MB.
var stores = map[string]struct {
	version string
	args    func(address, dir string) []string
}{
	"versitygw": {"github.com/versity/versitygw/cmd/versitygw@v1.8.0", func(address, dir string) []string {
		return []string{"--access", storeKey, "--secret", storeSecret, "--port", address, "posix", dir}
	}},
	"gofakes3": {"github.com/johannesboyne/gofakes3/cmd/gofakes3@v1.2.0", func(address, dir string) []string {
		return []string{"-quiet", "-host", address, "-backend", "bolt", "-bolt.db", filepath.Join(dir, "files"),
			"-initialbucket", bucket}
	}},
}

func main() {
	d := driving{}
	dir := flag.String("dir", "var/cluster", "folder of the cluster's data")
	fresh := flag.Bool("fresh", false, "begin with nothing")
	flag.DurationVar(&d.time, "for", 0, "drive it for so long, then end")
	flag.IntVar(&d.editors, "editors", 150, "editors")
	flag.IntVar(&d.scenes, "scenes", 30, "scenes")
	flag.IntVar(&d.kills, "kills", 0, "how often each of programs, databases and store is killed")
	store := flag.String("store", "versitygw", "the S3 server: versitygw, or gofakes3, which is built sooner")
	flag.IntVar(&d.cuts, "cuts", 0, "how often a server of the database is cut off for 20 s (as root)")
	flag.StringVar(&d.one, "one", "", "drive the program at this address instead, which has no accounts")
	flag.DurationVar(&d.pause, "pause", 4*time.Second, "mean time between two edits of one editor")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *dir, *fresh, *store, &d); err != nil {
		fmt.Fprintln(os.Stderr, "cluster:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, dir string, fresh bool, store string, d *driving) error {
	if d.one != "" {
		return d.drive(ctx, nil)
	}
	program, err := storeProgram(store)
	if err != nil {
		return err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return err
	}
	if fresh {
		if err := os.RemoveAll(dir); err != nil {
			return err
		}
	}
	if err := os.MkdirAll(dir, 0o711); err != nil {
		return err
	}
	c, err := newCluster(dir, store, program, d.cuts > 0)
	if err != nil {
		return err
	}
	defer c.stop()
	fmt.Println("Starting three servers of the database, a store, three programs and a balancer ...")
	if err := c.start(); err != nil {
		return err
	}
	if err := c.owner(); err != nil {
		return err
	}
	if d.time > 0 {
		return d.drive(ctx, c)
	}
	fmt.Printf("The cluster is at %s, to sign in as %s with %q (Ctrl-C ends it)\n", c.url(), owner, ownerPassword)
	<-ctx.Done()
	return nil
}

// Who owns what is in the cluster.
const (
	owner         = "owner"
	ownerPassword = "the cluster's owner"
)

// owner makes the first account, if there is none.
func (c *cluster) owner() error {
	cmd := exec.Command("bin/blendseam", "user", "add", owner, "--role", "owner")
	cmd.Env = append(os.Environ(), "BLENDSEAM_VAR="+filepath.Join(c.dir, "user"), "BLENDSEAM_DSN="+c.dsn(0))
	cmd.Stdin = strings.NewReader(ownerPassword + "\n")
	if out, err := cmd.CombinedOutput(); err != nil && !strings.Contains(string(out), "already") {
		return fmt.Errorf("the owner has no account: %w: %s", err, out)
	}
	return nil
}

// storeProgram is the S3 server, built if it is not there yet.
func storeProgram(name string) (string, error) {
	kind, known := stores[name]
	if !known {
		return "", fmt.Errorf("%s is no S3 server that can be started; versitygw and gofakes3 are", name)
	}
	cache, err := os.UserCacheDir()
	if err != nil {
		return "", err
	}
	bin := filepath.Join(cache, "blendseam", "cluster")
	path := filepath.Join(bin, name)
	if _, err := os.Stat(path); err == nil {
		return path, nil
	}
	fmt.Println("Building the S3 server, once; that may take some minutes ...")
	cmd := exec.Command("go", "install", kind.version)
	cmd.Env, cmd.Stdout, cmd.Stderr = append(os.Environ(), "GOBIN="+bin, "GOFLAGS=-mod=mod"), os.Stdout, os.Stderr
	if err := cmd.Run(); err != nil {
		return "", fmt.Errorf("the S3 server cannot be built: %w", err)
	}
	return path, nil
}

// databaseReady asks whether a server is part of the database and has all of it.
func (c *cluster) databaseReady(node int) func(context.Context) error {
	return func(ctx context.Context) error {
		db, err := sql.Open("mysql", c.dsnOf(node))
		if err != nil {
			return err
		}
		defer db.Close()
		var name, state string
		if err := db.QueryRowContext(ctx, "SHOW STATUS LIKE 'wsrep_local_state_comment'").Scan(&name, &state); err != nil {
			return err
		}
		if state != "Synced" {
			return fmt.Errorf("it is %s", state)
		}
		return nil
	}
}
