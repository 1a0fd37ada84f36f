package workerproto

import (
	"fmt"
	"slices"

	"webostrum/core/media"
	"webostrum/core/rendition"
)

// AudioInput describes the audio that follows. A new one begins a new decoder.
type AudioInput struct {
	Codec     media.Codec `json:"codec"`     // PCMU, PCMA, L16, AAC or Opus
	ClockRate int         `json:"clockRate"` // samples a second; of AAC the configuration tells
	Channels  int         `json:"channels"`
	Config    []byte      `json:"config,omitempty"` // AudioSpecificConfig of AAC
}

// Validate says what is wrong with an input.
func (i AudioInput) Validate() error {
	switch {
	case i.Codec == media.AAC && len(i.Config) == 0:
		return fmt.Errorf("%w: AAC without configuration", ErrMalformed)
	case !slices.Contains([]media.Codec{media.PCMU, media.PCMA, media.L16, media.AAC, media.Opus}, i.Codec):
		return fmt.Errorf("%w: audio of codec %q", ErrMalformed, i.Codec)
	case i.ClockRate < 4000 || i.ClockRate > 192000 || i.Channels < 1 || i.Channels > 8:
		return fmt.Errorf("%w: audio at %d Hz with %d channels", ErrMalformed, i.ClockRate, i.Channels)
	}
	return nil
}

// AudioOutput is audio to encode, under the number that its units come back with.
type AudioOutput struct {
	Number uint32 `json:"number"`
	rendition.AudioEncoding
}

// AudioInputOf describes an audio track to the worker.
func AudioInputOf(t *media.Track) AudioInput {
	return AudioInput{Codec: t.Codec, ClockRate: int(t.ClockRate), Channels: t.Channels, Config: t.AAC}
}
