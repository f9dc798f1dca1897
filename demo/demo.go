// Package demo has the demo scene, Kiln Night: its scene file and its recordings, as the program in gen made them.
package demo

import "embed"

// Files holds kiln-night.otio, and recordings/ beside it.
//
//go:embed kiln-night.otio recordings
var Files embed.FS

// SceneFile is the name of the scene file in Files.
const SceneFile = "kiln-night.otio"
