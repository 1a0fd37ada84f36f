// Package media is the vocabulary that every other part shares: tracks,
// samples and epochs.
//
// A sample is published once and then shared by every reader, so nothing in
// it may be written again after publishing.
package media

import (
	"bytes"
	"fmt"
	"time"
)

// Kind says whether a track is seen or heard.
type Kind uint8

// The kinds of track.
const (
	KindUnknown Kind = iota
	KindVideo
	KindAudio
)

// String returns the SDP media name of the kind (RFC 8866, section 5.14).
func (k Kind) String() string {
	switch k {
	case KindVideo:
		return "video"
	case KindAudio:
		return "audio"
	default:
		return "unknown"
	}
}

// Codec names a coding by its registered RTP encoding name, in upper case
// (IANA "RTP Payload Format Media Types").
type Codec string

// The codecs that the product has names for. Being named here does not mean
// that a codec is handled; see each package that takes tracks.
const (
	H264 Codec = "H264"
	H265 Codec = "H265"
	JPEG Codec = "JPEG"
	VP8  Codec = "VP8"
	VP9  Codec = "VP9"
	AAC  Codec = "MPEG4-GENERIC"
	PCMU Codec = "PCMU" // G.711 mu-law
	PCMA Codec = "PCMA" // G.711 A-law
	Opus Codec = "OPUS"
	L16  Codec = "L16" // samples of 16 bits, big-endian
)

// Intra says whether every frame of the codec can be decoded by itself.
func (c Codec) Intra() bool { return c == JPEG }

// Track describes one elementary stream. It is immutable.
type Track struct {
	ID        int // from 1; unique within its epoch
	Kind      Kind
	Codec     Codec
	ClockRate uint32 // ticks a second of DTS and PTS
	Width     int    // pixels shown, after cropping; video only
	Height    int
	Video     *VideoConfig // of video
	Channels  int          // audio only
	AAC       []byte       // AudioSpecificConfig (ISO/IEC 14496-3, 1.6.2.1); set when Codec is AAC
}

// SameAudio says whether two tracks of audio are coded in the same way, so that
// samples of one may follow those of the other. Nil is no audio.
func SameAudio(a, b *Track) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Codec == b.Codec && a.ClockRate == b.ClockRate && a.Channels == b.Channels && bytes.Equal(a.AAC, b.AAC)
}

// Duration converts ticks of the track's clock to time.
func (t *Track) Duration(ticks int64) time.Duration {
	rate := int64(t.ClockRate)
	whole, rest := ticks/rate, ticks%rate
	return time.Duration(whole)*time.Second + time.Duration(rest)*time.Second/time.Duration(rate)
}

// Ticks converts a time to ticks of the track's clock.
func (t *Track) Ticks(d time.Duration) int64 {
	rate := int64(t.ClockRate)
	return int64(d/time.Second)*rate + int64(d%time.Second)*rate/int64(time.Second)
}

// Epoch is a run of samples under one set of tracks and one unbroken
// timeline. It is immutable; two samples belong together when they point to
// the same Epoch.
type Epoch struct {
	Number uint64 // grows by one at each new epoch of a feed's run
	Tracks []*Track
	Source *Epoch // that it was transcoded from, on the same timeline; nil for the camera's own
}

// Camera returns the camera's epoch: that which it was transcoded from, or itself.
func (e *Epoch) Camera() *Epoch {
	if e.Source != nil {
		return e.Source
	}
	return e
}

// Video returns the epoch's first video track, or nil.
func (e *Epoch) Video() *Track {
	for _, t := range e.Tracks {
		if t.Kind == KindVideo {
			return t
		}
	}
	return nil
}

// Sample is one coded picture or audio frame.
type Sample struct {
	Epoch    *Epoch
	Track    *Track
	DTS      int64     // decode time, ticks of the track's clock; grows strictly
	PTS      int64     // presentation time, same clock; may be below DTS by no more than the reordering
	Captured time.Time // wall clock at which the camera took it
	Key      bool      // decoding can start here; true for all audio
	Length   int64     // ticks until it ends; audio only
	Data     []byte    // H.264 and H.265: NAL units, each behind a 4-byte big-endian length (ISO/IEC 14496-15, 5.3); others: as the codec writes it
}

// String is for logs and test failures.
func (s *Sample) String() string {
	return fmt.Sprintf("%s dts=%d pts=%d key=%t %d bytes", s.Track.Codec, s.DTS, s.PTS, s.Key, len(s.Data))
}
