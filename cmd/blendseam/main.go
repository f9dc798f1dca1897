// The program: each command is one file; commands that work on files need no database.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/alecthomas/kong"

	"blendseam/core/scene/edit"
	"blendseam/interchange"
	"blendseam/scratch"
)

// commands is the table of commands, in the order of the help.
type commands struct {
	Demo      demoCmd      `cmd:"" help:"Start everything with the demo scene."`
	Serve     serveCmd     `cmd:"" help:"Start everything."`
	Import    importCmd    `cmd:"" help:"Bring recordings or a scene file into the database."`
	Render    renderCmd    `cmd:"" help:"Render a scene file to one sound file."`
	Audit     auditCmd     `cmd:"" help:"Measure every seam of a scene file; exit 3 if any is rough."`
	Mend      mendCmd      `cmd:"" help:"Apply what the audit recommends and write the scene."`
	Room      roomCmd      `cmd:"" help:"Bring all takes of dialogue to one room and write the scene."`
	Level     levelCmd     `cmd:"" help:"Bring voices to one loudness, let music make way for words, and write the scene."`
	Like      likeCmd      `cmd:"" help:"Bring a recording to the level and colour of another voice."`
	Fit       fitCmd       `cmd:"" help:"Bring a recording to another length at the same pitch."`
	Listen    listenCmd    `cmd:"" help:"Say what is heard in a recording: words, breaths, pauses, other sounds."`
	Tone      toneCmd      `cmd:"" help:"Find the background of a recording and build tone of any length from it."`
	Loudness  loudnessCmd  `cmd:"" help:"Measure loudness, range and peaks of files."`
	Version   versionCmd   `cmd:"" help:"Print what this program is."`
	Media     mediaCmd     `cmd:"" help:"Copy a library of recordings to another place, or look through one."`
	User      userCmd      `cmd:"" help:"Keep the accounts of people."`
	Token     tokenCmd     `cmd:"" help:"Keep the tokens by which scripts use the HTTP API."`
	Merge     mergeCmd     `cmd:"" help:"Take together what two people did to one scene, and write it."`
	Recut     recutCmd     `cmd:"" help:"Let sound follow a new cut of the picture, and write the scene."`
	Package   packageCmd   `cmd:"" help:"Put a scene and what it needs of its recordings into a folder or a ZIP file."`
	Stretches stretchesCmd `cmd:"" help:"Write marked stretches of recordings, or clips, as files."`
	Convert   convertCmd   `cmd:"" help:"Read a scene file and write it again."`
}

// exit codes, as docs/command-line.md says.
const (
	exitFailed = 1
	exitUsage  = 2
	exitRough  = 3
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	code := run(ctx, os.Args[1:])
	scratch.End()
	os.Exit(code)
}

func run(ctx context.Context, args []string) int {
	var c commands
	code := -1
	parser := kong.Must(
		&c,
		kong.Name("blendseam"),
		kong.Description("Makes cuts in sound disappear."),
		kong.Vars{"endings": interchange.Endings(", "), "usual": interchange.DefaultFormat().Extensions[0]},
		kong.UsageOnError(),
		kong.WithHyphenPrefixedParameters(true), // --target-lufs -16
		kong.BindTo(ctx, (*context.Context)(nil)),
		kong.Exit(func(n int) { code = n }),
	)
	parsed, err := parser.Parse(args)
	if code >= 0 { // --help was printed
		return code
	}
	if err != nil {
		fmt.Fprintf(os.Stderr, "blendseam: %s; blendseam --help lists the commands\n", err)
		return exitUsage
	}
	if err := parsed.Run(); errors.Is(err, errRough) {
		return exitRough
	} else if err != nil {
		if errors.Is(err, context.Canceled) {
			err = errors.New("stopped before it was done")
		}
		fmt.Fprintln(os.Stderr, "blendseam: "+edit.Message(err))
		return exitFailed
	}
	return 0
}

func warn(warnings []string) {
	for _, w := range warnings {
		fmt.Fprintln(os.Stderr, "blendseam: note: "+w)
	}
}
