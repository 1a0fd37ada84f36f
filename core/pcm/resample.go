package pcm

import "math"

// taps on each side of a sample, at the lower of the two rates. With the window
// below, aliases are some 60 dB down from a fifth below half the rate.
const taps = 16

// Resampler changes the sampling rate of interleaved audio, block by block: a
// windowed sinc filter for each of the phases that the two rates have to each
// other. It is not safe for concurrent use.
type Resampler struct {
	channels   int
	up, down   int
	phases     [][]float32 // a filter for each phase
	half       int         // taps on each side at the rate that comes in
	past       []float32   // samples that filters still reach, interleaved
	phase      int         // of the next sample that goes out
	skip       int         // samples of past that are in front of the next filter
	begun      bool
	identical  bool
	resultRoom []int16
}

// NewResampler makes a resampler. Rates are in Hz and positive.
func NewResampler(from, to, channels int) *Resampler {
	g := gcd(from, to)
	r := &Resampler{channels: channels, up: to / g, down: from / g, identical: from == to}
	if r.identical {
		return r
	}
	cutoff := min(1, float64(to)/float64(from)) * 0.92
	r.half = int(math.Ceil(taps / min(1, float64(to)/float64(from))))
	r.phases = make([][]float32, r.up)
	for p := range r.phases {
		r.phases[p] = filter(float64(p)/float64(r.up), cutoff, r.half)
	}
	return r
}

// filter is a sinc under a Blackman window, for a place between two samples.
func filter(offset, cutoff float64, half int) []float32 {
	f := make([]float32, 2*half)
	sum := 0.0
	weights := make([]float64, 2*half)
	for i := range f {
		x := float64(i-half+1) - offset
		w := 0.42 + 0.5*math.Cos(math.Pi*x/float64(half)) + 0.08*math.Cos(2*math.Pi*x/float64(half))
		s := 1.0
		if x != 0 {
			s = math.Sin(math.Pi*x*cutoff) / (math.Pi * x * cutoff)
		}
		weights[i] = s * w
		sum += weights[i]
	}
	for i := range f {
		f[i] = float32(weights[i] / sum)
	}
	return f
}

func gcd(a, b int) int {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// Push takes interleaved samples and returns those that can be made of them. What
// is returned is valid until the next call. The first sample that goes out stands
// for the first that came in: nothing is delayed, but the last few samples wait for
// those behind them.
func (r *Resampler) Push(samples []int16) []int16 {
	if r.identical {
		return samples
	}
	if !r.begun {
		r.begun = true
		r.past = make([]float32, (r.half-1)*r.channels) // silence before the beginning
	}
	for _, s := range samples {
		r.past = append(r.past, float32(s))
	}
	out := r.resultRoom[:0]
	for (r.skip+2*r.half)*r.channels <= len(r.past) {
		for c := range r.channels {
			out = append(out, r.one(c))
		}
		r.phase += r.down
		r.skip += r.phase / r.up
		r.phase %= r.up
	}
	drop := min(r.skip*r.channels, len(r.past))
	r.past = append(r.past[:0], r.past[drop:]...)
	r.skip -= drop / r.channels
	r.resultRoom = out
	return out
}

func (r *Resampler) one(channel int) int16 {
	var sum float32
	at := r.skip*r.channels + channel
	for _, weight := range r.phases[r.phase] {
		sum += weight * r.past[at]
		at += r.channels
	}
	return int16(max(math.MinInt16, min(math.MaxInt16, math.Round(float64(sum)))))
}

// Stretch makes a block of interleaved samples a few samples longer or shorter, by
// straight lines between them: one in hundreds is not audible.
func Stretch(samples []int16, channels, length int) []int16 {
	n := len(samples) / channels
	if n < 2 || length < 2 || n == length {
		return samples
	}
	out := make([]int16, 0, length*channels)
	for i := range length {
		at := float64(i) * float64(n-1) / float64(length-1)
		k := min(int(at), n-2)
		part := at - float64(k)
		for c := range channels {
			a, b := float64(samples[k*channels+c]), float64(samples[(k+1)*channels+c])
			out = append(out, int16(math.Round(a+(b-a)*part)))
		}
	}
	return out
}
