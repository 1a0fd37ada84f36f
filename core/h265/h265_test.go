package h265_test

import (
	"bytes"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/h265"
	"webostrum/core/media"
	"webostrum/sim/reel"
)

// setOf returns the film's parameter set of a type.
func setOf(t testing.TB, kind h265.NALType) []byte {
	_, config := reel.Load()
	for _, set := range config.Sets {
		if h265.TypeOf(set) == kind {
			return set
		}
	}
	t.Fatalf("the film has no parameter set of type %d", kind)
	return nil
}

func TestParseSPS(t *testing.T) {
	s, err := h265.ParseSPS(setOf(t, h265.NALSPS))
	require.NoError(t, err)
	assert.Equal(t, [2]int{640, 360}, [2]int{s.Width, s.Height}, "without what is coded below the conformance window")
	assert.Equal(t, "Main", s.ProfileName())
	assert.Equal(t, "2.1", s.LevelName())
	assert.Equal(t, uint32(1), s.Chroma)
	assert.Equal(t, 8, s.BitDepth)
	assert.Zero(t, s.Reorder)
	assert.InDelta(t, 12.5, s.FrameRate, 0.001)
	assert.Equal(t, "hvc1.1.6.L63.90", s.CodecString())
}

func TestNames(t *testing.T) {
	for want, p := range map[string]h265.ProfileTierLevel{
		"hvc1.1.6.L93.B0":    {Profile: 1, Compatibility: 0x60000000, Level: 93, Constraints: [6]byte{0xb0}},
		"hvc1.2.4.H153.90.1": {Profile: 2, Compatibility: 0x20000000, Level: 153, High: true, Constraints: [6]byte{0x90, 1}},
		"hvc1.A4.10.L30":     {Space: 1, Profile: 4, Compatibility: 0x08000000, Level: 30},
	} {
		assert.Equal(t, want, p.CodecString())
	}
	assert.Equal(t, "5.1 (high tier)", h265.ProfileTierLevel{Level: 153, High: true}.LevelName())
	assert.Equal(t, "4.0", h265.ProfileTierLevel{Level: 120}.LevelName())
	assert.Equal(t, "profile 9", h265.ProfileTierLevel{Profile: 9}.ProfileName())
}

func TestKeeper(t *testing.T) {
	var k h265.ParamKeeper
	vps, sps, pps := setOf(t, h265.NALVPS), setOf(t, h265.NALSPS), setOf(t, h265.NALPPS)
	require.NoError(t, k.Add(sps))
	assert.Nil(t, k.Current(), "no picture parameter set yet")
	require.NoError(t, k.Add(pps))
	assert.Len(t, k.Current().Sets, 2, "some cameras send no video parameter set")
	require.NoError(t, k.Add(vps))
	first := k.Current()
	assert.Equal(t, [][]byte{vps, sps, pps}, first.Sets)
	require.NoError(t, k.Add(bytes.Clone(vps)))
	assert.Same(t, first, k.Current(), "the same again changes nothing")
	require.Error(t, k.Add(sps[:4]))
	require.Error(t, k.Add([]byte{0x02, 1, 0x80}), "a slice is no parameter set")
	assert.Same(t, first, k.Current(), "a broken one changes nothing")
}

// TestTheRecord reads the decoder configuration record as ISO/IEC 14496-15, 8.3.3.1 has it.
func TestTheRecord(t *testing.T) {
	_, config := reel.Load()
	assert.Equal(t, media.H265, config.Codec)
	assert.Equal(t, []string{"hvc1", "hvcC"}, []string{config.Entry.Type, config.Entry.Box})
	r := config.Entry.Record
	sps, err := h265.ParseSPS(setOf(t, h265.NALSPS))
	require.NoError(t, err)
	assert.Equal(t, []byte{1, sps.Profile}, r[:2])
	assert.Equal(t, sps.Compatibility, binary.BigEndian.Uint32(r[2:]))
	assert.Equal(t, sps.Level, r[12])
	assert.Equal(t, byte(0xfd), r[16], "4:2:0")
	assert.Equal(t, byte(3), r[21]&3, "lengths of four bytes")
	require.Equal(t, byte(3), r[22], "three kinds of parameter set")
	var found [][]byte
	rest := r[23:]
	for range 3 {
		assert.Equal(t, byte(0x80), rest[0]&0x80, "none of them are in the stream")
		n := binary.BigEndian.Uint16(rest[1:])
		rest = rest[3:]
		for range n {
			size := binary.BigEndian.Uint16(rest)
			found, rest = append(found, rest[2:2+size]), rest[2+size:]
		}
	}
	assert.Equal(t, config.Sets, found)
	assert.Empty(t, rest)
}

// TestACutSPS leaves out what some firmware leaves out: the size stands before it.
func TestACutSPS(t *testing.T) {
	whole := setOf(t, h265.NALSPS)
	usable := 0
	for n := range whole {
		s, err := h265.ParseSPS(whole[:n])
		if err == nil {
			usable++
			assert.Equal(t, 640, s.Width)
		} else {
			assert.ErrorIs(t, err, h265.ErrMalformed)
		}
	}
	assert.Positive(t, usable)
	assert.Less(t, usable, len(whole))
}

func TestNALTypes(t *testing.T) {
	assert.True(t, h265.NALCRA.IsIRAP())
	assert.True(t, h265.NALRASLR.IsRASL())
	assert.False(t, h265.NALVPS.IsVCL())
	assert.False(t, h265.TypeOf(nil).IsVCL())
	assert.False(t, h265.Base([]byte{0x43, 1}), "layer 32")
	for want, unit := range map[int][]byte{0: {39 << 1, 1, 6, 1, 0xd0, 0x80}, 1: {39 << 1, 1, 6, 1, 0x40, 0x80}} {
		n, ok := h265.RecoveryPoint(unit)
		assert.True(t, ok)
		assert.Equal(t, want, n, "pictures later")
	}
	_, ok := h265.RecoveryPoint([]byte{39 << 1, 1, 6})
	assert.False(t, ok)
}

func TestTheFilm(t *testing.T) {
	frames, config := reel.Load()
	require.Len(t, frames, 200)
	for i, f := range frames {
		assert.Equal(t, i%25 == 0, f.Key, "frame %d", i)
	}
	assert.Equal(t, [2]int{reel.Width, reel.Height}, [2]int{config.Width, config.Height})
}

func FuzzParameterSets(f *testing.F) {
	for _, kind := range []h265.NALType{h265.NALVPS, h265.NALSPS, h265.NALPPS} {
		f.Add(setOf(f, kind))
	}
	f.Fuzz(func(t *testing.T, unit []byte) {
		var k h265.ParamKeeper
		_ = k.Add(unit)
		if s, err := h265.ParseSPS(unit); err == nil && (s.Width <= 0 || s.Height <= 0 || s.Width > 16384 || s.Height > 16384) {
			t.Fatalf("a size of %dx%d", s.Width, s.Height)
		}
		h265.RecoveryPoint(unit)
	})
}

func FuzzRecord(f *testing.F) {
	_, config := reel.Load()
	f.Add(config.Entry.Record)
	f.Fuzz(func(t *testing.T, b []byte) {
		sets, _, err := h265.ParseRecord(b)
		total := 0
		for _, s := range sets {
			total += len(s)
		}
		if total > len(b) {
			t.Fatalf("%d bytes of sets in %d, %v", total, len(b), err)
		}
	})
}

func TestRecordReadBack(t *testing.T) {
	_, config := reel.Load()
	sets, length, err := h265.ParseRecord(config.Entry.Record)
	require.NoError(t, err)
	assert.Equal(t, config.Sets, sets)
	assert.Equal(t, 4, length)
}
