package main

import (
	"fmt"
	"runtime/debug"
	"strings"

	"blendseam/store"
)

type versionCmd struct{}

// Run prints the release, what it was built from, and how it writes edits.
func (versionCmd) Run() error {
	fmt.Println("blendseam " + release())
	return nil
}

func release() string {
	words := []string{"unknown"}
	if info, ok := debug.ReadBuildInfo(); ok {
		words = []string{info.Main.Version}
		for _, s := range info.Settings {
			switch {
			case s.Key == "vcs.revision":
				words = append(words, "revision "+s.Value[:min(len(s.Value), 12)])
			case s.Key == "vcs.modified" && s.Value == "true":
				words = append(words, "changed since")
			}
		}
		words = append(words, info.GoVersion)
	}
	return strings.Join(append(words, fmt.Sprintf("edits %d", store.EditsVersion)), ", ")
}
