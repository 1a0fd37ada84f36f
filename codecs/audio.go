package codecs

import (
	"fmt"
	"time"

	"webostrum/codecs/audio"
	"webostrum/codecs/faad"
	"webostrum/codecs/opus"
	"webostrum/codecs/voaac"
	"webostrum/core/media"
	"webostrum/core/pcm"
	"webostrum/core/workerproto"
)

// Audio is made continuous: what comes out lies where it was captured, one sample
// directly behind the other, whatever clocks drift and packets are lost.
const (
	leastGap   = 60 * time.Millisecond // a difference that is no drift
	longestGap = time.Second           // a longer gap is not filled with silence
	deadBand   = 5 * time.Millisecond  // a smaller difference is left alone
	stretchBy  = 250                   // samples of a channel of which one may be added or taken away
)

// DecodesAAC says whether this worker was built with decoding AAC.
const DecodesAAC = faad.Present

// audioStage is the worker's part that transcodes audio.
type audioStage struct {
	decoder audio.Decoder
	outputs map[uint32]*audioOutput
	order   []uint32
}

func (a *audioStage) close() {
	if a.decoder != nil {
		a.decoder.Close()
	}
	for _, o := range a.outputs {
		o.encoder.Close()
	}
}

func (a *audioStage) input(in workerproto.AudioInput) error {
	if err := in.Validate(); err != nil {
		return err
	}
	if a.decoder != nil {
		a.decoder.Close()
		a.decoder = nil
	}
	for _, o := range a.outputs {
		o.begun = false
	}
	decoder, err := newAudioDecoder(in)
	if err == nil {
		a.decoder = decoder
	}
	return err
}

func newAudioDecoder(in workerproto.AudioInput) (audio.Decoder, error) {
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

// plain is for audio that a table or less decodes.
type plain struct {
	in     workerproto.AudioInput
	decode func([]byte) []int16
}

func (p plain) Decode(data []byte) (audio.Block, error) {
	return audio.Block{Samples: p.decode(data), Rate: p.in.ClockRate, Channels: p.in.Channels}, nil
}

func (p plain) Close() {}

// audioOutput makes one coding of the audio.
type audioOutput struct {
	spec      workerproto.AudioOutput
	encoder   audio.Encoder
	resampler *pcm.Resampler
	from      int     // rate that the resampler takes
	waiting   []int16 // that do not fill a block yet
	begun     bool
	origin    int64 // capture time of sample 0, nanoseconds since 1970
	made      int64 // samples of a channel that were encoded or left out
}

func (a *audioStage) output(o workerproto.AudioOutput) error {
	if err := o.Validate(); err != nil {
		return err
	}
	a.drop(o.Number)
	if len(a.outputs) >= mostOutputs {
		return fmt.Errorf("%w: more than %d outputs", workerproto.ErrMalformed, mostOutputs)
	}
	encoder, err := newAudioEncoder(o)
	if err != nil {
		return err
	}
	if a.outputs == nil {
		a.outputs = make(map[uint32]*audioOutput)
	}
	a.outputs[o.Number] = &audioOutput{spec: o, encoder: encoder}
	a.order = append(a.order, o.Number)
	return nil
}

func newAudioEncoder(o workerproto.AudioOutput) (audio.Encoder, error) {
	if o.Codec == media.AAC {
		return voaac.NewEncoder(o)
	}
	return opus.NewEncoder(o)
}

func (a *audioStage) drop(number uint32) {
	o := a.outputs[number]
	if o == nil {
		return
	}
	o.encoder.Close()
	delete(a.outputs, number)
	for i, n := range a.order {
		if n == number {
			a.order = append(a.order[:i], a.order[i+1:]...)
			break
		}
	}
}

// unit decodes a unit and makes what is wanted of it. undecoded is why this one
// could not be decoded; err ends the worker.
func (a *audioStage) unit(s workerproto.Stamp, data []byte, give func(workerproto.Stamp, []byte) error) (undecoded, err error) {
	if a.decoder == nil {
		return nil, fmt.Errorf("%w: audio before any input", workerproto.ErrMalformed)
	}
	b, undecoded := a.decoder.Decode(data)
	if undecoded != nil || len(b.Samples) == 0 {
		return undecoded, nil
	}
	for _, number := range a.order {
		if err := a.outputs[number].take(b, s.Captured, give); err != nil {
			return nil, err
		}
	}
	return nil, nil
}

// take encodes as many whole blocks as there are now.
func (o *audioOutput) take(b audio.Block, captured int64, give func(workerproto.Stamp, []byte) error) error {
	b = audio.Mix(b, o.spec.Channels)
	if o.from != b.Rate {
		o.from, o.resampler = b.Rate, pcm.NewResampler(b.Rate, o.spec.SampleRate, o.spec.Channels)
	}
	samples, ok := o.align(b.Samples, captured)
	if !ok {
		return nil
	}
	// The resampler delays nothing, but holds a little back.
	o.waiting = append(o.waiting, o.resampler.Push(samples)...)
	size := o.encoder.Size() * o.spec.Channels
	for len(o.waiting) >= size {
		data, err := o.encoder.Encode(o.waiting[:size])
		if err != nil {
			return err
		}
		pts := o.made - int64(o.encoder.Delay())
		stamp := workerproto.Stamp{Output: o.spec.Number, PTS: pts, Captured: o.origin + o.span(pts), Key: true}
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
// left out, and drift is made up for by a sample more or less here and there.
func (o *audioOutput) align(samples []int16, captured int64) (aligned []int16, ok bool) {
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
		n := len(samples) / o.spec.Channels
		more := max(n/stretchBy, 1)
		if off < 0 {
			more = -more
		}
		return pcm.Stretch(samples, o.spec.Channels, n+more), true
	}
	return samples, true
}

// end is the place behind the last sample that has come.
func (o *audioOutput) end() int64 { return o.made + int64(len(o.waiting)/o.spec.Channels) }

// bridge makes up for audio that never came.
func (o *audioOutput) bridge(gap time.Duration) {
	n := int64(gap) * int64(o.spec.SampleRate) / int64(time.Second)
	if gap > longestGap {
		o.waiting = o.waiting[:0]
		o.made += n
		return
	}
	o.waiting = append(o.waiting, make([]int16, n*int64(o.spec.Channels))...)
}

// span is how long so many samples last, in nanoseconds.
func (o *audioOutput) span(n int64) int64 {
	rate := int64(o.spec.SampleRate)
	return n/rate*int64(time.Second) + n%rate*int64(time.Second)/rate
}
