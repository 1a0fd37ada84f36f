// Package pcm is audio as plain samples: the companding of ITU-T G.711, samples
// of 16 bits as bytes (RFC 3551, 4.5.11), and a change of the sampling rate.
package pcm

import "encoding/binary"

// DecodeMu expands mu-law (G.711, table 2a) into samples of 16 bits.
func DecodeMu(data []byte) []int16 { return expand(data, muLaw) }

// DecodeA expands A-law (G.711, table 1a).
func DecodeA(data []byte) []int16 { return expand(data, aLaw) }

func expand(data []byte, law func(byte) int16) []int16 {
	out := make([]int16, len(data))
	for i, b := range data {
		out[i] = law(b)
	}
	return out
}

const muBias = 0x84 // 33 in the 14 bits of the recommendation

func muLaw(b byte) int16 {
	b = ^b
	magnitude := (int(b&0x0f)<<3+muBias)<<(b>>4&7) - muBias
	if b&0x80 != 0 {
		return int16(-magnitude)
	}
	return int16(magnitude)
}

func aLaw(b byte) int16 {
	b ^= 0x55 // even bits are sent inverted
	magnitude, segment := int(b&0x0f)<<4+8, b>>4&7
	if segment > 0 {
		magnitude = (magnitude + 0x100) << (segment - 1)
	}
	if b&0x80 == 0 {
		return int16(-magnitude)
	}
	return int16(magnitude)
}

// EncodeMu compresses by mu-law.
func EncodeMu(samples []int16) []byte {
	const clip = 32635
	out := make([]byte, len(samples))
	for i, s := range samples {
		sign, v := byte(0), int(s)
		if v < 0 {
			sign, v = 0x80, -v
		}
		v = min(v, clip) + muBias
		segment := byte(7)
		for mask := 0x4000; v&mask == 0 && segment > 0; mask >>= 1 {
			segment--
		}
		out[i] = ^(sign | segment<<4 | byte(v>>(segment+3))&0x0f)
	}
	return out
}

// EncodeA compresses by A-law.
func EncodeA(samples []int16) []byte {
	out := make([]byte, len(samples))
	for i, s := range samples {
		sign, v := byte(0x80), int(s)
		if v < 0 {
			sign, v = 0, -v-1
		}
		segment := byte(7)
		for mask := 0x4000; v&mask == 0 && segment > 0; mask >>= 1 {
			segment--
		}
		mantissa := byte(v>>4) & 0x0f
		if segment > 0 {
			mantissa = byte(v>>(segment+3)) & 0x0f
		}
		out[i] = (sign | segment<<4 | mantissa) ^ 0x55
	}
	return out
}

// Big returns samples as big-endian bytes; what is odd at the end is left out of
// DecodeBig.
func Big(samples []int16) []byte {
	out := make([]byte, 0, 2*len(samples))
	for _, s := range samples {
		out = binary.BigEndian.AppendUint16(out, uint16(s))
	}
	return out
}

// DecodeBig reads big-endian samples.
func DecodeBig(data []byte) []int16 {
	out := make([]int16, len(data)/2)
	for i := range out {
		out[i] = int16(binary.BigEndian.Uint16(data[2*i:]))
	}
	return out
}
