package tone_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/listen/tone"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/corpus"
	"blendseam/internal/roomtest"
)

// voices are the words in Debian's alsa-utils.
func voices(t testing.TB) (list [][]float64) {
	for _, v := range roomtest.Words(t) {
		turn := -measure.LoudnessOf(pcm.Block{v}, rate).MomentaryMaxLUFS // to 0 LUFS
		for i := range v {
			v[i] *= level.Amplitude(turn)
		}
		list = append(list, v)
	}
	return list
}

// speaks tells where a voice is heard over a room: in 20 ms, one of its third-octaves reaches the room's level.
func speaks(voice, room []float64) []bool {
	bands := measure.NewBands(rate, rate/50, 125, 8000)
	n := int64(bands.Window())
	mean := make([]float64, len(bands.Centres))
	count := 0.0
	for at := int64(0); at+n <= int64(len(room)); at += 2 * n {
		count++
		for b, p := range bands.Powers(nil, room[at:at+n]) {
			mean[b] += p
		}
	}
	out := make([]bool, len(voice))
	for at := int64(0); at+n <= int64(len(voice)); at += n / 2 {
		for b, p := range bands.Powers(nil, voice[at:at+n]) {
			if p > mean[b]/count {
				for i := at; i < at+n; i++ {
					out[i] = true
				}
			}
		}
	}
	return out
}

// Real voices, 6 dB above the room and more: no stretch that is found has speech in it, and in nearly all some is
// found.
func TestNoStretchOfToneHasSpeechInIt(t *testing.T) {
	t.Parallel()
	all := voices(t)
	r := rand.New(rand.NewPCG(corpus.Seed(), 8))
	with, none := 0, 0
	var rooms []pcm.Block // long ones, of which each case gets a piece
	for _, k := range room.Kinds {
		rooms = append(rooms, k.Sound(40*rate, rate, 1, r.Uint64()))
	}
	cases := corpus.Cases(40, 300)
	for i := range cases {
		k := room.Kinds[i%len(room.Kinds)]
		snr := 6 + 24*r.Float64()
		n := int64(5 * rate)
		whole := rooms[i%len(rooms)]
		from := r.Int64N(whole.Len() - n)
		b := pcm.Block{slices.Clone(whole[0][from : from+n])}
		voice := make([]float64, n)
		at := int(rate * (0.3 + 0.7*r.Float64()))
		for at < int(n)-rate {
			v := all[r.IntN(len(all))]
			g := level.Amplitude(k.Level + snr)
			for j := 0; j < len(v) && at+j < int(n); j++ {
				voice[at+j] += g * v[j]
			}
			at += len(v) + int(rate*(0.4+r.Float64()))
		}
		heard := speaks(voice, b[0])
		for j, v := range voice {
			b[0][j] += v
		}
		found := tone.Find(b, rate)
		if len(found) == 0 {
			none++
		}
		for _, q := range found {
			bad := 0
			for j := q.Span.From; j < q.Span.To; j++ {
				if heard[j] {
					bad++
				}
			}
			if bad > 0 {
				with++
				where := 0
				for where = int(q.Span.From); !heard[where]; where++ {
				}
				t.Errorf(
					"case %d, %s, voice %.0f dB above: %.2f to %.2f s has speech at %.2f, %d ms of it",
					i,
					k.Name,
					snr,
					float64(q.Span.From)/rate,
					float64(q.Span.To)/rate,
					float64(where)/rate,
					bad*1000/rate,
				)
				break
			}
		}
	}
	t.Logf("%d of %d have speech in a stretch, in %d nothing was found", with, cases, none)
	if none > cases/20 {
		t.Errorf("in %d of %d no stretch was found", none, cases)
	}
}

// Bumps, clicks and the decay after a word are left out.
func TestQuietStretchesHaveNoBumpInThem(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(corpus.Seed(), 9))
	for i := range corpus.Cases(12, 60) {
		k := room.Kinds[i%len(room.Kinds)]
		b := k.Sound(4*rate, rate, 1, r.Uint64())
		at := rate + r.IntN(2*rate)
		size := level.Amplitude(k.Level + 14 + 10*r.Float64())
		hz, decay := 80+300*r.Float64(), 0.02+0.06*r.Float64()
		for j := 0; j < int(4*decay*rate); j++ {
			b[0][at+j] += size * math.Exp(
				-float64(j)/rate/decay,
			) * (math.Sin(2*math.Pi*hz*float64(j)/rate) + 0.5*r.NormFloat64())
		}
		bump := pcm.Span{From: int64(at), To: int64(at) + int64(decay*rate)}
		sum := int64(0)
		for _, q := range tone.Find(b, rate) {
			if q.Span.Overlaps(bump) {
				t.Errorf("%s: %v holds the bump at %v", k.Name, q.Span, bump)
			}
			sum += q.Span.Len()
		}
		if sum < rate {
			t.Errorf("%s: only %.2f s of 4 were found", k.Name, float64(sum)/rate)
		}
	}
}

func TestTheLikestStretchComesFirst(t *testing.T) {
	t.Parallel()
	colour := func(tilt float64) (v []float64) {
		for b := range 28 {
			v = append(v, -60-tilt*float64(b))
		}
		return v
	}
	q := func(from int64, level, tilt float64) tone.Quiet {
		return tone.Quiet{Span: pcm.Span{From: from, To: from + rate}, LevelDB: level, SpreadDB: 0.5, Thirds: colour(tilt)}
	}
	list := []tone.Quiet{q(0, -50, 0.5), q(10*rate, -50, 0), q(20*rate, -44, 0), q(30*rate, -50, 0)}
	at := int64(32 * rate)
	got := tone.Rank(
		list,
		[]tone.Side{{LevelDB: -50, Thirds: colour(0)}},
		1,
		rate,
		func(q tone.Quiet) float64 { return float64(at-q.Span.To) / rate },
	)
	order := ""
	for _, c := range got {
		order += fmt.Sprint(c.Span.From/rate, " ")
	}
	if order != "30 10 0 20 " {
		t.Errorf("in the order %s: %+v", order, got[0].Reasons)
	}
}
