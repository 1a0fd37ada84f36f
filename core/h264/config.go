package h264

import (
	"encoding/binary"

	"webostrum/core/media"
)

// Config is the configuration of a stream with these parameter sets, of which the first is
// the sequence parameter set.
func Config(s *SPS, sets [][]byte) *media.VideoConfig {
	return &media.VideoConfig{
		Codec: media.H264, Width: s.Width, Height: s.Height, CodecString: s.CodecString(), Profile: s.ProfileName(), Level: s.LevelName(),
		FrameRate: s.FrameRate, Reorder: s.Reorder, Interlaced: s.Interlaced, Sets: sets,
		Entry: media.SampleEntry{Type: "avc1", Box: "avcC", Record: record(s, sets)},
	}
}

// record is an AVCDecoderConfigurationRecord (ISO/IEC 14496-15, 5.3.3.1).
func record(s *SPS, sets [][]byte) []byte {
	const reserved6, reserved5, reserved3, lengthSizeMinusOne = 0xfc, 0xf8, 0xe0, 3
	b := []byte{1, s.Profile, s.Constraints, s.Level, reserved6 | lengthSizeMinusOne, reserved3 | 1}
	b = appendSized(b, sets[0])
	b = append(b, uint8(len(sets)-1))
	for _, pps := range sets[1:] {
		b = appendSized(b, pps)
	}
	switch s.Profile {
	case 100, 110, 122, 144:
		b = append(b, reserved6|uint8(s.Chroma), reserved5|uint8(s.BitDepth-8), reserved5|uint8(s.BitDepth-8), 0)
	}
	return b
}

func appendSized(b, unit []byte) []byte {
	return append(binary.BigEndian.AppendUint16(b, uint16(len(unit))), unit...)
}
