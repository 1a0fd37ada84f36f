// Package flv reads and writes the bodies of audio and video messages as RTMP carries them:
// those of tags in Adobe's Flash Video File Format, version 10.1, annex E.4, and of Enhanced
// RTMP, version 2, which names codecs by four characters.
package flv

import (
	"errors"
	"fmt"

	"webostrum/core/media"
)

// The two kinds of error. Wraps carry what was read.
var (
	ErrMalformed   = errors.New("flv: malformed")
	ErrUnsupported = errors.New("flv: not supported")
)

// Kind is what a body holds.
type Kind uint8

// The kinds of body.
const (
	KindOther  Kind = iota // nothing that matters here
	KindConfig             // a decoder configuration record, or an AudioSpecificConfig
	KindFrames             // an access unit
	KindEnd                // the end of the sequence
)

// Video is the body of a video message.
type Video struct {
	Codec media.Codec
	Kind  Kind
	Key   bool  // as the sender says
	Delay int32 // composition time offset: presentation less decode time, milliseconds
	Data  []byte
}

// Codec numbers and packet types of the first format (E.4.3.1).
const (
	codecH264 = 7
	codecH265 = 12 // used before Enhanced RTMP, and never specified

	avcConfig = 0
	avcUnits  = 1
	avcEnd    = 2

	keyFrame     = 1
	infoFrame    = 5    // a command and no frame
	extended     = 0x80 // an extended header: Enhanced RTMP
	extendedKind = 0x0f
	delayLen     = 3
	fourCCLen    = 4
)

// Packet types of extended headers.
const (
	exSequenceStart = 0
	exFrames        = 1
	exSequenceEnd   = 2
	exFramesX       = 3 // without composition time: it is zero
)

// codecNames are those that older bodies number.
var codecNames = map[byte]string{2: "Sorenson H.263", 3: "screen video", 4: "VP6", 5: "VP6 with alpha", 6: "screen video 2"}

// ParseVideo reads a body. An error that wraps ErrUnsupported names the codec.
//
//	| frame type 4 | codec 4 | packet type 8 | composition time 24 | data
//	| 1 | frame type 3 | packet type 4 | fourCC 32 | composition time 24, of some | data
func ParseVideo(b []byte) (v Video, err error) {
	if len(b) == 0 {
		return v, nil
	}
	frame := b[0] >> 4 & 7
	v.Key = frame == keyFrame
	if b[0]&extended != 0 {
		return parseExtended(v, b)
	}
	if frame == infoFrame {
		return v, nil
	}
	switch codec := b[0] & 0x0f; codec {
	case codecH264:
		v.Codec = media.H264
	case codecH265:
		v.Codec = media.H265
	default:
		return v, fmt.Errorf("%w: video in %s", ErrUnsupported, named(codecNames, codec))
	}
	if len(b) < 2 {
		return v, fmt.Errorf("%w: body of %d bytes", ErrMalformed, len(b))
	}
	switch b[1] {
	case avcConfig:
		v.Kind = KindConfig
	case avcUnits:
		v.Kind = KindFrames
	case avcEnd:
		v.Kind = KindEnd
	default:
		return v, nil
	}
	return v.delayed(b[2:], true)
}

func parseExtended(v Video, b []byte) (Video, error) {
	if len(b) < 1+fourCCLen {
		return v, fmt.Errorf("%w: body of %d bytes", ErrMalformed, len(b))
	}
	switch name := string(b[1 : 1+fourCCLen]); name {
	case "avc1":
		v.Codec = media.H264
	case "hvc1":
		v.Codec = media.H265
	default:
		return v, fmt.Errorf("%w: video in %.4q", ErrUnsupported, name)
	}
	rest := b[1+fourCCLen:]
	switch b[0] & extendedKind {
	case exSequenceStart:
		v.Kind, v.Data = KindConfig, rest
		return v, nil
	case exSequenceEnd:
		v.Kind = KindEnd
		return v, nil
	case exFrames:
		v.Kind = KindFrames
		return v.delayed(rest, true)
	case exFramesX:
		v.Kind = KindFrames
		return v.delayed(rest, false)
	}
	return v, nil // metadata, several tracks in one message, and what is yet to come
}

// delayed reads the composition time, where there is one, and what is behind it.
func (v Video) delayed(b []byte, told bool) (Video, error) {
	if told {
		if len(b) < delayLen {
			return v, fmt.Errorf("%w: %d bytes for a composition time", ErrMalformed, len(b))
		}
		v.Delay = int32(uint32(b[0])<<24|uint32(b[1])<<16|uint32(b[2])<<8) >> 8
		b = b[delayLen:]
	}
	v.Data = b
	return v, nil
}

// Audio is the body of an audio message.
type Audio struct {
	Codec    media.Codec // AAC, PCMU, PCMA or Opus
	Kind     Kind
	Channels int // of G.711
	Data     []byte
}

// Formats of sound (E.4.2.1).
const (
	soundPCMA  = 7
	soundPCMU  = 8
	soundExtra = 9 // an extended header: Enhanced RTMP
	soundAAC   = 10
)

var soundNames = map[byte]string{0: "PCM", 1: "ADPCM", 2: "MP3", 3: "PCM", 4: "Nellymoser", 5: "Nellymoser", 6: "Nellymoser", 11: "Speex", 14: "MP3"}

// ParseAudio reads a body. An error that wraps ErrUnsupported names the codec.
//
//	| format 4 | rate 2 | size 1 | stereo 1 | packet type 8, of AAC | data
//	| 9, 4 | packet type 4 | fourCC 32 | data
func ParseAudio(b []byte) (a Audio, err error) {
	if len(b) == 0 {
		return a, nil
	}
	const stereo = 1
	a.Kind, a.Channels, a.Data = KindFrames, 1+int(b[0]&stereo), b[1:]
	switch format := b[0] >> 4; format {
	case soundAAC:
		return a.packed(media.AAC, b[1:])
	case soundPCMA:
		a.Codec = media.PCMA
	case soundPCMU:
		a.Codec = media.PCMU
	case soundExtra:
		return parseExtendedAudio(a, b)
	default:
		return a, fmt.Errorf("%w: audio in %s", ErrUnsupported, named(soundNames, format))
	}
	return a, nil
}

// packed reads the packet type of AAC.
func (a Audio) packed(codec media.Codec, b []byte) (Audio, error) {
	if a.Codec = codec; len(b) == 0 {
		return a, fmt.Errorf("%w: body of one byte", ErrMalformed)
	}
	if a.Data = b[1:]; b[0] == avcConfig {
		a.Kind = KindConfig
	}
	return a, nil
}

func parseExtendedAudio(a Audio, b []byte) (Audio, error) {
	if len(b) < 1+fourCCLen {
		return a, fmt.Errorf("%w: body of %d bytes", ErrMalformed, len(b))
	}
	switch name := string(b[1 : 1+fourCCLen]); name {
	case "mp4a":
		a.Codec = media.AAC
	case "Opus":
		a.Codec = media.Opus
	default:
		return a, fmt.Errorf("%w: audio in %.4q", ErrUnsupported, name)
	}
	a.Data = b[1+fourCCLen:]
	switch b[0] & extendedKind {
	case exSequenceStart:
		a.Kind = KindConfig
	case exFrames:
		a.Kind = KindFrames
	default:
		a.Kind = KindOther
	}
	return a, nil
}

func named(names map[byte]string, number byte) string {
	if name := names[number]; name != "" {
		return name
	}
	return fmt.Sprintf("format %d", number)
}
