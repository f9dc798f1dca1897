package measure

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/pcm"
)

// Correlation is the correlation coefficient of two stretches of one length over all channels, about
// zero as sound is: sum(ab) / sqrt(sum(a^2) sum(b^2)), from -1 to 1; 0 if either is silent. When one has
// fewer channels, its last one stands for the missing ones.
func Correlation(a, b pcm.Block) float64 {
	var ab, aa, bb float64
	for c := range max(len(a), len(b)) {
		x, y := a[min(c, len(a)-1)], b[min(c, len(b)-1)]
		n := min(len(x), len(y))
		for i, v := range x[:n] {
			w := y[i]
			ab += v * w
			aa += v * v
			bb += w * w
		}
	}
	if aa == 0 || bb == 0 {
		return 0
	}
	return max(-1, min(1, ab/math.Sqrt(aa*bb)))
}

// BestOffset finds the offset, at most most samples either way, at which two mono stretches of one
// length are most alike: b[i+offset] is compared with a[i]. It returns the offset and the correlation
// coefficient there, over the samples that overlap. Cross-correlation by FFT; the smallest offset
// wins among equals. Silent or empty stretches give 0, 0.
func BestOffset(a, b []float64, most int) (offset int, correlation float64) {
	n := min(len(a), len(b))
	if n == 0 {
		return 0, 0
	}
	most = min(most, n-1)
	size := 1
	for size < n+most+1 {
		size *= 2
	}
	fft := fourier.NewFFT(size)
	pad := func(v []float64) []complex128 {
		p := make([]float64, size)
		copy(p, v[:n])
		return fft.Coefficients(nil, p)
	}
	fa, fb := pad(a), pad(b)
	for i := range fb {
		fb[i] *= complex(real(fa[i]), -imag(fa[i]))
	}
	cross := fft.Sequence(nil, fb) // cross[k] = size * sum a[i] b[i+k]
	energyA, energyB := runningEnergy(a[:n]), runningEnergy(b[:n])
	for step := 0; step <= 2*most; step++ {
		k := (step + 1) / 2 // 0, 1, -1, 2, -2 ...
		if step%2 == 0 {
			k = -k
		}
		from, to := max(0, -k), n-max(0, k)
		e := (energyA[to] - energyA[from]) * (energyB[to+k] - energyB[from+k])
		if e <= 0 {
			continue
		}
		if r := cross[(k+size)%size] / float64(size) / math.Sqrt(e); r > correlation+1e-12 {
			offset, correlation = k, min(1, r)
		}
	}
	return offset, correlation
}

func runningEnergy(v []float64) []float64 {
	sum := make([]float64, len(v)+1)
	for i, x := range v {
		sum[i+1] = sum[i] + x*x
	}
	return sum
}

// Mono is the mean of all channels of b.
func Mono(b pcm.Block) []float64 {
	m := make([]float64, b.Len())
	for _, ch := range b {
		for i, v := range ch {
			m[i] += v / float64(len(b))
		}
	}
	return m
}
