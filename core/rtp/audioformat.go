package rtp

import (
	"encoding/hex"
	"fmt"
	"strconv"

	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/opus"
	"webostrum/core/sdp"
	"webostrum/core/timeline"
)

// unpacker takes the payloads of one kind of audio apart. lost says that
// something is missing just before.
type unpacker interface {
	push(payload []byte, marker, lost bool) ([]timeline.AudioUnit, error)
	// track describes the audio; nil as long as that is not known.
	track() *media.Track
}

// UnsupportedError says why a camera's audio is not taken.
type UnsupportedError struct{ Why string }

func (e UnsupportedError) Error() string { return e.Why }

func unsupported(format string, args ...any) error {
	return UnsupportedError{fmt.Sprintf(format, args...)}
}

// latmName is an RTP encoding name of AAC beside that of media.
const latmName = "MP4A-LATM" // RFC 6416

const mostChannels = 8

// newUnpacker reads a format of a session description.
func newUnpacker(f sdp.Format) (unpacker, error) {
	channels := max(f.Channels, 1)
	if f.ClockRate < 4000 || f.ClockRate > 192000 || channels > mostChannels {
		return nil, unsupported("%s at %d Hz with %d channels is not handled", f.Encoding, f.ClockRate, channels)
	}
	t := &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.Codec(f.Encoding), ClockRate: f.ClockRate, Channels: channels}
	switch f.Encoding {
	case string(media.PCMU), string(media.PCMA):
		return newSamplesUnpacker(t, 1), nil
	case string(media.L16):
		return newSamplesUnpacker(t, 2), nil
	case string(media.Opus):
		// The description always says two channels (RFC 7587, 7); this tells whether
		// they differ.
		t.Channels = 1
		if f.Params["sprop-stereo"] == "1" {
			t.Channels = 2
		}
		return &opusUnpacker{described: t}, nil
	case string(media.AAC):
		return newAACUnpacker(f, t)
	case latmName:
		return newLATMUnpacker(f, t)
	}
	name := f.Encoding
	if name == "" {
		name = "payload type " + strconv.Itoa(int(f.PayloadType))
	}
	return nil, unsupported("%s is not handled; set the camera to AAC, G.711 or Opus", name)
}

// longestUnit is how long a unit of bare samples is at most, milliseconds: some
// cameras send a packet a quarter of a second, which browsers' buffers are not made for.
const longestUnit = 60

// samplesUnpacker takes packets that are samples and nothing else (RFC 3551, 4.5).
type samplesUnpacker struct {
	described *media.Track
	bytes     int // of one sample of all channels
	most      int // samples in a unit
}

func newSamplesUnpacker(t *media.Track, bytes int) *samplesUnpacker {
	return &samplesUnpacker{described: t, bytes: bytes * t.Channels, most: int(t.ClockRate) * longestUnit / 1000}
}

func (u *samplesUnpacker) track() *media.Track { return u.described }

// push cuts a packet that is too long into parts of one length, nearly.
func (u *samplesUnpacker) push(payload []byte, _, _ bool) (units []timeline.AudioUnit, err error) {
	rest := append([]byte(nil), payload[:len(payload)/u.bytes*u.bytes]...)
	for len(rest) > 0 {
		count := len(rest) / u.bytes
		parts := (count + u.most - 1) / u.most
		n := (count + parts - 1) / parts
		units = append(units, timeline.AudioUnit{Data: rest[: n*u.bytes : n*u.bytes], Ticks: int64(n)})
		rest = rest[n*u.bytes:]
	}
	return units, nil
}

// opusUnpacker takes packets that are one Opus packet each (RFC 7587, 4.2).
type opusUnpacker struct{ described *media.Track }

func (u *opusUnpacker) track() *media.Track { return u.described }

func (u *opusUnpacker) push(payload []byte, _, _ bool) ([]timeline.AudioUnit, error) {
	n := opus.Duration(payload)
	if n == 0 {
		return nil, fmt.Errorf("rtp: %d bytes that are no Opus packet", len(payload))
	}
	return []timeline.AudioUnit{{Data: append([]byte(nil), payload...), Ticks: int64(n) * int64(u.described.ClockRate) / opus.ClockRate}}, nil
}

// unitTicks is how long an access unit lasts in ticks of the track's clock.
func unitTicks(c aac.Config, clockRate uint32) int64 {
	return int64(c.FrameLength) * int64(clockRate) / int64(c.SampleRate)
}

// newLATMUnpacker follows RFC 6416, 7.3.
func newLATMUnpacker(f sdp.Format, t *media.Track) (unpacker, error) {
	t.Codec = media.AAC
	u := &latmUnpacker{template: *t}
	u.latm.InBand = f.Params["cpresent"] != "0"
	if text := f.Params["config"]; text != "" {
		mux, err := hex.DecodeString(text)
		if err == nil {
			err = u.latm.Configured(mux)
		}
		if err != nil && !u.latm.InBand {
			return nil, unsupported("its AAC configuration %.40q cannot be used: %v", text, err)
		}
	} else if !u.latm.InBand {
		return nil, unsupported("it sends AAC without its configuration")
	}
	return u, nil
}

type latmUnpacker struct {
	template media.Track
	latm     aac.LATM
	buf      []byte // of an element that goes over several packets
	broken   bool   // its beginning is missing
	known    *media.Track
}

func (u *latmUnpacker) track() *media.Track {
	raw, c, ok := u.latm.Config()
	if !ok {
		return nil
	}
	if u.known == nil || string(u.known.AAC) != string(raw) {
		t := u.template
		t.AAC, t.Channels = raw, c.Channels
		u.known = &t
	}
	return u.known
}

// push gathers an element up to the marker (RFC 6416, 6.1).
func (u *latmUnpacker) push(payload []byte, marker, lost bool) ([]timeline.AudioUnit, error) {
	if lost {
		u.buf, u.broken = u.buf[:0], true // what comes may be the rest of an element
	}
	if len(u.buf)+len(payload) > maxAudioUnit {
		u.buf, u.broken = u.buf[:0], true
	}
	u.buf = append(u.buf, payload...)
	if !marker {
		return nil, nil
	}
	broken := u.broken
	element := u.buf
	u.buf, u.broken = u.buf[:0], false
	if broken {
		return nil, nil
	}
	var units []timeline.AudioUnit
	err := u.latm.Element(element, func(data []byte) {
		_, c, _ := u.latm.Config()
		units = append(units, timeline.AudioUnit{Data: data, Ticks: unitTicks(c, u.template.ClockRate)})
	})
	return units, err
}
