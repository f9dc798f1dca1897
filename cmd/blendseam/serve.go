package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"blendseam/core/scene"
	"blendseam/core/timecode"
	"blendseam/demo"
	"blendseam/intake"
	"blendseam/media"
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

// open opens database and library. close ends what it started.
func (p place) open(ctx context.Context) (in intake.Intake, close func(), err error) {
	close = func() {}
	dsn := p.DSN
	if dsn == "" {
		private, err := server.Start(ctx, filepath.Join(p.Var, "database"))
		if err != nil {
			return in, close, err
		}
		close, dsn = private.Stop, private.DSN
	}
	if in.Store, err = store.Open(ctx, dsn); err != nil {
		close()
		return in, func() {}, err
	}
	stop := close
	close = func() { in.Store.Close(); stop() }
	if in.Library, err = media.OpenLibrary(filepath.Join(p.Var, "media")); err != nil {
		close()
		return in, func() {}, err
	}
	return in, close, nil
}

type serveCmd struct {
	place
	Listen string `help:"Address to answer at. Without it, the first free port from 8450 on."`
}

func (c *serveCmd) Run(ctx context.Context) error {
	return serve(ctx, c.place, c.Listen, func(context.Context, intake.Intake) (string, error) { return "", nil })
}

type demoCmd struct {
	serveCmd
	Fresh bool `help:"Load the demo scene again, as it was at first, beside any other."`
}

func (c *demoCmd) Run(ctx context.Context) error {
	return serve(ctx, c.place, c.Listen, func(ctx context.Context, in intake.Intake) (string, error) {
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
	dir, err := os.MkdirTemp("", "blendseam-demo-")
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

// serve runs everything until it is told to stop. first prepares what should be there, and gives the scene to begin with.
func serve(ctx context.Context, p place, address string, first func(context.Context, intake.Intake) (string, error)) error {
	l, err := listen(address)
	if err != nil {
		return err
	}
	defer l.Close()
	in, done, err := p.open(ctx)
	if err != nil {
		return err
	}
	defer done()
	if err := in.Store.BreakJobs(ctx); err != nil {
		return err
	}
	begin, err := first(ctx, in)
	if err != nil {
		return err
	}
	// Measuring and mending go on beside the requests on threads of low priority. With a few more of them than processors, a
	// request never waits for one to give way.
	runtime.GOMAXPROCS(runtime.NumCPU() + workspace.SpareThreads)
	s := web.New(web.Config{Workspace: workspace.New(ctx, in), Made: filepath.Join(p.Var, "made"),
		Demo: func(ctx context.Context) (string, error) { return loadDemo(ctx, in) }})
	url := fmt.Sprintf("http://%s/", l.Addr())
	if begin != "" {
		url += "scenes/" + begin + "/"
	}
	fmt.Printf("Blend Seam is at %s (Ctrl-C ends it)\n", url)
	h := &http.Server{ReadHeaderTimeout: 10 * time.Second}
	return s.Serve(ctx, h, func() error { return h.Serve(l) })
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
	in, done, err := c.open(ctx)
	if err != nil {
		return err
	}
	defer done()
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
