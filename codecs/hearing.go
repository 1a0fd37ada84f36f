package codecs

import (
	"fmt"
	"time"

	"webostrum/codecs/faad"
	"webostrum/codecs/opus"
	"webostrum/codecs/sound"
	"webostrum/codecs/voaac"
	"webostrum/core/convert"
	"webostrum/core/media"
	"webostrum/core/pcm"
)

// Sound is made continuous: what comes out lies where it was captured, one sample
// directly behind the other, whatever clocks drift and packets are lost.
const (
	leastGap   = 60 * time.Millisecond // a difference that is no drift
	longestGap = time.Second           // a longer gap is not filled with silence
	deadBand   = 5 * time.Millisecond  // a smaller difference is left alone
	stretchBy  = 250                   // moments of which one may be added or taken away
)

// DecodesAAC says whether this worker was built with decoding AAC.
const DecodesAAC = faad.Present

// hearing is the worker's part that converts sound.
type hearing struct {
	decoder sound.Decoder
	outputs map[uint32]*soundOutput
	order   []uint32
}

func (h *hearing) close() {
	if h.decoder != nil {
		h.decoder.Close()
	}
	for _, o := range h.outputs {
		o.encoder.Close()
	}
}

func (h *hearing) input(in convert.SoundInput) error {
	if err := in.Validate(); err != nil {
		return err
	}
	if h.decoder != nil {
		h.decoder.Close()
		h.decoder = nil
	}
	for _, o := range h.outputs {
		o.begun = false
	}
	decoder, err := newSoundDecoder(in)
	if err == nil {
		h.decoder = decoder
	}
	return err
}

func newSoundDecoder(in convert.SoundInput) (sound.Decoder, error) {
	switch in.Codec {
	case media.AAC:
		return faad.NewDecoder(in.Config)
	case media.Opus:
		return opus.NewDecoder(in.Channels)
	case media.PCMU:
		return plain{in, pcm.DecodeMu}, nil
	case media.PCMA:
		return plain{in, pcm.DecodeA}, nil
	}
	return plain{in, pcm.DecodeBig}, nil
}

// plain is for sound that a table or less decodes.
type plain struct {
	in     convert.SoundInput
	decode func([]byte) []int16
}

func (p plain) Decode(data []byte) (sound.Block, error) {
	return sound.Block{Samples: p.decode(data), Rate: p.in.ClockRate, Channels: p.in.Channels}, nil
}

func (p plain) Close() {}

// soundOutput makes one coding of the sound.
type soundOutput struct {
	order     convert.SoundOutput
	encoder   sound.Encoder
	resampler *pcm.Resampler
	from      int     // rate that the resampler takes
	waiting   []int16 // that do not fill a block yet
	begun     bool
	origin    int64 // capture time of moment 0, nanoseconds since 1970
	made      int64 // moments that were encoded or left out
}

func (h *hearing) output(o convert.SoundOutput) error {
	if err := o.Validate(); err != nil {
		return err
	}
	h.drop(o.Number)
	if len(h.outputs) >= mostOutputs {
		return fmt.Errorf("%w: more than %d outputs", convert.ErrMalformed, mostOutputs)
	}
	encoder, err := newSoundEncoder(o)
	if err != nil {
		return err
	}
	if h.outputs == nil {
		h.outputs = make(map[uint32]*soundOutput)
	}
	h.outputs[o.Number] = &soundOutput{order: o, encoder: encoder}
	h.order = append(h.order, o.Number)
	return nil
}

func newSoundEncoder(o convert.SoundOutput) (sound.Encoder, error) {
	if o.Codec == media.AAC {
		return voaac.NewEncoder(o)
	}
	return opus.NewEncoder(o)
}

func (h *hearing) drop(number uint32) {
	o := h.outputs[number]
	if o == nil {
		return
	}
	o.encoder.Close()
	delete(h.outputs, number)
	for i, n := range h.order {
		if n == number {
			h.order = append(h.order[:i], h.order[i+1:]...)
			break
		}
	}
}

// unit decodes a unit and makes what is wanted of it. undecoded is why this one
// could not be decoded; err ends the worker.
func (h *hearing) unit(s convert.Stamp, data []byte, give func(convert.Stamp, []byte) error) (undecoded, err error) {
	if h.decoder == nil {
		return nil, fmt.Errorf("%w: sound before any input", convert.ErrMalformed)
	}
	b, undecoded := h.decoder.Decode(data)
	if undecoded != nil || len(b.Samples) == 0 {
		return undecoded, nil
	}
	for _, number := range h.order {
		if err := h.outputs[number].take(b, s.Captured, give); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

// take encodes as many whole blocks as there are now.
func (o *soundOutput) take(b sound.Block, captured int64, give func(convert.Stamp, []byte) error) error {
	b = sound.Mix(b, o.order.Channels)
	if o.from != b.Rate {
		o.from, o.resampler = b.Rate, pcm.NewResampler(b.Rate, o.order.SampleRate, o.order.Channels)
	}
	samples, ok := o.align(b.Samples, captured)
	if !ok {
		return nil
	}
	// The resampler delays nothing, but holds a little back.
	o.waiting = append(o.waiting, o.resampler.Push(samples)...)
	size := o.encoder.Size() * o.order.Channels
	for len(o.waiting) >= size {
		data, err := o.encoder.Encode(o.waiting[:size])
		if err != nil {
			return err
		}
		pts := o.made - int64(o.encoder.Delay())
		stamp := convert.Stamp{Output: o.order.Number, PTS: pts, Captured: o.origin + o.span(pts), Key: true}
		o.waiting = append(o.waiting[:0], o.waiting[size:]...)
		o.made += int64(o.encoder.Size())
		if len(data) == 0 {
			continue
		}
		if err := give(stamp, data); err != nil {
			return err
		}
	}
	return nil
}

// align lays samples beside those before them: a gap is filled, what comes twice is
// left out, and drift is made up for by a moment more or less here and there.
func (o *soundOutput) align(samples []int16, captured int64) (aligned []int16, ok bool) {
	if !o.begun {
		o.begun = true
		o.origin = captured - o.span(o.end())
		return samples, true
	}
	switch off := time.Duration(captured - o.origin - o.span(o.end())); {
	case off > leastGap:
		o.bridge(off)
	case off < -longestGap: // the clock was set back: what is captured now is now
		o.origin += int64(off)
	case off < -leastGap:
		return nil, false
	case off.Abs() > deadBand:
		n := len(samples) / o.order.Channels
		more := max(n/stretchBy, 1)
		if off < 0 {
			more = -more
		}
		return pcm.Stretch(samples, o.order.Channels, n+more), true
	}
	return samples, true
}

// end is the moment behind the last one that has come.
func (o *soundOutput) end() int64 { return o.made + int64(len(o.waiting)/o.order.Channels) }

// bridge makes up for sound that never came.
func (o *soundOutput) bridge(gap time.Duration) {
	moments := int64(gap) * int64(o.order.SampleRate) / int64(time.Second)
	if gap > longestGap {
		o.waiting = o.waiting[:0]
		o.made += moments
		return
	}
	o.waiting = append(o.waiting, make([]int16, moments*int64(o.order.Channels))...)
}

// span is how long so many moments last, in nanoseconds.
func (o *soundOutput) span(moments int64) int64 {
	rate := int64(o.order.SampleRate)
	return moments/rate*int64(time.Second) + moments%rate*int64(time.Second)/rate
}
