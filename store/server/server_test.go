package server_test

import (
	"bufio"
	"context"
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"

	"blendseam/store/server"
)

var ctx = context.Background()

// The test program is also a process that has the database of a folder until it is told to end.
func TestMain(m *testing.M) {
	dir := os.Getenv("BLENDSEAM_DATABASE")
	if dir == "" {
		os.Exit(m.Run())
	}
	fmt.Println("begun")
	s, err := server.Start(ctx, dir)
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	fmt.Println(s.DSN)
	bufio.NewScanner(os.Stdin).Scan()
	s.Stop()
}

// other is another process that has, or shares, the database.
type other struct {
	*exec.Cmd
	lines *bufio.Scanner
	end   func()
}

func start(t *testing.T, dir string) other {
	t.Helper()
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	c := exec.Command(self)
	c.Env = append(os.Environ(), "BLENDSEAM_DATABASE="+dir)
	out, err1 := c.StdoutPipe()
	in, err2 := c.StdinPipe()
	if err := c.Start(); err != nil || err1 != nil || err2 != nil {
		t.Fatal(err, err1, err2)
	}
	o := other{c, bufio.NewScanner(out), func() { in.Close() }}
	t.Cleanup(func() { c.Process.Kill(); c.Wait() })
	o.line()
	return o
}

func (o other) line() string {
	o.lines.Scan()
	return o.lines.Text()
}

// answers asks the database until it answers.
func answers(t *testing.T, dsn string) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for db.Ping() != nil { // a database that never comes back is ended by the limit of the test program
	}
}

// comes starts the database of a folder, asks it, and ends it.
func comes(t *testing.T, dir string) {
	t.Helper()
	s, err := server.Start(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	answers(t, s.DSN)
	s.Stop()
}

func TestAFolderMayHaveAnyName(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a b [c] %d é")
	s, err := server.Start(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	answers(t, s.DSN)
	s.Stop()
	if _, err := os.Stat(filepath.Join(dir, "log.err")); err != nil {
		t.Error("its log is not where messages say")
	}
	// It is set up once, and comes again.
	if s, err = server.Start(ctx, dir); err != nil {
		t.Fatal(err)
	}
	answers(t, s.DSN)
	s.Stop()
}

// Whoever shares a database goes on when its owner ends, told to or killed, and whoever starts as it ends does, too.
func TestWhoeverSharesADatabaseHasItWhenItsOwnerEnds(t *testing.T) {
	dir := t.TempDir()
	owner := start(t, dir)
	dsn := owner.line()
	guest, err := server.Start(ctx, dir)
	if err != nil || guest.DSN != dsn || guest.Pid() != 0 {
		t.Fatalf("%v, at %s, not %s, process %d", err, guest.DSN, dsn, guest.Pid())
	}
	owner.end()
	late := start(t, dir) // while the owner ends, or right after it
	owner.Wait()
	answers(t, dsn)
	shared := late.line()
	answers(t, shared)
	late.Process.Kill()
	late.Wait()
	answers(t, guest.DSN)
	guest.Stop()

	killed := start(t, dir)
	dsn = killed.line()
	if guest, err = server.Start(ctx, dir); err != nil {
		t.Fatal(err)
	}
	killed.Process.Kill()
	killed.Wait()
	answers(t, dsn)
	guest.Stop()
}

// A program killed at any moment of its start leaves nothing that a later start would have to wait for for ever.
func TestAProgramKilledAsItStartsIsStartedAgain(t *testing.T) {
	dir := t.TempDir()
	for i := range 4 {
		o := start(t, dir)
		if i > 0 { // it is set up by now
			select {
			case <-time.After(time.Duration(i*i*20) * time.Millisecond):
			case <-ctx.Done():
			}
		} else {
			o.line()
		}
		o.Process.Signal(syscall.SIGKILL)
		o.Wait()
	}
	comes(t, dir)
}

// A program killed while it sets the database up, whose helpers may go on for a moment, is started again.
func TestAProgramKilledAsItSetsUpIsStartedAgain(t *testing.T) {
	dir := t.TempDir()
	for files := range 4 { // killed when so many files are there
		o := start(t, dir)
		for {
			there, _ := filepath.Glob(filepath.Join(dir, "data.new*", "*"))
			if len(there) > files*3 {
				break
			}
			if _, err := os.Stat(filepath.Join(dir, "data")); err == nil { // it was quicker
				break
			}
		}
		o.Process.Signal(syscall.SIGKILL)
		o.Wait()
	}
	comes(t, dir)
	if left, _ := filepath.Glob(filepath.Join(dir, "data.new*")); len(left) > 0 {
		t.Errorf("left are %v", left)
	}
}

// A copied folder remembers port and password of the one it was copied from. Whichever of both starts first, and if
// both do at once, each has its own database.
func TestACopiedFolderHasItsOwnDatabase(t *testing.T) {
	first := t.TempDir()
	s, err := server.Start(ctx, first)
	if err != nil {
		t.Fatal(err)
	}
	s.Stop()
	dirs := []string{first, filepath.Join(t.TempDir(), "copy"), filepath.Join(t.TempDir(), "another")}
	for _, dir := range dirs[1:] {
		if err := os.CopyFS(dir, os.DirFS(first)); err != nil {
			t.Fatal(err)
		}
	}
	var began sync.WaitGroup
	list := make([]*server.Server, len(dirs))
	for i, dir := range dirs {
		began.Go(func() {
			s, err := server.Start(ctx, dir)
			if err != nil {
				t.Error(err)
				return
			}
			list[i] = s
		})
	}
	began.Wait()
	for i, s := range list {
		if s == nil {
			continue
		}
		defer s.Stop()
		db, err := sql.Open("mysql", s.DSN)
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		var data string
		if err := db.QueryRow("SELECT @@datadir").Scan(&data); err != nil || filepath.Dir(filepath.Clean(data)) != dirs[i] {
			t.Errorf("%s has the database in %s: %v", dirs[i], data, err)
		}
	}
}
