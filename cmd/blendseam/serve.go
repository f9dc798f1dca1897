package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"blendseam/app"
	"blendseam/core/limit"
	"blendseam/demo"
	"blendseam/ingest"
	"blendseam/scratch"
	"blendseam/store"
	"blendseam/web"
	"blendseam/web/access"
	"blendseam/workspace"
)

type serveCmd struct {
	place
	Listen      string   `help:"Address to answer at. Without it, the first free port of this machine alone from 8450 on."`
	Name        []string `help:"Another name by which this machine is asked; may be repeated." placeholder:"HOST"`
	TokenFile   string   `help:"File with a secret of 16 letters or more that browsers are asked for." placeholder:"FILE"`
	Unprotected bool     `help:"Let everybody who reaches the address see and change everything."`
	TLSCert     string   `name:"tls-cert" help:"Certificate in PEM form: answers by https." placeholder:"FILE"`
	TLSKey      string   `name:"tls-key" help:"Its key in PEM form." placeholder:"FILE"`
	PublicURL   string   `name:"public-url" help:"The address that people open, of a proxy in front." placeholder:"URL"`
	people
	Metrics  string `help:"Another address, for the figures alone (/metrics)." placeholder:"ADDRESS"`
	Quota    int64  `help:"GB that the recordings of a production may have; 0: any." default:"0"`
	KeepMade int    `help:"Days that mixdowns and packages are kept after their last use; 0: for ever." default:"30"`
	Log      string `help:"Log requests that change something, fail or are slow." enum:",text,json" default:""`
}

func (c *serveCmd) Run(ctx context.Context) error {
	return c.serve(ctx, func(context.Context, ingest.Ingester) (string, error) { return "", nil })
}

type demoCmd struct {
	serveCmd
	Fresh bool `help:"Load the demo scene again, as it was at first, beside any other."`
}

func (c *demoCmd) Run(ctx context.Context) error {
	return c.serve(ctx, func(ctx context.Context, in ingest.Ingester) (string, error) {
		if !c.Fresh {
			rows, err := in.Store.Scenes(ctx)
			if err != nil {
				return "", err
			}
			for _, r := range rows {
				if r.Name == demoName {
					return r.ID, nil
				}
			}
		}
		fmt.Println("Loading the demo scene ...")
		return loadDemo(ctx, in, store.FirstProduction)
	})
}

const demoName = "Kiln Night"

// loadDemo makes a new scene of the demo that the program carries, for a production.
func loadDemo(ctx context.Context, in ingest.Ingester, production string) (string, error) {
	dir, err := scratch.Dir()
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(dir)
	if err := os.CopyFS(dir, demo.Files); err != nil {
		return "", err
	}
	id, _, err := in.SceneFile(ctx, filepath.Join(dir, demo.SceneFile), "", production)
	return id, err
}

// defaultPort is where the program answers if nothing else is asked for; ports after it are tried if it is taken.
const defaultPort = 8450

func listen(address string) (net.Listener, error) {
	if address != "" {
		l, err := net.Listen("tcp", address)
		if errors.Is(err, syscall.EADDRINUSE) {
			return nil, fmt.Errorf("--listen: %s is taken by another program; choose another port", address)
		} else if err != nil {
			return nil, fmt.Errorf(
				"--listen: %s cannot be used (%w); it should look like 127.0.0.1:%d",
				address,
				err,
				defaultPort,
			)
		}
		return l, nil
	}
	for port := defaultPort; port < defaultPort+20; port++ {
		if l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port)); err == nil {
			return l, nil
		}
	}
	return nil, fmt.Errorf(
		"ports %d to %d are all taken; name a free one with --listen 127.0.0.1:PORT",
		defaultPort,
		defaultPort+19,
	)
}

// door says under which names an address is answered, and with which secret.
func (c *serveCmd) door(at net.Addr) (d access.Door, err error) {
	d.Names = c.Name
	if tcp, ok := at.(*net.TCPAddr); ok {
		d.Every = tcp.IP.IsUnspecified()
		d.Names = append(d.Names, tcp.IP.String())
	}
	if c.TokenFile != "" {
		raw, err := os.ReadFile(c.TokenFile)
		if err != nil {
			return d, fmt.Errorf("--token-file: %w", err)
		}
		if d.Token = strings.TrimSpace(string(raw)); len(d.Token) < limit.TokenLen {
			return d, fmt.Errorf(
				"--token-file: the secret in %s has %d letters; at least %d are needed",
				c.TokenFile,
				len(d.Token),
				limit.TokenLen,
			)
		}
	}
	if c.PublicURL != "" {
		u, err := publicURL(c.PublicURL)
		if err != nil {
			return d, err
		}
		d.Names = append(d.Names, u.Hostname())
	}
	return d, nil
}

// guarded refuses an address that other machines reach where nobody would be asked who they are, unless that is asked
// for, and passwords that would travel openly.
func (c *serveCmd) guarded(at net.Addr, gate access.Config, accounts bool) error {
	if c.TokenFile != "" || gate.Header != "" {
		return nil
	}
	if local(at) {
		if c.PublicURL != "" && !accounts && gate.Outside == nil && !c.Unprotected {
			return fmt.Errorf("--public-url: %s would lead everybody here, and nobody has an account; make one with "+
				"blendseam user add NAME, name a file with a secret by --token-file, or say --unprotected to let everybody in",
				c.PublicURL)
		}
		return nil
	}
	switch {
	case (accounts || gate.Outside != nil) && !gate.Secure:
		return fmt.Errorf("--listen: %s can be reached from other machines, and passwords would be read on the way; name "+
			"--tls-cert and --tls-key, or the https address of a proxy by --public-url", at)
	case accounts || gate.Outside != nil:
		return nil
	case !c.Unprotected:
		return fmt.Errorf("--listen: %s can be reached from other machines, and nobody has an account; make one with "+
			"blendseam user add NAME, name a file with a secret by --token-file, or say --unprotected to let everybody in", at)
	}
	return nil
}

// local tells whether nobody but this machine reaches an address.
func local(at net.Addr) bool {
	tcp, ok := at.(*net.TCPAddr)
	return ok && tcp.IP.IsLoopback()
}

// fresh tells whether the private database was never there.
func (p place) fresh() bool {
	_, err := os.Stat(filepath.Join(p.Var, "database"))
	return p.DSN == "" && err != nil
}

// serve runs everything until it is told to stop. first prepares what should be there, and gives the scene to begin
// with.
func (c *serveCmd) serve(ctx context.Context, first func(context.Context, ingest.Ingester) (string, error)) error {
	l, err := listen(c.Listen)
	if err != nil {
		return err
	}
	defer l.Close()
	door, err := c.door(l.Addr())
	if err != nil {
		return err
	}
	secured, err := c.secured()
	if err != nil {
		return err
	}
	gate, err := c.gate(ctx, c.PublicURL, secured != nil)
	if err != nil {
		return err
	}
	if c.fresh() { // nobody can have an account
		if err := c.guarded(l.Addr(), gate, false); err != nil {
			return err
		}
	}
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	defer o.close()
	accounts, err := o.Store.AnyAccount(ctx)
	if err == nil {
		err = c.guarded(l.Addr(), gate, accounts)
	}
	if err != nil {
		return err
	}
	if c.Unprotected && !accounts && !local(l.Addr()) {
		fmt.Fprintf(os.Stderr, "blendseam: warning: everybody who reaches %s can see and change everything\n", l.Addr())
	}
	made := filepath.Join(c.Var, "made")
	o.Ingester.Quota = c.Quota << 30
	begin, err := first(ctx, o.Ingester)
	if err != nil {
		return err
	}
	// Measuring and mending go on beside the requests on threads of low priority. With a few more of them than
	// processors, a request never waits for one to give way.
	runtime.GOMAXPROCS(runtime.NumCPU() + workspace.SpareThreads)
	switch c.Log {
	case "text":
		slog.SetDefault(slog.New(slog.NewTextHandler(os.Stderr, nil)))
	case "json":
		slog.SetDefault(slog.New(slog.NewJSONHandler(os.Stderr, nil)))
	}
	s := web.New(web.Config{LogRequests: c.Log != "", App: &app.App{Workspace: workspace.New(ctx, o.Ingester), Made: made},
		Door: door, Gate: gate,
		Release: release(),
		Demo: func(ctx context.Context, production string) (string, error) {
			return loadDemo(ctx, o.Ingester, production)
		}})
	if c.Metrics != "" {
		at, err := net.Listen("tcp", c.Metrics)
		if err != nil {
			return fmt.Errorf("--metrics: %s cannot be used (%w); it should look like 127.0.0.1:9090", c.Metrics, err)
		}
		figures := &http.Server{Handler: s.Figures(), ReadHeaderTimeout: limit.HeaderS * time.Second}
		defer figures.Close()
		go figures.Serve(at)
	}
	s.TakeJobs()
	sweeping, stopSweeping := context.WithCancel(ctx)
	defer stopSweeping()
	go s.SweepMade(sweeping, time.Duration(c.KeepMade)*24*time.Hour)
	url := fmt.Sprintf("http://%s/", l.Addr())
	if secured != nil {
		url = strings.Replace(url, "http:", "https:", 1)
	}
	if begin != "" {
		url += "scenes/" + begin + "/"
	}
	fmt.Printf("Blend Seam is at %s (Ctrl-C ends it)\n", url)
	h := &http.Server{
		ReadHeaderTimeout: limit.HeaderS * time.Second,
		MaxHeaderBytes:    limit.HeadBytes - 4096, // net/http adds as much
		IdleTimeout:       limit.IdleS * time.Second,
		ErrorLog:          slog.NewLogLogger(slog.Default().Handler(), slog.LevelWarn),
	}
	return s.Serve(ctx, h, func() error {
		if h.TLSConfig = secured; secured != nil {
			return h.ServeTLS(l, "", "")
		}
		return h.Serve(l)
	})
}

// secured is how requests are encrypted; nil if they are not.
func (c *serveCmd) secured() (*tls.Config, error) {
	switch {
	case c.TLSCert == "" && c.TLSKey == "":
		return nil, nil
	case c.TLSCert == "" || c.TLSKey == "":
		return nil, errors.New("--tls-cert and --tls-key are needed both, the certificate and its key")
	}
	pair, err := tls.LoadX509KeyPair(c.TLSCert, c.TLSKey)
	if err != nil {
		return nil, fmt.Errorf("--tls-cert, --tls-key: %w", err)
	}
	return &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS12}, nil
}
