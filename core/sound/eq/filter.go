package eq

import (
	"context"
	"fmt"
	"math"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/cache"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A filter is 85 ms long, so that it tells apart what lies 25 Hz apart; its transforms are four times as long.
const (
	lengthMS   = 85
	transforms = 4
)

// A response is a filter made: the transform of its impulse response, which is symmetric about its middle.
type response struct {
	taps int // even; there is one more
	bins []complex128
	fft  sync.Pool // of *fourier.CmplxFFT
}

// responses keeps those that were needed last, blocks the sound that was filtered last.
var (
	responses = cache.New[string, *response](256)
	blocks    = cache.New[blockKey, pcm.Block](64)
)

type blockKey struct {
	of     *filtered
	number int64
}

func (r *response) length() int { return len(r.bins) }

// hop is how many samples of sound a transform gives.
func (r *response) hop() int64 { return int64(r.length() - r.taps) }

// responseOf makes the filter of what brings a voice near another's: the inverse transform of the wanted gains, through
// a Hann window.
func responseOf(l *Like, rate int) *response {
	key := fmt.Sprint(rate, Curve{Like: l}.Key())
	r, _ := responses.Get(context.Background(), key, func(context.Context) (*response, error) {
		taps := 2
		for taps*2 <= rate*lengthMS*21/20/1000 {
			taps *= 2
		}
		n := transforms * taps
		r := &response{taps: taps, fft: sync.Pool{New: func() any { return fourier.NewCmplxFFT(n) }}}
		fft := r.fft.Get().(*fourier.CmplxFFT)
		defer r.fft.Put(fft)
		want := make([]complex128, n)
		for k := range want {
			hz := float64(min(k, n-k)) * float64(rate) / float64(n)
			want[k] = complex(level.Amplitude(l.DB(hz)), 0)
		}
		impulse := fft.Sequence(nil, want)
		x := make([]complex128, n)
		for i := -taps / 2; i <= taps/2; i++ {
			w := 0.5 + 0.5*math.Cos(2*math.Pi*float64(i)/float64(taps))
			x[i+taps/2] = complex(real(impulse[(i+n)%n])*w/float64(n), 0)
		}
		r.bins = fft.Coefficients(nil, x)
		for i := range r.bins {
			r.bins[i] /= complex(float64(n), 0) // what the transform there and back multiplies by
		}
		return r, nil
	})
	return r
}

// New is a recording as a curve makes it sound; one that does nothing is the recording itself.
func New(r pcm.ReaderAt, c Curve) pcm.ReaderAt {
	rate := r.Format().Rate
	if list := c.Sections(float64(rate)); len(list) > 0 {
		r = newSectioned(r, list)
	}
	if c.Like != nil {
		r = &filtered{r, responseOf(c.Like, rate)}
	}
	return r
}

type filtered struct {
	pcm.ReaderAt
	by *response
}

// ReadSamplesAt reads and filters; see pcm.ReaderAt.
func (f *filtered) ReadSamplesAt(dst pcm.Block, at int64) error {
	return pcm.ReadBlocks(dst, at, f.by.hop(), func(number int64) (pcm.Block, error) {
		return blocks.Get(context.Background(), blockKey{f, number}, func(context.Context) (pcm.Block, error) {
			return f.block(number)
		})
	})
}

// block filters the sound from number*hop on, by overlap and save (A. V. Oppenheim, R. W. Schafer, "Discrete-Time
// Signal Processing"; from memory). Two channels are the two parts of one transform.
func (f *filtered) block(number int64) (pcm.Block, error) {
	hop, taps, n := f.by.hop(), int64(f.by.taps), f.by.length()
	from := number*hop - taps/2
	in, err := pcm.Read(f.ReaderAt, pcm.Span{From: from, To: from + int64(n)})
	if err != nil {
		return nil, err
	}
	fft := f.by.fft.Get().(*fourier.CmplxFFT)
	defer f.by.fft.Put(fft)
	out := pcm.NewBlock(len(in), hop)
	x, y := make([]complex128, n), make([]complex128, n)
	for c := 0; c < len(in); c += 2 {
		both := c+1 < len(in)
		for i, v := range in[c] {
			x[i] = complex(v, 0)
			if both {
				x[i] = complex(v, in[c+1][i])
			}
		}
		fft.Coefficients(y, x)
		for i, h := range f.by.bins {
			y[i] *= h
		}
		fft.Sequence(x, y)
		for i := range out[c] {
			v := x[int64(i)+taps]
			out[c][i] = real(v)
			if both {
				out[c+1][i] = imag(v)
			}
		}
	}
	return out, nil
}
