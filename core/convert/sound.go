package convert

import (
	"fmt"
	"slices"

	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/opus"
)

// SoundInput is what sound comes. A new one begins a new decoder.
type SoundInput struct {
	Codec     media.Codec `json:"codec"`     // PCMU, PCMA, L16, AAC or Opus
	ClockRate int         `json:"clockRate"` // samples a second; of AAC the configuration tells
	Channels  int         `json:"channels"`
	Config    []byte      `json:"config,omitempty"` // AudioSpecificConfig of AAC
}

// Validate says what is wrong with an input.
func (i SoundInput) Validate() error {
	switch {
	case i.Codec == media.AAC && len(i.Config) == 0:
		return fmt.Errorf("%w: AAC without configuration", ErrMalformed)
	case !slices.Contains([]media.Codec{media.PCMU, media.PCMA, media.L16, media.AAC, media.Opus}, i.Codec):
		return fmt.Errorf("%w: sound of codec %q", ErrMalformed, i.Codec)
	case i.ClockRate < 4000 || i.ClockRate > 192000 || i.Channels < 1 || i.Channels > 8:
		return fmt.Errorf("%w: sound at %d Hz with %d channels", ErrMalformed, i.ClockRate, i.Channels)
	}
	return nil
}

// SoundOutput is sound to make.
type SoundOutput struct {
	Number     uint32      `json:"number"`
	Codec      media.Codec `json:"codec"`      // AAC or Opus
	SampleRate int         `json:"sampleRate"` // that the encoder works at
	Channels   int         `json:"channels"`   // 1 or 2
	BitRate    int         `json:"bitRate"`    // bits a second
}

// opusRates are those that an Opus encoder takes (RFC 6716, 2.1.3).
var opusRates = []int{8000, 12000, 16000, 24000, 48000}

// Validate says what is wrong with an output.
func (o SoundOutput) Validate() error {
	switch {
	case o.Codec != media.AAC && o.Codec != media.Opus:
		return fmt.Errorf("%w: sound output of codec %q", ErrMalformed, o.Codec)
	case o.Channels < 1 || o.Channels > 2 || o.BitRate < 6000 || o.BitRate > 512_000:
		return fmt.Errorf("%w: sound output of %d channels and %d bit/s", ErrMalformed, o.Channels, o.BitRate)
	case o.Codec == media.AAC && !aac.Standard(o.SampleRate), o.Codec == media.Opus && !slices.Contains(opusRates, o.SampleRate):
		return fmt.Errorf("%w: %s at %d Hz", ErrMalformed, o.Codec, o.SampleRate)
	}
	return nil
}

// Sound says how a track of sound is made into a codec, AAC or Opus, and describes
// what comes out. Sampling rates stay where the codec takes them; more than two
// channels become one.
func Sound(t *media.Track, codec media.Codec) (SoundOutput, *media.Track) {
	const fullRate, aacShare, opusShare, leastAAC, leastOpus = 48000, 1.5, 1, 24_000, 32_000
	o := SoundOutput{Codec: codec, SampleRate: outRate(t), Channels: 1}
	if t.Channels == 2 {
		o.Channels = 2
	}
	made := &media.Track{ID: 2, Kind: media.KindAudio, Codec: codec, Channels: o.Channels}
	if codec == media.Opus {
		if !slices.Contains(opusRates, o.SampleRate) {
			o.SampleRate = fullRate
		}
		o.BitRate = o.Channels * max(leastOpus, o.SampleRate*opusShare)
		made.ClockRate = opus.ClockRate
		return o, made
	}
	if !aac.Standard(o.SampleRate) {
		o.SampleRate = fullRate
	}
	o.BitRate = o.Channels * max(leastAAC, int(float64(o.SampleRate)*aacShare))
	made.ClockRate, made.AAC = uint32(o.SampleRate), aac.LC(o.SampleRate, o.Channels)
	return o, made
}

// outRate is the sampling rate of what a decoder makes of a track.
func outRate(t *media.Track) int {
	if t.Codec == media.AAC {
		if c, err := aac.ParseConfig(t.AAC); err == nil {
			return c.OutputRate
		}
	}
	return int(t.ClockRate)
}

// InputOf describes a track of sound to the worker.
func InputOf(t *media.Track) SoundInput {
	return SoundInput{Codec: t.Codec, ClockRate: int(t.ClockRate), Channels: t.Channels, Config: t.AAC}
}

// Ticks is how long a unit of an output lasts in ticks of its track's clock.
func (o SoundOutput) Ticks(t *media.Track) int64 {
	const aacUnit, opusUnit = 1024, opus.ClockRate / 50
	if o.Codec == media.Opus {
		return opusUnit
	}
	return aacUnit * int64(t.ClockRate) / int64(o.SampleRate)
}
