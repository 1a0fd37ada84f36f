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

// A difference between where sound should be and where it is that is this large is
// a gap; one up to longestGap is filled with silence.
const (
	leastGap   = 60 * time.Millisecond
	longestGap = time.Second
)

// DecodesAAC says whether this worker was built with decoding AAC.
const DecodesAAC = faad.Present

// hearing is the worker's part that converts sound.
type hearing struct {
	decoder sound.Decoder
	outputs map[uint32]*soundOutput
	order   []uint32
	heard   int64 // capture time at which the sound so far ends; 0 when there is none
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
	h.heard = 0
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
	begins    int64   // capture time of the first of them
	made      int64   // moments that were encoded or left out
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
	gap := time.Duration(s.Captured - h.heard)
	if h.heard == 0 || gap < leastGap {
		gap = 0
	}
	h.heard = s.Captured + int64(b.Moments())*int64(time.Second)/int64(b.Rate)
	for _, number := range h.order {
		if err := h.outputs[number].take(b, s.Captured, gap, give); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

// take encodes as many whole blocks as there are now.
func (o *soundOutput) take(b sound.Block, captured int64, gap time.Duration, give func(convert.Stamp, []byte) error) error {
	b = sound.Mix(b, o.order.Channels)
	if o.from != b.Rate {
		o.from, o.resampler = b.Rate, pcm.NewResampler(b.Rate, o.order.SampleRate, o.order.Channels)
	}
	o.bridge(gap)
	// The resampler delays nothing, but holds a little back.
	o.begins = captured - o.span(len(o.waiting)/o.order.Channels)
	o.waiting = append(o.waiting, o.resampler.Push(b.Samples)...)
	size := o.encoder.Size() * o.order.Channels
	for len(o.waiting) >= size {
		data, err := o.encoder.Encode(o.waiting[:size])
		if err != nil {
			return err
		}
		stamp := convert.Stamp{
			Output: o.order.Number, PTS: o.made - int64(o.encoder.Delay()), Captured: o.begins - o.span(o.encoder.Delay()), Key: true,
		}
		o.waiting = append(o.waiting[:0], o.waiting[size:]...)
		o.begins += o.span(o.encoder.Size())
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

// bridge makes up for sound that never came.
func (o *soundOutput) bridge(gap time.Duration) {
	moments := int(gap * time.Duration(o.order.SampleRate) / time.Second)
	if gap > longestGap {
		o.waiting = o.waiting[:0]
		o.made += int64(moments)
		return
	}
	o.waiting = append(o.waiting, make([]int16, moments*o.order.Channels)...)
}

// span is how long so many moments last, in nanoseconds.
func (o *soundOutput) span(moments int) int64 {
	return int64(moments) * int64(time.Second) / int64(o.order.SampleRate)
}
