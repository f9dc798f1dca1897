package otio_test

import (
	"fmt"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
)

func ExampleWrite() {
	s := scene.New("Kiln", timecode.F24, 48000)
	raw, err := otio.Write(s)
	if err != nil {
		panic(err)
	}
	again, warnings, err := otio.Read(raw, nil)
	fmt.Println(again.Name, again.Rate, len(warnings), err)
	// Output: Kiln 24 0 <nil>
}

// A file that is wrong says where.
func ExampleRead() {
	_, _, err := otio.Read(
		[]byte(`{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Ladder.1"}]}}`),
		nil,
	)
	fmt.Println(err)
	// Output: tracks/0: a track must be a Track.1, not "Ladder.1"; flatten what is nested
}
