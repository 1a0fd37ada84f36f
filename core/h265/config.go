package h265

import (
	"encoding/binary"
	"slices"

	"webostrum/core/media"
)

// Config is the configuration of a stream with these parameter sets; sps is what seq says.
func Config(sps *SPS, video [][]byte, seq []byte, picture [][]byte) *media.VideoConfig {
	return &media.VideoConfig{
		Codec: media.H265, Width: sps.Width, Height: sps.Height, CodecString: sps.CodecString(), Profile: sps.ProfileName(), Level: sps.LevelName(),
		FrameRate: sps.FrameRate, Reorder: sps.Reorder, Interlaced: sps.Interlaced, Sets: slices.Concat(video, [][]byte{seq}, picture),
		Entry: media.SampleEntry{Type: "hvc1", Box: "hvcC", Record: record(sps, video, seq, picture)},
	}
}

// record is an HEVCDecoderConfigurationRecord (ISO/IEC 14496-15, 8.3.3.1).
func record(s *SPS, video [][]byte, seq []byte, picture [][]byte) []byte {
	const (
		reserved4, reserved5, reserved6 = 0xf0, 0xf8, 0xfc
		complete                        = 0x80 // no sets of the type are in the stream
		lengthSizeMinusOne              = 3
	)
	first := s.Space<<6 | s.Profile
	if s.High {
		first |= 1 << 5
	}
	b := []byte{1, first}
	b = binary.BigEndian.AppendUint32(b, s.Compatibility)
	b = append(append(b, s.Constraints[:]...), s.Level)
	b = append(b, reserved4, 0) // min_spatial_segmentation_idc
	b = append(b, reserved6)    // parallelismType: not known
	b = append(b, reserved6|uint8(s.Chroma), reserved5|uint8(s.BitDepth-8), reserved5|uint8(s.ChromaDepth-8))
	b = append(b, 0, 0) // avgFrameRate: not said
	last := uint8(s.SubLayers)<<3 | lengthSizeMinusOne
	if s.TemporalNested {
		last |= 1 << 2
	}
	b = append(b, last)
	kinds := 2 // without video parameter sets, which some cameras leave out
	if len(video) > 0 {
		kinds = 3
	}
	b = append(b, uint8(kinds))
	for i, sets := range [][][]byte{video, {seq}, picture}[3-kinds:] {
		b = binary.BigEndian.AppendUint16(append(b, complete|uint8(int(NALVPS)+3-kinds+i)), uint16(len(sets)))
		for _, set := range sets {
			b = append(binary.BigEndian.AppendUint16(b, uint16(len(set))), set...)
		}
	}
	return b
}
