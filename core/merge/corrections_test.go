package merge

import (
	"reflect"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// What two people said of a recording goes together: nothing that one of them said or took back is lost.
func TestCorrectionsOfTwoVersionsGoTogether(t *testing.T) {
	at := func(from int64, kind scene.SoundKind) scene.Correction {
		return scene.Correction{Span: pcm.Span{From: from, To: from + 10}, Kind: kind}
	}
	base := []scene.Correction{at(0, scene.AWord), at(20, scene.APause)}
	mine := []scene.Correction{at(0, scene.AWord), at(20, scene.APause), at(40, scene.ABreath)}
	theirs := []scene.Correction{at(20, scene.APause), at(45, scene.AWord), at(60, scene.AnOther)}
	want := []scene.Correction{at(20, scene.APause), at(40, scene.ABreath), at(60, scene.AnOther)}
	if got := correctedAs(base, mine, theirs); !reflect.DeepEqual(got, want) {
		t.Errorf("together they are %v, want %v", got, want)
	}
}
