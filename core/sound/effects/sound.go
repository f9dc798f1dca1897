package effects

import (
	"context"
	"fmt"
	"math"

	"gonum.org/v1/gonum/floats"

	"blendseam/core/cache"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// New returns a recording as a chain makes it sound, as long as the recording. impulse is the recording that the
// chain's reverberation names, nil if it names none. It is an error if the impulse cannot be read or is silent.
func New(r pcm.ReaderAt, c *Chain, impulse pcm.ReaderAt) (pcm.ReaderAt, error) {
	if !c.Does() {
		return r, nil
	}
	if c.Gate != nil {
		r = newDynamics(r, newGate(*c.Gate, r.Format().Rate))
	}
	if c.Compressor != nil {
		r = newDynamics(r, newCompressor(*c.Compressor, r.Format().Rate))
	}
	if c.Echo != nil {
		r = newEcho(r, *c.Echo)
	}
	if c.Reverb != nil {
		a, err := responseOf(*c.Reverb, impulse, r.Format().Rate)
		if err != nil {
			return nil, err
		}
		r = &kept{ReaderAt: ambience.Reverberated(r, a)}
	}
	return r, nil
}

func samplesOf(ms float64, rate int) int64 { return int64(math.Round(ms * float64(rate) / 1000)) }

// An echo adds repeats of a recording to it.
type echo struct {
	pcm.ReaderAt
	delay int64
	gains []float64 // of the first repeat, the second and so on
}

func delayOf(e Echo, rate int) int64 { return max(1, samplesOf(e.DelayMS, rate)) }

func newEcho(r pcm.ReaderAt, e Echo) *echo {
	x := &echo{ReaderAt: r, delay: delayOf(e, r.Format().Rate)}
	for k := range e.Times {
		x.gains = append(x.gains, level.Amplitude(-e.DownDB*float64(k+1)))
	}
	return x
}

// ReadSamplesAt reads and repeats; see pcm.ReaderAt.
func (e *echo) ReadSamplesAt(dst pcm.Block, at int64) error {
	if err := e.ReaderAt.ReadSamplesAt(dst, at); err != nil {
		return err
	}
	again := pcm.NewBlock(len(dst), dst.Len())
	for k, gain := range e.gains {
		from := at - int64(k+1)*e.delay
		if from+dst.Len() <= 0 {
			break // all of it lies before the recording begins
		}
		if err := e.ReaderAt.ReadSamplesAt(again, from); err != nil {
			return err
		}
		for c := range dst {
			floats.AddScaled(dst[c], gain, again[c])
		}
	}
	return nil
}

// responses keeps the responses of rooms that were needed last; heldBlocks keeps blocks of sound.
var (
	responses  = cache.New[string, *ambience.Impulse](16)
	heldBlocks = cache.New[heldKey, pcm.Block](24)
)

type heldKey struct {
	of     *kept
	number int64
}

// heldBlock is how many samples are folded at once, so that the transforms before them are not made for a few samples.
const heldBlock = 1 << 16

// kept reads a recording in blocks and keeps the last ones.
type kept struct{ pcm.ReaderAt }

// ReadSamplesAt reads out of blocks; see pcm.ReaderAt.
func (k *kept) ReadSamplesAt(dst pcm.Block, at int64) error {
	return pcm.ReadBlocks(dst, at, heldBlock, func(number int64) (pcm.Block, error) {
		return heldBlocks.Get(context.Background(), heldKey{k, number}, func(context.Context) (pcm.Block, error) {
			return pcm.Read(k.ReaderAt, pcm.Span{From: number * heldBlock, To: (number + 1) * heldBlock})
		})
	})
}

// responseOf returns the response of a reverberation, the sound itself included unless it is Alone.
func responseOf(r Reverb, impulse pcm.ReaderAt, rate int) (*ambience.Impulse, error) {
	make := func() (*ambience.Impulse, error) {
		tail, err := tailOf(r, impulse, rate)
		if err != nil {
			return nil, err
		}
		energy := 0.0
		for _, v := range tail {
			energy += v * v
		}
		if energy == 0 {
			return nil, fmt.Errorf("the impulse for the reverberation is silent; choose another recording, or a room")
		}
		gain := level.Amplitude(r.LevelDB) / math.Sqrt(energy)
		delay := samplesOf(r.DelayMS, rate)
		all := append(pcm.NewBlock(1, delay)[0], tail...)
		for i := range all {
			all[i] *= gain
		}
		if !r.Alone {
			all[0]++
		}
		return ambience.NewImpulse(all, rate), nil
	}
	if r.Room == "" {
		return make()
	}
	key := (&Chain{Reverb: &r}).Key()
	return responses.Get(context.Background(), fmt.Sprint(rate, key), func(context.Context) (*ambience.Impulse, error) {
		return make()
	})
}

// roomSeed makes the noise of the made-up rooms.
const roomSeed = 7

// tailOf returns the response of a room without the sound itself, or an impulse as it was recorded: the mean of its
// channels, MostResponseS of it at most.
func tailOf(r Reverb, impulse pcm.ReaderAt, rate int) ([]float64, error) {
	if room, ok := RoomNamed(r.Room); ok {
		a := ambience.ImpulseOf(recipe.Decay{S: room.S}, roomSeed, rate)
		tail := append([]float64(nil), a.Samples...)
		tail[0] = 0
		return tail, nil
	}
	if impulse == nil {
		return nil, fmt.Errorf("the impulse for the reverberation is not there; link its recording, or choose a room")
	}
	b, err := pcm.Read(impulse, pcm.Span{To: min(impulse.Len(), MostResponseS*int64(rate))})
	if err != nil {
		return nil, fmt.Errorf("the impulse for the reverberation: %w", err)
	}
	return pcm.InChannels(b, 1)[0], nil
}
