package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"
)

// A part is one program of the cluster.
type part struct {
	name    string
	command func(first bool) *exec.Cmd
	ready   func(ctx context.Context) error
	log     string

	run   *exec.Cmd
	ended chan struct{}
}

// start starts a part; first tells the first server of a database that it begins one.
func (p *part) start(first bool) error {
	out, err := os.OpenFile(p.log, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer out.Close()
	cmd := p.command(first)
	cmd.Stdout, cmd.Stderr = out, out
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("%s cannot be started: %w", p.name, err)
	}
	p.run, p.ended = cmd, make(chan struct{})
	go func(ended chan struct{}) {
		cmd.Wait()
		close(ended)
	}(p.ended)
	return nil
}

// up waits until a part can be used.
func (p *part) up(limit time.Duration) error {
	ctx, cancel := context.WithTimeout(context.Background(), limit)
	defer cancel()
	var last error
	for {
		if last = p.ready(ctx); last == nil {
			return nil
		}
		select {
		case <-p.ended:
			return fmt.Errorf("%s ended before it was ready; see %s", p.name, p.log)
		case <-ctx.Done():
			return fmt.Errorf("%s is not ready after %s: %w", p.name, limit, last)
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// kill ends a part at once, as a fault would.
func (p *part) kill() {
	if p.run == nil {
		return
	}
	syscall.Kill(-p.run.Process.Pid, syscall.SIGKILL)
	<-p.ended
}

// end asks a part to end.
func (p *part) end() {
	if p.run == nil {
		return
	}
	p.run.Process.Signal(syscall.SIGTERM)
	select {
	case <-p.ended:
	case <-time.After(40 * time.Second):
		p.kill()
	}
}

// A cluster is all parts, in the order in which they start.
type cluster struct {
	dir       string
	databases []*part
	store     *part
	programs  []*part
	front     *part
	spaces    spaces
}

// Where the parts answer, on loopback.
const (
	databasePort = 8471 // and the two after it
	groupPort    = 8481 // of the same, for one another; the next ten after each for the copies that they send
	storePort    = 8474
	programPort  = 8475 // and the two after it
	frontPort    = 8480
	nodes        = 3
	storeKey     = "blendseam"
	storeSecret  = "only-on-loopback"
	bucket       = "recordings"
	library      = "/usr/lib/galera/libgalera_smm.so"
)

func (c *cluster) url() string { return fmt.Sprintf("http://127.0.0.1:%d", frontPort) }

// dsn names all servers of the database, one of them first.
func (c *cluster) dsn(first int) string {
	var hosts []string
	for i := range nodes {
		n := (first + i) % nodes
		hosts = append(hosts, fmt.Sprintf("%s:%d", c.spaces.host(n), databasePort+n))
	}
	return fmt.Sprintf("blendseam:blendseam@tcp(%s)/blendseam", strings.Join(hosts, ","))
}

// dsnOf names one of them.
func (c *cluster) dsnOf(node int) string {
	return fmt.Sprintf("blendseam:blendseam@tcp(%s:%d)/blendseam", c.spaces.host(node), databasePort+node)
}

func newCluster(dir, store, storeProgram string, apart spaces) (*cluster, error) {
	me, err := keeper()
	if err != nil {
		return nil, err
	}
	c := &cluster{dir: dir, spaces: apart}
	var group []string
	for i := range nodes {
		group = append(group, fmt.Sprintf("%s:%d", apart.host(i), groupPort+10*i))
	}
	for i := range nodes {
		at := filepath.Join(dir, fmt.Sprintf("database%d", i+1))
		port, host := groupPort+10*i, apart.host(i)
		c.databases = append(c.databases, &part{name: fmt.Sprintf("database %d", i+1), log: at + ".log",
			ready: c.databaseReady(i),
			command: func(first bool) *exec.Cmd {
				args := []string{"--no-defaults", "--datadir=" + at, "--user=" + me, "--bind-address=" + host,
					fmt.Sprintf("--port=%d", databasePort+i), "--socket=" + at + "/socket", "--pid-file=" + at + "/pid",
					"--init-file=" + filepath.Join(dir, "start.sql"), "--skip-name-resolve", "--performance-schema=OFF",
					"--innodb-buffer-pool-size=64M", "--max-allowed-packet=256M", "--innodb-flush-log-at-trx-commit=2",
					"--binlog-format=ROW", "--innodb-autoinc-lock-mode=2", "--wsrep-on=ON", "--wsrep-provider=" + library,
					"--wsrep-cluster-name=blendseam", "--wsrep-cluster-address=gcomm://" + strings.Join(group, ","),
					"--wsrep-node-address=" + host, fmt.Sprintf("--wsrep-node-name=node%d", i+1), "--wsrep-sst-method=rsync",
					fmt.Sprintf("--wsrep-sst-receive-address=%s:%d", host, port+2),
					fmt.Sprintf("--wsrep-provider-options=gmcast.listen_addr=tcp://%s:%d;ist.recv_addr=%s:%d;"+
						"gcache.size=64M;evs.suspect_timeout=PT3S;evs.inactive_timeout=PT8S;pc.recovery=true", host, port, host, port+1)}
				if first {
					args = append(args, "--wsrep-new-cluster")
				}
				cmd := apart.within(i, sbin("mariadbd"), args...)
				cmd.Env = append(os.Environ(), "PATH="+os.Getenv("PATH")+":/usr/sbin:/sbin")
				return cmd
			}})
	}
	c.store = storeOf(dir, store, storeProgram)
	for i := range nodes {
		at := filepath.Join(dir, fmt.Sprintf("program%d", i+1))
		c.programs = append(c.programs, &part{name: fmt.Sprintf("program %d", i+1), log: at + ".log",
			ready: asks(fmt.Sprintf("http://127.0.0.1:%d/readyz", programPort+i)),
			command: func(bool) *exec.Cmd {
				cmd := exec.Command("bin/blendseam", "serve", "--listen", fmt.Sprintf("127.0.0.1:%d", programPort+i),
					"--public-url", c.url(), "--unprotected", "--trusted-proxies", "127.0.0.1", "--log", "json")
				cmd.Env = append(os.Environ(), "BLENDSEAM_VAR="+at, "BLENDSEAM_DSN="+c.dsn(i),
					"BLENDSEAM_MEDIA="+mediaURL(), "AWS_ACCESS_KEY_ID="+storeKey, "AWS_SECRET_ACCESS_KEY="+storeSecret)
				return cmd
			}})
	}
	c.front = &part{name: "front", log: filepath.Join(dir, "front.log"), ready: asks(c.url() + "/readyz"),
		command: func(bool) *exec.Cmd {
			return exec.Command(sbin("haproxy"), "-db", "-f", filepath.Join(dir, "front.cfg"))
		}}
	return c, errors.Join(apart.make(), c.setUp(me))
}

// storeOf is an S3 server of a folder.
func storeOf(dir, name, program string) *part {
	return &part{name: "store of recordings", log: filepath.Join(dir, "store.log"), ready: answers(storePort),
		command: func(bool) *exec.Cmd {
			return exec.Command(program, stores[name].args(fmt.Sprintf("127.0.0.1:%d", storePort),
				filepath.Join(dir, "store"))...)
		}}
}

// mediaURL is where recordings lie.
func mediaURL() string { return fmt.Sprintf("s3+http://127.0.0.1:%d/%s", storePort, bucket) }

// keeper is the user that the servers of the database run as: another one than root, as what they copy their data by
// cannot be root's.
func keeper() (string, error) {
	me, err := user.Current()
	if err == nil && me.Uid == "0" {
		me, err = user.Lookup("mysql")
	}
	if err != nil {
		return "", err
	}
	return me.Username, nil
}

func sbin(name string) string {
	if path, err := exec.LookPath(name); err == nil {
		return path
	}
	return "/usr/sbin/" + name
}

// front is how the balancer asks: whoever is ready, and none that does not answer.
const front = `global
  maxconn 2000
defaults
  mode http
  timeout connect 2s
  timeout client 1h
  timeout server 1h
  option http-no-delay
  option redispatch
  retries 3
  option forwardfor
frontend all
  bind 127.0.0.1:%d
  default_backend programs
backend programs
  balance roundrobin
  option httpchk GET /readyz
  timeout check 4s
  default-server check inter 1s fall 3 rise 1 on-marked-down shutdown-sessions
%s`

// setUp makes what the parts need to start.
func (c *cluster) setUp(me string) error {
	for _, dir := range []string{c.dir, filepath.Join(c.dir, "store", bucket)} {
		if err := os.MkdirAll(dir, 0o711); err != nil { // whoever keeps the databases goes through it
			return err
		}
	}
	sql := "CREATE DATABASE IF NOT EXISTS blendseam CHARACTER SET utf8mb4;\n" +
		"CREATE USER IF NOT EXISTS blendseam@'%' IDENTIFIED BY 'blendseam';\n" +
		"GRANT ALL ON blendseam.* TO blendseam@'%';\n"
	var servers strings.Builder
	for i := range nodes {
		fmt.Fprintf(&servers, "  server program%d 127.0.0.1:%d\n", i+1, programPort+i)
	}
	if err := errors.Join(os.WriteFile(filepath.Join(c.dir, "start.sql"), []byte(sql), 0o644),
		os.WriteFile(filepath.Join(c.dir, "front.cfg"), fmt.Appendf(nil, front, frontPort, servers.String()),
			0o600)); err != nil {
		return err
	}
	for i := range nodes {
		at := filepath.Join(c.dir, fmt.Sprintf("database%d", i+1))
		if _, err := os.Stat(at); err == nil {
			continue
		}
		cmd := exec.Command("mariadb-install-db", "--no-defaults", "--datadir="+at, "--user="+me, "--skip-test-db",
			"--auth-root-authentication-method=socket", "--auth-root-socket-user="+me)
		if out, err := cmd.CombinedOutput(); err != nil {
			return fmt.Errorf("a database cannot be set up: %w: %s", err, out)
		}
	}
	return nil
}

// startLimit is how long a part may take to start, on a machine that has other things to do.
const startLimit = 3 * time.Minute

// start starts all parts: the server of the database that has the newest of everything first.
func (c *cluster) start() error {
	first, err := c.newest()
	if err != nil {
		return err
	}
	if err := c.databases[first].start(true); err != nil {
		return err
	}
	if err := c.databases[first].up(startLimit); err != nil {
		return err
	}
	for i, p := range c.databases {
		if i != first {
			if err := errors.Join(p.start(false), p.up(startLimit)); err != nil {
				return err
			}
		}
	}
	for _, p := range slices.Concat([]*part{c.store}, c.programs, []*part{c.front}) {
		if err := errors.Join(p.start(false), p.up(startLimit)); err != nil {
			return err
		}
	}
	return nil
}

// newest is the server that ended last, which alone may begin again; at the very first it is any.
func (c *cluster) newest() (int, error) {
	for i := range nodes {
		state := filepath.Join(c.dir, fmt.Sprintf("database%d", i+1), "grastate.dat")
		raw, err := os.ReadFile(state)
		if err == nil && strings.Contains(string(raw), "safe_to_bootstrap: 1") {
			return i, nil
		}
	}
	state := filepath.Join(c.dir, "database1", "grastate.dat")
	raw, err := os.ReadFile(state)
	if errors.Is(err, os.ErrNotExist) {
		return 0, nil
	} else if err != nil {
		return 0, err
	}
	return 0, os.WriteFile(
		state,
		[]byte(strings.Replace(string(raw), "safe_to_bootstrap: 0", "safe_to_bootstrap: 1", 1)),
		0o600,
	)
}

// stop ends all parts, the first ones last.
func (c *cluster) stop() {
	for _, p := range slices.Concat([]*part{c.front}, c.programs, []*part{c.store}) {
		p.end()
	}
	for i := range c.databases {
		c.databases[len(c.databases)-1-i].end()
	}
	c.spaces.remove()
}

func answers(port int) func(context.Context) error {
	return func(ctx context.Context) error {
		conn, err := new(net.Dialer).DialContext(ctx, "tcp", fmt.Sprintf("127.0.0.1:%d", port))
		if err == nil {
			conn.Close()
		}
		return err
	}
}

func asks(url string) func(context.Context) error {
	return func(ctx context.Context) error {
		q, err := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
		if err != nil {
			return err
		}
		a, err := http.DefaultClient.Do(q)
		if err != nil {
			return err
		}
		a.Body.Close()
		if a.StatusCode != http.StatusOK {
			return fmt.Errorf("%s answers %d", url, a.StatusCode)
		}
		return nil
	}
}
