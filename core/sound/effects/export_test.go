package effects

// RunUp returns how far before a moment the sound still decides what a chain makes of that moment, in samples.
func RunUp(c *Chain, rate int) (samples int64) {
	if !c.Does() {
		return 0
	}
	samples = 2 * heldBlock
	if c.Gate != nil {
		samples += reachOf(newGate(*c.Gate, rate))
	}
	if c.Compressor != nil {
		samples += reachOf(newCompressor(*c.Compressor, rate))
	}
	if c.Echo != nil {
		samples += int64(c.Echo.Times) * delayOf(*c.Echo, rate)
	}
	if c.Reverb != nil {
		samples += MostResponseS*int64(rate) + samplesOf(c.Reverb.DelayMS, rate)
	}
	return samples
}

// reachOf is how far before a moment a law may begin.
func reachOf(l law) int64 {
	d := newDynamics(nil, l)
	return d.segment + l.settle
}
