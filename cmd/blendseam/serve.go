package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"time"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/timecode"
	"blendseam/demo"
	"blendseam/intake"
	"blendseam/media"
	"blendseam/scratch"
	"blendseam/store"
	"blendseam/store/server"
	"blendseam/web"
	"blendseam/workspace"
)

// place says where the program keeps its things.
type place struct {
	Var string `help:"Folder for the database, recordings and what is made." default:"var" env:"BLENDSEAM_VAR"`
	DSN string `help:"A MariaDB server to use instead of a private one, as user:password@tcp(host:port)/name." env:"BLENDSEAM_DSN" name:"dsn"`
}

// opened is what a command works on.
type opened struct {
	intake.Intake
	work *scratch.Place // this process's own
	ends []func()       // of what was opened, in the order of opening
}

// close ends what was opened, the last first.
func (o *opened) close() {
	for _, end := range slices.Backward(o.ends) {
		end()
	}
}

// open opens database and library.
func (p place) open(ctx context.Context) (o *opened, err error) {
	o = &opened{}
	defer func() {
		if err != nil {
			o.close()
		}
	}()
	if o.work, err = scratch.Open(filepath.Join(p.Var, "work")); err != nil {
		return o, err
	}
	o.ends = append(o.ends, func() { o.work.Close() })
	dsn := p.DSN
	if dsn == "" {
		if err := media.Room(p.Var, limit.EditsBytes); err != nil { // the database would only say that it cannot be started
			return o, err
		}
		private, err := server.Start(ctx, filepath.Join(p.Var, "database"))
		if err != nil {
			return o, err
		}
		o.ends = append(o.ends, private.Stop)
		dsn = private.DSN
	}
	if o.Store, err = openStore(ctx, dsn, p.DSN == ""); err != nil {
		return o, err
	}
	o.Store.Process = o.work.Name()
	if p.DSN == "" {
		o.Store.Room = func() error { return media.Room(p.Var, limit.EditsBytes) }
	}
	o.ends = append(o.ends, func() { o.Store.Close() })
	if o.Library, err = media.OpenLibrary(filepath.Join(p.Var, "media")); err != nil {
		return o, err
	}
	o.ends = append(o.ends, func() { o.Library.Close() })
	return o, nil
}

// openStore opens a database; a private one may be going from one process to another just now.
func openStore(ctx context.Context, dsn string, private bool) (*store.Store, error) {
	for end := time.Now().Add(storeLimit); ; {
		s, err := store.Open(ctx, dsn)
		if !private || !errors.Is(err, store.ErrUnavailable) || time.Now().After(end) || ctx.Err() != nil {
			return s, err
		}
		select {
		case <-time.After(100 * time.Millisecond):
		case <-ctx.Done():
		}
	}
}

// storeLimit is how long a private database may take to go from one process to another.
const storeLimit = 60 * time.Second

type serveCmd struct {
	place
	Listen      string   `help:"Address to answer at. Without it, the first free port of this machine alone from 8450 on."`
	Name        []string `help:"A name by which this machine is asked, besides its address; may be given several times." placeholder:"HOST"`
	TokenFile   string   `help:"File with a secret of at least 16 letters that every browser is asked for once." placeholder:"FILE"`
	Unprotected bool     `help:"Let everybody who reaches the address see and change everything."`
}

func (c *serveCmd) Run(ctx context.Context) error {
	return c.serve(ctx, func(context.Context, intake.Intake) (string, error) { return "", nil })
}

type demoCmd struct {
	serveCmd
	Fresh bool `help:"Load the demo scene again, as it was at first, beside any other."`
}

func (c *demoCmd) Run(ctx context.Context) error {
	return c.serve(ctx, func(ctx context.Context, in intake.Intake) (string, error) {
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
		return loadDemo(ctx, in)
	})
}

const demoName = "Kiln Night"

// loadDemo makes a new scene of the demo that the program carries.
func loadDemo(ctx context.Context, in intake.Intake) (string, error) {
	dir, err := scratch.Dir()
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(dir)
	if err := os.CopyFS(dir, demo.Files); err != nil {
		return "", err
	}
	id, _, err := in.SceneFile(ctx, filepath.Join(dir, demo.SceneFile), "")
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
			return nil, fmt.Errorf("--listen: %s cannot be used (%w); it should look like 127.0.0.1:%d", address, err, defaultPort)
		}
		return l, nil
	}
	for port := defaultPort; port < defaultPort+20; port++ {
		if l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port)); err == nil {
			return l, nil
		}
	}
	return nil, fmt.Errorf("ports %d to %d are all taken; name a free one with --listen 127.0.0.1:PORT", defaultPort, defaultPort+19)
}

// door says who may come in at an address. Beyond this machine it is nobody without a secret, unless that is asked for.
func (c *serveCmd) door(at net.Addr) (d web.Door, err error) {
	d.Names = c.Name
	local := false
	if tcp, ok := at.(*net.TCPAddr); ok {
		local = tcp.IP.IsLoopback()
		d.Every = tcp.IP.IsUnspecified()
		d.Names = append(d.Names, tcp.IP.String())
	}
	if c.TokenFile != "" {
		raw, err := os.ReadFile(c.TokenFile)
		if err != nil {
			return d, fmt.Errorf("--token-file: %w", err)
		}
		if d.Token = strings.TrimSpace(string(raw)); len(d.Token) < limit.TokenLen {
			return d, fmt.Errorf("--token-file: the secret in %s has %d letters; at least %d are needed", c.TokenFile, len(d.Token), limit.TokenLen)
		}
	}
	switch {
	case local || d.Token != "":
	case !c.Unprotected:
		return d, fmt.Errorf("--listen: %s can be reached from other machines; name a file with a secret by --token-file, or say --unprotected to let everybody in", at)
	default:
		fmt.Fprintf(os.Stderr, "blendseam: warning: everybody who reaches %s can see and change everything\n", at)
	}
	return d, nil
}

// serve runs everything until it is told to stop. first prepares what should be there, and gives the scene to begin with.
func (c *serveCmd) serve(ctx context.Context, first func(context.Context, intake.Intake) (string, error)) error {
	l, err := listen(c.Listen)
	if err != nil {
		return err
	}
	defer l.Close()
	door, err := c.door(l.Addr())
	if err != nil {
		return err
	}
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	defer o.close()
	made := filepath.Join(c.Var, "made")
	if err := clearJobs(ctx, o, made); err != nil {
		return err
	}
	begin, err := first(ctx, o.Intake)
	if err != nil {
		return err
	}
	// Measuring and mending go on beside the requests on threads of low priority. With a few more of them than processors, a
	// request never waits for one to give way.
	runtime.GOMAXPROCS(runtime.NumCPU() + workspace.SpareThreads)
	s := web.New(web.Config{Workspace: workspace.New(ctx, o.Intake), Made: made, Door: door,
		Demo: func(ctx context.Context) (string, error) { return loadDemo(ctx, o.Intake) }})
	url := fmt.Sprintf("http://%s/", l.Addr())
	if begin != "" {
		url += "scenes/" + begin + "/"
	}
	fmt.Printf("Blend Seam is at %s (Ctrl-C ends it)\n", url)
	h := &http.Server{ReadHeaderTimeout: limit.HeaderS * time.Second, IdleTimeout: limit.IdleS * time.Second, ErrorLog: slog.NewLogLogger(slog.Default().Handler(), slog.LevelWarn)}
	return s.Serve(ctx, h, func() error { return h.Serve(l) })
}

// clearJobs ends the jobs of processes that have gone, and removes what they had half made.
func clearJobs(ctx context.Context, o *opened, made string) error {
	broken, err := o.Store.BreakJobs(ctx, o.work.Alive)
	if err != nil {
		return err
	}
	for _, id := range broken {
		if err := os.RemoveAll(filepath.Join(made, id)); err != nil {
			return err
		}
	}
	return nil
}

type importCmd struct {
	place
	Files []string `arg:"" help:"Recordings, or one scene file (.otio)." placeholder:"FILE"`
	Scene string   `required:"" help:"The scene to bring them into; made if there is none of this name." placeholder:"NAME"`
}

func (c *importCmd) Run(ctx context.Context) error {
	scenes := 0
	for _, f := range c.Files {
		if intake.IsSceneFile(f) {
			scenes++
		}
	}
	if scenes > 0 && len(c.Files) > 1 {
		return errors.New("a scene file is brought in by itself; name one scene file, or recordings")
	}
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	defer o.close()
	in := o.Intake
	if scenes == 1 {
		id, warnings, err := in.SceneFile(ctx, c.Files[0], c.Scene)
		if err != nil {
			return err
		}
		warn(warnings)
		fmt.Printf("%s: scene %q brought in as %s\n", c.Files[0], c.Scene, id)
		return nil
	}
	return c.recordings(ctx, in)
}

// recordings brings all files in, or none into the scene if one of them cannot be read.
func (c *importCmd) recordings(ctx context.Context, in intake.Intake) error {
	rows, err := in.Store.Scenes(ctx)
	if err != nil {
		return err
	}
	id := ""
	var rate timecode.Rate
	sampleRate := int64(48000)
	for _, r := range rows {
		if r.Name == c.Scene {
			st, err := in.Store.Scene(ctx, r.ID)
			if err != nil {
				return err
			}
			id, rate, sampleRate = r.ID, st.Scene.Rate, st.Scene.SampleRate
			break
		}
	}
	var infos []media.Info
	for _, f := range c.Files {
		info, err := in.File(ctx, f, sampleRate, rate)
		if err != nil {
			return fmt.Errorf("%s: %w", f, withoutName(err, filepath.Base(f)))
		}
		if info.Damaged > 0 {
			warn([]string{fmt.Sprintf("%s: %d samples are damaged, and read as silence", f, info.Damaged)})
		}
		infos = append(infos, info)
		if rate.Num == 0 && info.Width > 0 {
			rate = info.FrameRate
		}
	}
	if id == "" {
		if rate.Num == 0 {
			rate = timecode.F25
		}
		if id, err = in.Store.Create(ctx, scene.New(c.Scene, rate, sampleRate)); err != nil {
			return err
		}
	}
	if err := in.Into(ctx, id, infos); err != nil {
		return err
	}
	fmt.Printf("%d recordings are in scene %q\n", len(infos), c.Scene)
	return nil
}

// withoutName drops a file's name from the start of a message that will be preceded by its path.
func withoutName(err error, name string) error {
	return errors.New(strings.TrimPrefix(strings.TrimPrefix(err.Error(), name+" "), name+": "))
}
