package h264_test

import (
	"encoding/hex"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/h264"
	"webostrum/core/nalu"
	"webostrum/testkit/pictures"
)

func unhex(t testing.TB, s string) []byte {
	t.Helper()
	b, err := hex.DecodeString(strings.ReplaceAll(s, " ", ""))
	require.NoError(t, err)
	return b
}

// Parameter sets of real encoders.
const (
	// 67 42c01f: baseline, constraint_set0 and 1, level 3.1; 1280x720.
	spsBaseline = "67 42c01f 8c8d40 2802dd0080 8800 0003000800000301"
	// 67 64001f: high, level 3.1; 1280x720, VUI with 25 frames a second and two reordered.
	spsHigh = "67 64001f acd940 5005bb01 1000 0003001000000303 20f1831960"
	// 67 640028: high, level 4; 1920x1088 cropped to 1920x1080.
	spsCropped = "67 640028 acd940 780227e5c0 44000003000400000300c8 3c60c658"
)

func TestParseSPS(t *testing.T) {
	tests := []struct {
		name, sps            string
		width, height        int
		codec, profile, leve string
		reorder              int
	}{
		{"high with reordering", spsHigh, 1280, 720, "avc1.64001F", "High", "3.1", 2},
		{"high cropped", spsCropped, 1920, 1080, "avc1.640028", "High", "4.0", 2},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			s, err := h264.ParseSPS(unhex(t, tt.sps))
			require.NoError(t, err)
			assert.Equal(t, [2]int{tt.width, tt.height}, [2]int{s.Width, s.Height})
			assert.Equal(t, tt.codec, s.CodecString())
			assert.Equal(t, tt.profile, s.ProfileName())
			assert.Equal(t, tt.leve, s.LevelName())
			assert.Equal(t, tt.reorder, s.Reorder)
		})
	}
}

// bitsOf writes an RBSP by hand, so that each field of the golden bytes can be
// read in the test.
func bitsOf(fields ...string) []byte {
	all := strings.ReplaceAll(strings.Join(fields, ""), " ", "") + "1"
	for len(all)%8 != 0 {
		all += "0"
	}
	var out []byte
	for i := 0; i < len(all); i += 8 {
		var b byte
		for _, c := range all[i : i+8] {
			b = b<<1 | byte(c-'0')
		}
		out = append(out, b)
	}
	return out
}

func TestParseSPSFieldByField(t *testing.T) {
	nal := bitsOf(
		"01100111",  // nal_ref_idc 3, nal_unit_type 7
		"01000010",  // profile_idc 66
		"11000000",  // constraint_set0, constraint_set1
		"00011110",  // level_idc 30
		"1",         // seq_parameter_set_id 0
		"1",         // log2_max_frame_num_minus4 0
		"011",       // pic_order_cnt_type 2
		"010",       // max_num_ref_frames 1
		"0",         // gaps_in_frame_num_value_allowed_flag
		"000010100", // pic_width_in_mbs_minus1 19: 320
		"0001111",   // pic_height_in_map_units_minus1 14: 240
		"1",         // frame_mbs_only_flag
		"1",         // direct_8x8_inference_flag
		"1",         // frame_cropping_flag
		"1", "011",  // left 0, right 2: four pixels
		"1", "010", // top 0, bottom 1: two pixels
		"0", // vui_parameters_present_flag
	)
	s, err := h264.ParseSPS(nal)
	require.NoError(t, err)
	assert.Equal(t, [2]int{316, 238}, [2]int{s.Width, s.Height})
	assert.Equal(t, "Constrained Baseline", s.ProfileName())
	assert.Equal(t, "3.0", s.LevelName())
	assert.Equal(t, 0, s.Reorder, "baseline never reorders")
	assert.False(t, s.Interlaced)
	assert.Equal(t, uint32(1), s.Chroma)
}

func TestParseSPSRefuses(t *testing.T) {
	good := unhex(t, spsHigh)
	for n := range 8 {
		_, err := h264.ParseSPS(good[:n])
		assert.ErrorIs(t, err, h264.ErrMalformed, "cut after %d bytes", n)
	}
	_, err := h264.ParseSPS(unhex(t, "68ee3c80"))
	assert.ErrorIs(t, err, h264.ErrMalformed, "a picture parameter set is none")
	_, err = h264.ParseSPS(append(unhex(t, "67"), make([]byte, 4000)...))
	assert.ErrorIs(t, err, h264.ErrMalformed, "too long")
}

func TestSPSWithBrokenVUIKeepsItsSize(t *testing.T) {
	good := unhex(t, spsHigh)
	s, err := h264.ParseSPS(good[:len(good)-6])
	require.NoError(t, err)
	assert.Equal(t, [2]int{1280, 720}, [2]int{s.Width, s.Height})
	assert.Equal(t, -1, s.Reorder)
}

func TestParseSlice(t *testing.T) {
	tests := []struct {
		name  string
		nal   string
		first bool
		kind  h264.SliceKind
	}{
		{"IDR, first, I", "65 88 84", true, h264.SliceI}, // 1 0001000: first_mb 0, slice_type 7
		{"P, first", "41 9a 24", true, h264.SliceP},      // 1 00110: slice_type 5
		{"B, first", "01 9e 04", true, h264.SliceB},      // 1 00111: slice_type 6
		{"P, not first", "41 46 a0", false, h264.SliceP}, // 010 00110: first_mb 1, slice_type 5
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			s, err := h264.ParseSlice(unhex(t, tt.nal))
			require.NoError(t, err)
			assert.Equal(t, h264.Slice{First: tt.first, Kind: tt.kind}, s)
		})
	}
}

func TestRecoveryPoint(t *testing.T) {
	// SEI, type 6, size 1: recovery_frame_cnt ue(0), flags, stop bit.
	recovers := func(text string) bool { n, ok := h264.RecoveryPoint(unhex(t, text)); return ok && n == 0 }
	assert.True(t, recovers("06 06 01 c4 80"))
	// Another message first: type 5 of 2 bytes.
	assert.True(t, recovers("06 05 02 aabb 06 01 c4 80"))
	// recovery_frame_cnt 1 is a gradual refresh.
	assert.False(t, recovers("06 06 01 50 80"))
	assert.False(t, recovers("06 06 ff 01"))
	assert.False(t, recovers(""))
}

func TestAnnexBToLengths(t *testing.T) {
	stream := unhex(t, "00000001 6742 000001 68ce 0000 00000001 65888400 00")
	want := unhex(t, "00000002 6742 00000002 68ce 00000003 658884")
	assert.Equal(t, want, nalu.FromByteStream(stream), "zero bytes before a start code are no part of a unit")
	var kinds []h264.NALType
	for nal := range nalu.Units(want) {
		kinds = append(kinds, h264.TypeOf(nal))
	}
	assert.Equal(t, []h264.NALType{h264.NALSPS, h264.NALPPS, h264.NALIDR}, kinds)
}

func TestParamKeeper(t *testing.T) {
	var k h264.ParamKeeper
	assert.Nil(t, k.Current())
	require.NoError(t, k.Add(unhex(t, spsHigh)))
	assert.Nil(t, k.Current(), "no picture parameter set yet")
	require.NoError(t, k.Add(unhex(t, "68 ee3cb0")))
	first := k.Current()
	require.NotNil(t, first)
	require.NoError(t, k.Add(unhex(t, spsHigh)))
	assert.Same(t, first, k.Current(), "the same again changes nothing")
	require.Error(t, k.Add(unhex(t, "67 6400")))
	assert.Same(t, first, k.Current(), "a broken one changes nothing")
	require.NoError(t, k.Add(unhex(t, spsCropped)))
	assert.NotSame(t, first, k.Current())
	assert.Len(t, k.Current().Sets, 2)
}

func FuzzSPS(f *testing.F) {
	for _, s := range []string{spsBaseline, spsHigh, spsCropped} {
		f.Add(unhex(f, s))
	}
	f.Fuzz(func(t *testing.T, nal []byte) {
		s, err := h264.ParseSPS(nal)
		if err != nil {
			return
		}
		if s.Width <= 0 || s.Height <= 0 || s.Width > 1<<15 || s.Height > 1<<15 {
			t.Fatalf("accepted a picture of %dx%d", s.Width, s.Height)
		}
		if s.Reorder < -1 || s.Reorder > 16 {
			t.Fatalf("accepted a reordering of %d", s.Reorder)
		}
	})
}

func TestRecordReadBack(t *testing.T) {
	c := pictures.Track(pictures.Reordering).Video
	sets, length, err := h264.ParseRecord(c.Entry.Record)
	require.NoError(t, err)
	assert.Equal(t, c.Sets, sets)
	assert.Equal(t, 4, length)
	for n := range c.Entry.Record[:len(c.Entry.Record)-8] {
		_, _, err := h264.ParseRecord(c.Entry.Record[:n])
		assert.ErrorIs(t, err, h264.ErrMalformed, "cut at %d", n)
	}
}
