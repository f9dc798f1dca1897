module blendseam

go 1.26.8

require (
	github.com/alecthomas/kong v1.17.0
	github.com/mewkiz/flac v1.0.14
	gonum.org/v1/gonum v0.17.0
)

require (
	github.com/icza/bitio v1.1.0 // indirect
	github.com/mewkiz/pkg v0.0.0-20250417130911-3f050ff8c56d // indirect
	github.com/mewpkg/term v0.0.0-20241026122259-37a80af23985 // indirect
)
