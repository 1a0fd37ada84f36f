package rendition

import (
	"fmt"
	"slices"

	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/opus"
)

// AudioEncoding is what an audio encoder is set to.
type AudioEncoding struct {
	Codec      media.Codec `json:"codec"`      // AAC or Opus
	SampleRate int         `json:"sampleRate"` // Hz that the encoder works at
	Channels   int         `json:"channels"`   // 1 or 2
	BitRate    int         `json:"bitRate"`    // bits a second
}

const (
	fullRate = 48000
	// leastAACRate keeps units of AAC short. At 8 kHz one lasts 128 ms, which players
	// then place that much too coarsely beside the picture.
	leastAACRate = 44100

	leastAACBitRate  = 64_000 // a channel
	aacBitsPerSample = 1.5
	leastOpusBitRate = 32_000
)

// opusRates are those that an Opus encoder takes (RFC 6716, 2.1.3).
var opusRates = []int{8000, 12000, 16000, 24000, 48000}

// Validate says what is wrong with an encoding.
func (e AudioEncoding) Validate() error {
	switch {
	case e.Codec != media.AAC && e.Codec != media.Opus:
		return fmt.Errorf("%w: audio of %q", ErrCodec, e.Codec)
	case e.Channels < 1 || e.Channels > 2 || e.BitRate < 6000 || e.BitRate > 512_000:
		return fmt.Errorf("audio of %d channels and %d bit/s cannot be had", e.Channels, e.BitRate)
	case e.Codec == media.AAC && !aac.Standard(e.SampleRate), e.Codec == media.Opus && !slices.Contains(opusRates, e.SampleRate):
		return fmt.Errorf("%w: %s at %d Hz", ErrCodec, e.Codec, e.SampleRate)
	}
	return nil
}

// AudioFor returns how an audio track is transcoded to AAC or Opus, and the track
// that comes out. More than two channels become one.
func AudioFor(t *media.Track, codec media.Codec) (AudioEncoding, *media.Track) {
	e := AudioEncoding{Codec: codec, SampleRate: decodedRate(t), Channels: 1}
	if t.Channels == 2 {
		e.Channels = 2
	}
	out := &media.Track{ID: 2, Kind: media.KindAudio, Codec: codec, Channels: e.Channels}
	if codec == media.Opus {
		if !slices.Contains(opusRates, e.SampleRate) {
			e.SampleRate = fullRate
		}
		e.BitRate = e.Channels * max(leastOpusBitRate, e.SampleRate)
		out.ClockRate = opus.ClockRate
		return e, out
	}
	if !aac.Standard(e.SampleRate) || e.SampleRate < leastAACRate || e.SampleRate > fullRate {
		e.SampleRate = fullRate
	}
	e.BitRate = e.Channels * max(leastAACBitRate, int(float64(decodedRate(t))*aacBitsPerSample))
	out.ClockRate, out.AAC = uint32(e.SampleRate), aac.LC(e.SampleRate, e.Channels)
	return e, out
}

// decodedRate is the sampling rate of what a decoder makes of a track.
func decodedRate(t *media.Track) int {
	if t.Codec == media.AAC {
		if c, err := aac.ParseConfig(t.AAC); err == nil {
			return c.OutputRate
		}
	}
	return int(t.ClockRate)
}

// Ticks is how long a unit of an encoding lasts in ticks of its track's clock.
func (e AudioEncoding) Ticks(t *media.Track) int64 {
	const aacUnit, opusUnit = 1024, opus.ClockRate / 50
	if e.Codec == media.Opus {
		return opusUnit
	}
	return aacUnit * int64(t.ClockRate) / int64(e.SampleRate)
}
