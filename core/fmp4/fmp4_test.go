package fmp4_test

import (
	"bytes"
	"encoding/hex"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fmp4"
	"webostrum/core/media"
	"webostrum/testkit/pictures"
)

var update = flag.Bool("update", false, "write the golden files anew")

// golden compares with testdata/NAME.hex, which was checked box by box against
// ISO/IEC 14496-12 and 14496-15.
func golden(t *testing.T, name string, got []byte) {
	t.Helper()
	path := filepath.Join("testdata", name+".hex")
	if *update {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(path, []byte(hex.Dump(got)), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(want), hex.Dump(got))
}

func TestInit(t *testing.T) {
	init, err := fmp4.Init([]*media.Track{pictures.Track(pictures.SPS)})
	require.NoError(t, err)
	golden(t, "init", init)
	avcC := fmp4.Find(init, "moov", "trak", "mdia", "minf", "stbl", "stsd")
	require.NotNil(t, avcC)
	entries, err := fmp4.Boxes(avcC[8:])
	require.NoError(t, err)
	require.Equal(t, "avc1", entries[0].Kind)
	config, err := fmp4.Boxes(entries[0].Body[78:])
	require.NoError(t, err)
	want := []byte{1, 0x42, 0xc0, 0x1e, 0xff, 0xe1, 0, byte(len(pictures.SPS))}
	want = append(want, pictures.SPS...)
	want = append(want, 1, 0, byte(len(pictures.PPS)))
	want = append(want, pictures.PPS...)
	assert.Equal(t, want, config[0].Body, "AVCDecoderConfigurationRecord")
}

func TestInitOfHighProfileTellsChromaAndDepth(t *testing.T) {
	init, err := fmp4.Init([]*media.Track{pictures.Track(pictures.Reordering)})
	require.NoError(t, err)
	assert.True(t, bytes.Contains(init, append(append([]byte{}, pictures.PPS...), 0xfd, 0xf8, 0xf8, 0)))
}

func TestInitWithAudio(t *testing.T) {
	audio := &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: 48000, Channels: 2, AAC: []byte{0x11, 0x90}}
	init, err := fmp4.Init([]*media.Track{pictures.Track(pictures.SPS), audio})
	require.NoError(t, err)
	golden(t, "init-audio", init)
	moov, err := fmp4.Boxes(fmp4.Find(init, "moov"))
	require.NoError(t, err)
	entries, err := fmp4.Boxes(fmp4.Find(moov[2].Body, "mdia", "minf", "stbl", "stsd")[8:])
	require.NoError(t, err)
	require.Equal(t, "mp4a", entries[0].Kind)
	boxes, err := fmp4.Boxes(entries[0].Body[28:])
	require.NoError(t, err)
	assert.Equal(t, []byte{
		0, 0, 0, 0,
		3, 25, 0, 0, 0, // ES_Descriptor: ES_ID, flags
		4, 17, 0x40, 0x15, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, // DecoderConfigDescriptor: MPEG-4 audio, stream of audio, buffer, rates
		5, 2, 0x11, 0x90, // DecoderSpecificInfo
		6, 1, 2, // SLConfigDescriptor
	}, boxes[0].Body, "esds")
}

// TestTwoTracksInAFragment reads each of them back.
func TestTwoTracksInAFragment(t *testing.T) {
	in := samples()
	audio := &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: 48000}
	heard := []*media.Sample{{Track: audio, Key: true, Data: []byte{7, 8}}, {Track: audio, Key: true, Data: []byte{9}}}
	whole := bytes.Join(fmp4.Fragment(1, []fmp4.Run{
		{Track: in[0].Track, Begin: in[0].DTS, Samples: in, Durations: []uint32{3600, 3600, 3600, 3600}},
		{Track: audio, Begin: 48000, Samples: heard, Durations: []uint32{1024, 1023}},
	}), nil)
	pictures, err := fmp4.ReadFragment(whole, 1)
	require.NoError(t, err)
	assert.Len(t, pictures, 4)
	tones, err := fmp4.ReadFragment(whole, 2)
	require.NoError(t, err)
	assert.Equal(t, []fmp4.ReadSample{{DTS: 48000, Duration: 1024, Sync: true, Data: []byte{7, 8}}, {DTS: 49024, Duration: 1023, Sync: true, Data: []byte{9}}}, tones)
	none, err := fmp4.ReadFragment(whole, 3)
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestInitRefusesOtherCodecs(t *testing.T) {
	_, err := fmp4.Init([]*media.Track{{ID: 1, Codec: media.H265, ClockRate: 90000}})
	assert.ErrorIs(t, err, fmp4.ErrUnsupported)
}

func samples() []*media.Sample {
	track := pictures.Track(pictures.SPS)
	return []*media.Sample{
		{Track: track, DTS: 90000, PTS: 93600, Key: true, Data: pictures.Data(pictures.IDR(12, 1))},
		{Track: track, DTS: 93600, PTS: 100800, Data: pictures.Data(pictures.P(8, 2))},
		{Track: track, DTS: 97200, PTS: 97200, Data: pictures.Data(pictures.B(6, 3))},
		{Track: track, DTS: 100800, PTS: 97201, Data: pictures.Data(pictures.B(6, 4))},
	}
}

func TestFragment(t *testing.T) {
	in := samples()
	parts := fmp4.Fragment(7, []fmp4.Run{{Track: in[0].Track, Begin: in[0].DTS, Samples: in, Durations: []uint32{3600, 3600, 3600, 3600}}})
	whole := bytes.Join(parts, nil)
	golden(t, "fragment", whole)
	assert.Same(t, &in[1].Data[0], &parts[2][0], "sample data is shared")
	out, err := fmp4.ReadFragment(whole, 0)
	require.NoError(t, err)
	require.Len(t, out, len(in))
	for i, s := range out {
		assert.Equal(t, in[i].DTS, int64(s.DTS))
		assert.Equal(t, in[i].PTS-in[i].DTS, int64(s.Offset), "composition offset, which may be negative")
		assert.Equal(t, in[i].Key, s.Sync)
		assert.Equal(t, in[i].Data, s.Data)
	}
}

func TestReadFragmentRefusesWhatIsCut(t *testing.T) {
	in := samples()
	whole := bytes.Join(fmp4.Fragment(1, []fmp4.Run{{Track: in[0].Track, Begin: in[0].DTS, Samples: in, Durations: []uint32{1, 1, 1, 1}}}), nil)
	for n := range len(whole) {
		_, err := fmp4.ReadFragment(whole[:n], 0)
		require.ErrorIs(t, err, fmp4.ErrMalformed, "cut at %d", n)
	}
}

func FuzzReadFragment(f *testing.F) {
	in := samples()
	f.Add(bytes.Join(fmp4.Fragment(1, []fmp4.Run{{Track: in[0].Track, Begin: in[0].DTS, Samples: in, Durations: []uint32{1, 1, 1, 1}}}), nil))
	f.Fuzz(func(t *testing.T, data []byte) {
		out, err := fmp4.ReadFragment(data, 0)
		if err == nil {
			total := 0
			for _, s := range out {
				total += len(s.Data)
			}
			if len(out) > len(data) {
				t.Fatalf("%d samples out of %d bytes", len(out), len(data))
			}
		} else if !strings.HasPrefix(err.Error(), "fmp4: malformed") {
			t.Fatal(err)
		}
	})
}

// TestReadsFragmentsOfOthers whose flags say other things than ours: sizes and durations by
// default, first sample by itself, composition times that are negative.
func TestReadsFragmentsOfOthers(t *testing.T) {
	box := func(kind string, body ...byte) []byte {
		return append([]byte{0, 0, 0, byte(8 + len(body)), kind[0], kind[1], kind[2], kind[3]}, body...)
	}
	m := &fmp4.Movie{Tracks: []*fmp4.TrackInfo{{ID: 3, Kind: "vide", Timescale: 1000}}}
	traf := bytes.Join([][]byte{
		box("tfhd", 0, 0, 0, 0x38, 0, 0, 0, 3, 0, 0, 0, 40, 0, 0, 0, 2, 0, 1, 0, 0), // duration 40, size 2, not sync
		box("tfdt", 0, 0, 0, 0, 0, 0, 0, 100),
		box("trun", 1, 0, 8, 4, 0, 0, 0, 2, 0, 0, 0, 0, 0xff, 0xff, 0xff, 0xec, 0, 0, 0, 20), // first is sync; -20 and 20
	}, nil)
	got, err := m.Fragment(box("traf", traf...), append([]byte{0, 0, 0, 12, 'm', 'd', 'a', 't'}, 1, 2, 3, 4))
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, fmp4.FragmentSample{Track: m.Tracks[0], DTS: 100, Delay: -20, Key: true, Data: []byte{1, 2}}, got[0])
	assert.Equal(t, fmp4.FragmentSample{Track: m.Tracks[0], DTS: 140, Delay: 20, Data: []byte{3, 4}}, got[1])
	for name, traf := range map[string][]byte{
		"a run of 4 billion":      append(box("tfhd", 0, 0, 0, 0, 0, 0, 0, 3), box("trun", 0, 0, 0, 0, 0xff, 0xff, 0xff, 0xff)...),
		"a sample behind the end": append(box("tfhd", 0, 0, 0, 0, 0, 0, 0, 3), box("trun", 0, 0, 2, 0, 0, 0, 0, 1, 0, 0, 1, 0)...),
		"a run with no head":      box("trun", 0, 0, 0, 0, 0, 0, 0, 1),
		"a head that is cut":      box("tfhd", 0, 0, 0, 8, 0, 0, 0, 3),
	} {
		_, err := m.Fragment(box("traf", traf...), make([]byte, 20))
		assert.ErrorIs(t, err, fmp4.ErrMalformed, name)
	}
}

func FuzzFragments(f *testing.F) {
	init, _ := fmp4.Init([]*media.Track{pictures.Track(pictures.SPS)})
	f.Add(fmp4.Find(init, "moov"), []byte("traf"), []byte("mdat"))
	f.Fuzz(func(t *testing.T, moov, moof, behind []byte) {
		m, err := fmp4.ParseInit(moov)
		if err != nil {
			return
		}
		samples, _ := m.Fragment(moof, behind)
		for _, s := range samples {
			if len(s.Data) > len(behind) {
				t.Fatal("more than came")
			}
		}
	})
}
