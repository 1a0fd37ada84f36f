// Package opus decodes and encodes Opus with libopus.
package opus

import (
	"gopkg.in/hraban/opus.v2"

	"webostrum/codecs/audio"
	"webostrum/core/workerproto"
)

const (
	decodedRate = 48000
	longest     = decodedRate * 120 / 1000 // samples of a channel in one packet (RFC 6716, 3.2.5)
	mostBytes   = 1275 * 6                 // of one packet
	frameMillis = 20
)

// Decoder implements audio.Decoder.
type Decoder struct {
	d        *opus.Decoder
	channels int
	room     []int16
}

// NewDecoder makes a decoder of packets; channels are 1 or 2.
func NewDecoder(channels int) (*Decoder, error) {
	channels = min(channels, 2)
	d, err := opus.NewDecoder(decodedRate, channels)
	return &Decoder{d: d, channels: channels, room: make([]int16, longest*channels)}, err
}

// Decode implements audio.Decoder.
func (d *Decoder) Decode(data []byte) (audio.Block, error) {
	n, err := d.d.Decode(data, d.room)
	return audio.Block{Samples: d.room[:n*d.channels], Rate: decodedRate, Channels: d.channels}, err
}

// Close implements audio.Decoder; the library's memory is Go's.
func (d *Decoder) Close() {}

// Encoder implements audio.Encoder.
type Encoder struct {
	e    *opus.Encoder
	rate int
	room []byte
}

// NewEncoder makes an encoder of packets of 20 ms.
func NewEncoder(o workerproto.AudioOutput) (*Encoder, error) {
	e, err := opus.NewEncoder(o.SampleRate, o.Channels, opus.AppAudio)
	if err != nil {
		return nil, err
	}
	const lossExpected = 5 // hundredths: packets carry a little of the one before
	for _, set := range []error{e.SetBitrate(o.BitRate), e.SetInBandFEC(true), e.SetPacketLossPerc(lossExpected)} {
		if set != nil {
			return nil, set
		}
	}
	return &Encoder{e: e, rate: o.SampleRate, room: make([]byte, mostBytes)}, nil
}

// Size implements audio.Encoder.
func (e *Encoder) Size() int { return e.rate * frameMillis / 1000 }

// Delay implements audio.Encoder. It is what OPUS_GET_LOOKAHEAD tells of this
// application: 6.5 ms.
func (e *Encoder) Delay() int { return e.rate * 13 / 2000 }

// Encode implements audio.Encoder.
func (e *Encoder) Encode(samples []int16) ([]byte, error) {
	n, err := e.e.Encode(samples, e.room)
	return e.room[:n], err
}

// Close implements audio.Encoder; the library's memory is Go's.
func (e *Encoder) Close() {}
