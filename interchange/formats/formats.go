// Package formats makes all formats of scene files known. A new one is one import here.
package formats

import (
	_ "blendseam/interchange/adl"
	_ "blendseam/interchange/edl"
	_ "blendseam/interchange/otio"
)
