// Package network runs a small trained network that says where somebody speaks: Silero VAD, version 6
// (https://github.com/snakers4/silero-vad, MIT licence; see LICENSE.txt). It gives one probability for every 32 ms and
// knows nothing of words, pauses or backgrounds. Its weights come from tools/network/weights.py.
package network

import (
	_ "embed"
	"encoding/binary"
	"math"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/simd"
)

// Rate is the sample rate that the network was trained for, in Hz, and Window the number of samples that each
// probability belongs to.
const (
	Rate   = 16000
	Window = 512
)

// The shape of the network. A window is heard together with the context samples ahead of it, and reflected at its end
// by as many; its magnitudes are those of frames of frameSize samples, frameStep apart.
const (
	context   = 64
	frameSize = 256
	frameStep = 128
	frames    = (context+Window+context-frameSize)/frameStep + 1 // 4
	bins      = frameSize/2 + 1
	taps      = 3
	units     = 128 // of the recurrent layer
	gates     = 4 * units
	channels0 = 128
	channels1 = 64
	channels2 = 64
)

//go:embed silero_vad_v6.f32
var weightFile []byte

// weights are the network's, each row padded with zeros to a multiple of simd.Lanes.
type weights struct {
	conv0, conv1, conv2, conv3 layer
	input, state               layer // of the recurrent layer; the bias of state holds both
	out                        []float32
	outBias                    float32
	window                     [frameSize]float64
}

// A layer multiplies its input by a matrix of rows of width numbers, and adds a bias to each.
type layer struct {
	width int
	rows  []float32
	bias  []float32
}

// padded is the least multiple of simd.Lanes that holds n numbers.
func padded(n int) int { return (n + simd.Lanes - 1) / simd.Lanes * simd.Lanes }

// A reader takes tensors from the file of weights, one after the other.
type reader struct{ left []byte }

func (r *reader) take(n int) []float32 {
	out := make([]float32, n)
	for i := range out {
		out[i] = math.Float32frombits(binary.LittleEndian.Uint32(r.left[4*i:]))
	}
	r.left = r.left[4*n:]
	return out
}

// layer reads out x in x taps weights, which lie tap by tap in the layer's rows: all inputs of the first tap, padded,
// then those of the next. Of taps only those from first up to last are kept, for others meet nothing but padding.
func (r *reader) layer(out, in, taps, first, last int) layer {
	w, step := r.take(out*in*taps), padded(in)
	l := layer{width: step * (last - first), rows: make([]float32, out*step*(last-first))}
	for o := range out {
		for k := first; k < last; k++ {
			for i := range in {
				l.rows[o*l.width+(k-first)*step+i] = w[(o*in+i)*taps+k]
			}
		}
	}
	return l
}

var trained = sync.OnceValue(func() *weights {
	r := &reader{weightFile}
	w := &weights{}
	conv := func(l *layer, out, in, first, last int) {
		*l = r.layer(out, in, taps, first, last)
		l.bias = r.take(out)
	}
	conv(&w.conv0, channels0, bins, 0, taps)
	conv(&w.conv1, channels1, channels0, 0, taps)
	conv(&w.conv2, channels2, channels1, 1, taps) // its one output lies at the start of two inputs
	conv(&w.conv3, units, channels2, 1, 2)        // one input
	w.input = r.layer(gates, units, 1, 0, 1)
	w.state = r.layer(gates, units, 1, 0, 1)
	w.state.bias = r.take(gates)
	for i, b := range r.take(gates) {
		w.state.bias[i] += b
	}
	w.out, w.outBias = r.take(units), r.take(1)[0]
	for i := range w.window {
		w.window[i] = 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/frameSize)
	}
	return w
})

// together is how many windows are heard at once: each weight is read once for all of them.
const together = 4

// How many numbers of a window lie in each layer's input, one window after the other.
const (
	frameRows  = frames + 2 // with one of silence at each end
	hiddenSize = frameRows * channels0
)

// A Listener hears a sound from its beginning on, window by window. It keeps what it needs of the sound so far.
type Listener struct {
	weights *weights
	fft     *fourier.CmplxFFT
	recent  [context]float32 // ahead of the next window
	left    []float32        // less than a window, not heard yet

	sound     [context + Window + context]float32
	pair      [frameSize]complex128 // two frames
	magnitude []float32             // of windows, of frames, a padded row each
	hidden0   []float32             // of windows
	hidden1   []float32
	hidden2   []float32
	hidden3   []float32
	input     []float32 // what the recurrent layer's gates get of windows
	gates     [gates]float32
	short     []float32 // hidden and cell state of the recurrent layer
	cell      [units]float32
}

// NewListener gives a listener that has heard nothing yet.
func NewListener() *Listener {
	return &Listener{
		weights:   trained(),
		fft:       fourier.NewCmplxFFT(frameSize),
		magnitude: make([]float32, together*frameRows*padded(bins)),
		hidden0:   make([]float32, together*hiddenSize),
		hidden1:   make([]float32, together*2*channels1),
		hidden2:   make([]float32, together*channels2),
		hidden3:   make([]float32, together*units),
		input:     make([]float32, together*gates),
		short:     make([]float32, units),
	}
}

// Hear gives the probability that somebody speaks in each further window of a sound of Rate samples a second, from 0
// to 1. What does not fill a window is kept until more comes.
func (l *Listener) Hear(sound []float32) (probabilities []float32) {
	l.left = append(l.left, sound...)
	at := 0
	for at+Window <= len(l.left) {
		n := min(together, (len(l.left)-at)/Window)
		for k := range n {
			l.take(k, l.left[at:at+Window])
			at += Window
		}
		l.layers()
		for k := range n {
			probabilities = append(probabilities, l.recur(l.input[k*gates:(k+1)*gates]))
		}
	}
	l.left = append(l.left[:0], l.left[at:]...)
	return probabilities
}

// take fills in the magnitudes of a window, number k of those that are heard together.
func (l *Listener) take(k int, sound []float32) {
	n := copy(l.sound[:], l.recent[:])
	n += copy(l.sound[n:], sound)
	for i := range context {
		l.sound[n+i] = l.sound[n-2-i]
	}
	copy(l.recent[:], sound[Window-context:])
	rows := l.magnitude[k*frameRows*padded(bins):]
	for f := 0; f < frames; f += 2 {
		l.spectra(rows[(1+f)*padded(bins):], l.sound[f*frameStep:])
	}
}

// spectra fills two rows with the magnitudes of two frames, which are the real and the imaginary part of one transform:
// the one's spectrum is even, the other's odd.
func (l *Listener) spectra(rows, sound []float32) {
	for i, w := range l.weights.window {
		l.pair[i] = complex(w*float64(sound[i]), w*float64(sound[i+frameStep]))
	}
	both := l.fft.Coefficients(l.pair[:], l.pair[:])
	for b := range bins {
		x, y := both[b], both[(frameSize-b)%frameSize]
		first := complex((real(x)+real(y))/2, (imag(x)-imag(y))/2)
		second := complex((imag(x)+imag(y))/2, (real(y)-real(x))/2)
		rows[b] = magnitudeOf(first)
		rows[padded(bins)+b] = magnitudeOf(second)
	}
}

func magnitudeOf(c complex128) float32 { return float32(math.Sqrt(real(c)*real(c) + imag(c)*imag(c))) }

// layers runs all layers ahead of the recurrent one on the windows that are heard together.
func (l *Listener) layers() {
	w := l.weights
	var sums [4]float32
	for o, bias := range w.conv0.bias {
		row := w.conv0.row(o)
		for k := range together { // four frames each
			simd.Dot4(&sums, row, l.magnitude[k*frameRows*padded(bins):], padded(bins))
			for f, v := range sums {
				l.hidden0[k*hiddenSize+(1+f)*channels0+o] = max(0, v+bias)
			}
		}
	}
	for at := range 2 {
		w.conv1.each(l.hidden0[2*at*channels0:], hiddenSize, l.hidden1[at*channels1:], 2*channels1)
	}
	w.conv2.each(l.hidden1, 2*channels1, l.hidden2, channels2)
	w.conv3.each(l.hidden2, channels2, l.hidden3, units)
	for o := range gates {
		simd.Dot4(&sums, w.input.row(o), l.hidden3, units)
		for k, v := range sums {
			l.input[k*gates+o] = v
		}
	}
}

// row are the weights of an output.
func (l layer) row(o int) []float32 { return l.rows[o*l.width : (o+1)*l.width] }

// each fills the outputs of four windows with what the layer makes of their inputs, and rectifies them. Inputs and
// outputs of a window begin so many numbers after those of the one before.
func (l layer) each(from []float32, fromStep int, to []float32, toStep int) {
	var sums [together]float32
	for o, bias := range l.bias {
		simd.Dot4(&sums, l.row(o), from, fromStep)
		for k, v := range sums {
			to[k*toStep+o] = max(0, v+bias)
		}
	}
}

// recur lets the recurrent layer hear a window, of which the gates get input, and gives the probability that somebody
// speaks in it: S. Hochreiter, J. Schmidhuber, "Long Short-Term Memory", Neural Computation 9, 1997, with forget gates.
func (l *Listener) recur(input []float32) float32 {
	w := l.weights
	var sums [4]float32
	for o := 0; o < gates; o += 4 {
		simd.Dot4(&sums, l.short, w.state.rows[o*units:], units)
		for k, v := range sums {
			l.gates[o+k] = v + w.state.bias[o+k] + input[o+k]
		}
	}
	sum := w.outBias
	for i := range l.cell {
		in, forget := sigmoid(l.gates[i]), sigmoid(l.gates[units+i])
		cell, out := tanh(l.gates[2*units+i]), sigmoid(l.gates[3*units+i])
		l.cell[i] = forget*l.cell[i] + in*cell
		l.short[i] = out * tanh(l.cell[i])
		sum += w.out[i] * max(0, l.short[i])
	}
	return sigmoid(sum)
}

func sigmoid(x float32) float32 { return float32(1 / (1 + math.Exp(-float64(x)))) }

func tanh(x float32) float32 { return 2*sigmoid(2*x) - 1 }
