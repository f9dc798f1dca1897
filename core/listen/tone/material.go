package tone

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"hash/maphash"
	"math"
	"slices"
	"sync"

	"blendseam/core/cache"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A material is all of a tone but the order of its grains.
type material struct {
	ends  []*bed  // what its start and its end are made from; one where both are the same
	rise  float64 // dB from its start to its end
	steps []step  // of the passage, in order of time
}

// A step of the passage: how loud the noise of each end is in it.
type step struct {
	once   sync.Once
	ends   []*bed
	target []float64
	noise  [][]pcm.Block // by end and layer
	hum    [][]partial
}

// passageSteps is how many colours a tone has on its way from one side to the other.
const passageSteps = 5

// A passage's loops are no longer than this: there are many of them.
const passageLoopS = 3

func newMaterial(parts [][]pcm.Block, rate int, t recipe.Tone) *material {
	c := &material{}
	passes := len(parts) > 1 || t.RightDB != nil
	most := int64(longestLoopS * rate)
	if passes {
		most = int64(passageLoopS * rate)
	}
	for i, side := range parts {
		c.ends = append(c.ends, newBed(side, rate, uint64(i), most))
	}
	if len(c.ends) == 2 && len(c.ends[0].layers) != len(c.ends[1].layers) { // one has enough material, the other has not
		for _, e := range c.ends {
			if len(e.layers) == 1 {
				e.layers = append(e.layers, pcm.NewBlock(len(e.layers[0]), int64(rate)))
			}
		}
	}
	left, right := t.LeftDB, t.RightDB
	if right == nil {
		right = left
	}
	n := 1
	if passes {
		n = passageSteps
	}
	if n > 1 && left != nil {
		c.rise = sumDB(right) - sumDB(left)
	}
	c.steps = make([]step, n)
	for i := range c.steps {
		c.steps[i].ends = c.ends
		if left != nil {
			c.steps[i].target = between(left, right, float64(i)/float64(max(1, n-1)))
		}
	}
	return c
}

// ready gives a step with its sound, made when it is first needed.
func (s *step) ready() *step {
	s.once.Do(func() {
		for _, e := range s.ends {
			noise, hum := e.coloured(s.target)
			s.noise, s.hum = append(s.noise, noise), append(s.hum, hum)
		}
	})
	return s
}

// between is the colour on the way from one to another: straight in dB in every band, and so is the sum of all bands.
func between(a, b []float64, x float64) []float64 {
	out := make([]float64, len(a))
	for i := range a {
		out[i] = a[i] + (b[i]-a[i])*x
	}
	off := sumDB(a) + (sumDB(b)-sumDB(a))*x - sumDB(out)
	for i := range out {
		out[i] += off
	}
	return out
}

func sumDB(bands []float64) float64 {
	sum := 1e-30
	for _, v := range bands {
		sum += level.Power(v)
	}
	return level.OfPower(sum)
}

// made keeps the materials that were made last: a scene is measured and heard through many mixers, and each opens its
// tones anew.
var made = cache.New[uint64, *material](keptMaterials)

const keptMaterials = 6

// hashedAtOnce is how many samples are hashed at once.
const hashedAtOnce = 4096

var seed = maphash.MakeSeed()

// materialOf gives what a tone is made from, by the sound of its parts and the recipe's colours.
func materialOf(parts [][]pcm.Block, rate int, t recipe.Tone) *material {
	var h maphash.Hash
	h.SetSeed(seed)
	raw, err := json.Marshal([]any{rate, t.LeftDB, t.RightDB, t.Left, t.Right})
	if err != nil {
		panic(err) // numbers
	}
	h.Write(raw)
	buffer := make([]byte, 0, 8*hashedAtOnce)
	for _, side := range parts {
		for _, b := range side {
			for _, ch := range b {
				for some := range slices.Chunk(ch, hashedAtOnce) {
					buffer = buffer[:0]
					for _, v := range some {
						buffer = binary.LittleEndian.AppendUint64(buffer, math.Float64bits(v))
					}
					h.Write(buffer)
				}
			}
		}
	}
	m, err := made.Get(context.Background(), h.Sum64(), func(context.Context) (*material, error) {
		return newMaterial(parts, rate, t), nil
	})
	if err != nil {
		panic(err) // as whatever broke it would have
	}
	return m
}
