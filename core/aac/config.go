// Package aac reads the configuration of AAC streams (AudioSpecificConfig,
// ISO/IEC 14496-3, 1.6.2.1), writes that of AAC-LC, and takes access units out of
// LATM (1.7.3).
//
// Limits: 8 channels; 64 access units in one multiplex element. Object types
// other than AAC Main, LC, SSR, LTP, SBR and PS are not supported.
package aac

import (
	"errors"
	"fmt"
	"slices"

	"webostrum/core/bits"
)

// The errors of this package wrap one of these.
var (
	ErrMalformed   = errors.New("aac: malformed")
	ErrUnsupported = errors.New("aac: not supported")
)

// Audio object types (14496-3, table 1.17).
const (
	ObjectLC  = 2
	objectLTP = 4
	objectSBR = 5
	objectPS  = 29
	escape    = 31
)

// rates are the sampling frequencies by their index (table 1.18).
var rates = []int{96000, 88200, 64000, 48000, 44100, 32000, 24000, 22050, 16000, 12000, 11025, 8000, 7350}

const explicitRate = 15 // the frequency itself follows, in 24 bits

// channelsOf is the number of channels by channelConfiguration (table 1.19).
var channelsOf = []int{0, 1, 2, 3, 4, 5, 6, 8}

// Config is an AudioSpecificConfig as far as it matters for carrying a stream.
type Config struct {
	ObjectType  int // of the core coder
	SampleRate  int // of the core coder, Hz
	OutputRate  int // what comes out, Hz: twice as much with SBR
	Channels    int // of the core coder
	SBR, PS     bool
	FrameLength int // samples of the core coder in an access unit: 1024 or 960
}

// CodecString is the codec as RFC 6381, 3.3 writes it.
func (c Config) CodecString() string {
	switch {
	case c.PS:
		return fmt.Sprintf("mp4a.40.%d", objectPS)
	case c.SBR:
		return fmt.Sprintf("mp4a.40.%d", objectSBR)
	}
	return fmt.Sprintf("mp4a.40.%d", c.ObjectType)
}

// ParseConfig reads an AudioSpecificConfig. What stands behind it is left alone.
func ParseConfig(data []byte) (Config, error) {
	r := &bits.Reader{Data: data, Malformed: ErrMalformed}
	c, err := readConfig(r)
	if err == nil {
		c.readExtension(r)
	}
	return c, err
}

func readConfig(r *bits.Reader) (Config, error) {
	var c Config
	c.ObjectType = objectType(r)
	c.SampleRate = frequency(r)
	channels := int(r.U(4))
	c.OutputRate = c.SampleRate
	if c.ObjectType == objectSBR || c.ObjectType == objectPS {
		c.SBR, c.PS = true, c.ObjectType == objectPS
		c.OutputRate = frequency(r)
		c.ObjectType = objectType(r)
	}
	switch {
	case r.Err != nil:
		return c, r.Err
	case c.ObjectType < 1 || c.ObjectType > objectLTP:
		return c, fmt.Errorf("%w: audio object type %d", ErrUnsupported, c.ObjectType)
	case channels == 0 || channels >= len(channelsOf):
		return c, fmt.Errorf("%w: channel configuration %d", ErrUnsupported, channels)
	case c.SampleRate < 1 || c.SampleRate > rates[0] || c.OutputRate < c.SampleRate || c.OutputRate > 2*c.SampleRate:
		return c, fmt.Errorf("%w: sampling frequency %d Hz, %d Hz put out", ErrMalformed, c.SampleRate, c.OutputRate)
	}
	c.Channels = channelsOf[channels]
	c.readGA(r)
	return c, r.Err
}

// readGA reads GASpecificConfig (4.4.1).
func (c *Config) readGA(r *bits.Reader) {
	const coreDelayBits = 14
	c.FrameLength = 1024
	if r.Flag() {
		c.FrameLength = 960
	}
	if r.Flag() {
		r.U(coreDelayBits)
	}
	r.Flag() // extensionFlag: nothing follows for these object types
}

// readExtension looks for SBR and PS that are told behind the configuration, where
// decoders that know neither do not look (1.6.5.3).
func (c *Config) readExtension(r *bits.Reader) {
	const syncSBR, syncPS, syncBits, least = 0x2b7, 0x548, 11, 16
	if c.SBR || r.Left() < least || r.U(syncBits) != syncSBR || objectType(r) != objectSBR || !r.Flag() {
		return
	}
	rate := frequency(r)
	if r.Err != nil || rate < c.SampleRate || rate > 2*c.SampleRate {
		return
	}
	c.SBR, c.OutputRate = true, rate
	c.PS = r.Left() >= syncBits+1 && r.U(syncBits) == syncPS && r.Flag()
}

func objectType(r *bits.Reader) int {
	if t := int(r.U(5)); t != escape {
		return t
	}
	return 32 + int(r.U(6))
}

func frequency(r *bits.Reader) int {
	i := int(r.U(4))
	switch {
	case i == explicitRate:
		return int(r.U(24))
	case i < len(rates):
		return rates[i]
	}
	r.Fail("reserved sampling frequency")
	return 0
}

// LC returns the AudioSpecificConfig of AAC-LC with 1,024 samples an access unit.
// rate is one of the standard's, from 8,000 to 96,000 Hz; channels are 1 or 2.
func LC(rate, channels int) []byte {
	i := slices.Index(rates, rate)
	if i < 0 || channels < 1 || channels > 2 {
		return nil
	}
	// | type, 5 | rate, 4 | channels, 4 | 000 |
	v := uint16(ObjectLC)<<11 | uint16(i)<<7 | uint16(channels)<<3
	return []byte{byte(v >> 8), byte(v)}
}

// Standard says whether a rate has an index of its own, so that every decoder
// takes it.
func Standard(rate int) bool { return slices.Contains(rates[:len(rates)-1], rate) }

// Silence returns an access unit of nothing to hear, or nil when none is known for
// the configuration. It is a raw_data_block (4.4.2.1) in which every field is zero
// that may be: there are no scale factor bands, so there is nothing to decode.
//
//	mono    SCE 000 | tag 0000 | global_gain 8 | ics_info 11 | pulse, TNS, gain 3 | END 111
//	stereo  CPE 001 | tag 0000 | common_window 1 | ics_info 11 | ms_mask 2 | twice 8 + 3 | END 111 | 00
func Silence(c Config) []byte {
	switch {
	case c.ObjectType != ObjectLC || c.SBR:
		return nil
	case c.Channels == 1:
		return []byte{0, 0, 0, 0x07}
	case c.Channels == 2:
		return []byte{0x21, 0, 0, 0, 0, 0x1c}
	}
	return nil
}
