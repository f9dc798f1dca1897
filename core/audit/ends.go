package audit

import (
	"blendseam/core/listen/onset"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// ends measures how a track's sound begins and ends.
type ends struct{ *look }

// missedDB is the level, in dBFS, below which nothing is missed that ends, and nothing startles that begins.
const missedDB = -70

// drop measures how far the level falls at once at the end of a track: from that of the track before to that of the
// scene after.
func (l ends) drop() error {
	r := l.r
	if r.Right != "" || r.Kind == GapStart {
		return nil
	}
	drop, err := l.atOnce(
		pcm.Span{From: r.At - l.Samples(250), To: r.At - l.Samples(5)},
		pcm.Span{From: r.At - l.Samples(5), To: r.At},
		pcm.Span{From: r.At, To: r.At + l.Samples(250)},
	)
	if err == nil {
		r.Measures.DropDB = &drop
	}
	return err
}

// rise measures how far the level rises at once where a track begins, or music and effects after a gap: from that of
// the scene before to that of the track after. Only what was going on counts: a recording that is itself quieter before
// its edge begins there by itself, and so does what enters on an attack.
func (l ends) rise() error {
	r := l.r
	if r.Left != "" || r.Kind == GapEnd && l.track.Purpose.HasRoom() {
		return nil
	}
	at := l.right.Start
	rise, err := l.atOnce(
		pcm.Span{From: at + l.Samples(5), To: at + l.Samples(250)},
		pcm.Span{From: at, To: at + l.Samples(5)},
		pcm.Span{From: at - l.Samples(250), To: at},
	)
	if err != nil {
		return err
	}
	if rise > 0 {
		enters, err := l.enters(at)
		if err != nil {
			return err
		}
		if enters {
			rise = 0
		}
	}
	r.Measures.RiseDB = &rise
	return nil
}

// atOnce is how far the track, over a while and in the moment beside the edge, is louder than the scene beyond the
// edge, in dB.
func (l ends) atOnce(while, moment, beyond pcm.Span) (float64, error) {
	var db [3]float64
	for i, part := range []struct {
		of   *mix.Mixer
		span pcm.Span
	}{{l.alone, while}, {l.alone, moment}, {l.heard, beyond}} {
		b, err := meter.Render(part.of, part.span)
		if err != nil {
			return 0, err
		}
		db[i] = max(missedDB, measure.RMSDB(b))
	}
	return max(0, min(db[0], db[1])-db[2]), nil
}

// enters tells whether the recording of the right clip itself begins at a moment of the scene, or something in it sets
// in there. Of one that begins with the clip, nobody knows what was before: it enters if its first 2 ms are softer by
// startsDB than what follows, or if it dies away as what is struck does.
func (l ends) enters(at int64) (bool, error) {
	const startsDB = 6
	own := at - l.right.Shift()
	if own < l.Samples(20) {
		var db [3]float64
		for i, span := range []pcm.Span{
			{From: at, To: at + l.Samples(2)},
			{From: at, To: at + l.Samples(40)},
			{From: at + l.Samples(150), To: at + l.Samples(250)},
		} {
			b, err := l.Raw(l.right, span)
			if err != nil {
				return false, err
			}
			db[i] = max(missedDB-30, measure.RMSDB(b))
		}
		return db[1] > db[0]+startsDB || db[1] > db[2]+startsDB, nil
	}
	a, err := l.Says(l.ctx, l.right)
	if err != nil {
		return false, err
	}
	db, err := onset.RiseDB(a, own)
	return db >= onset.AbruptDB, err
}
