package recording_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fmp4"
	"webostrum/core/media"
	"webostrum/core/recording"
	"webostrum/testkit/pictures"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

const (
	step     = 3600 // 25 fps
	keyEvery = 25   // frames
)

// frame is the n-th of a camera that began at noon.
func frame(e *media.Epoch, n int) *media.Sample {
	s := &media.Sample{
		Epoch: e, Track: e.Tracks[0], DTS: int64(n) * step, PTS: int64(n) * step, Captured: noon.Add(time.Duration(n) * 40 * time.Millisecond),
		Key: n%keyEvery == 0, Data: pictures.Data(pictures.P(400, byte(n))),
	}
	if s.Key {
		s.Data = pictures.Data(pictures.IDR(2000, byte(n)))
	}
	return s
}

var aacTrack = &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: 48000, Channels: 2, AAC: []byte{0x11, 0x90}}

func epochOf(sps []byte) *media.Epoch {
	return &media.Epoch{Number: 1, Tracks: []*media.Track{pictures.Track(sps)}}
}

// file writes frames of a camera into a file, with audio or without, and says where each
// fragment ends.
func file(t *testing.T, m *recording.Muxer, e *media.Epoch, from, to int, audio bool) (data []byte, ends []int) {
	t.Helper()
	data = append(data, m.Init()...)
	sequence := uint32(0)
	write := func(f *recording.Fragment) {
		if f == nil {
			return
		}
		sequence++
		data = append(data, bytes.Join(f.Parts(sequence), nil)...)
		ends = append(ends, len(data))
	}
	for n := from; n < to; n++ {
		s := frame(e, n)
		write(m.Video(s))
		for u := n * 1920 / 1024; audio && u < (n+1)*1920/1024; u++ {
			m.Audio(&media.Sample{Track: aacTrack, Length: 1024, Key: true, Captured: noon.Add(time.Duration(u) * 1024 * time.Second / 48000), Data: []byte{0x21, byte(u), 3, 4, 5, 6}})
		}
	}
	write(m.Flush())
	return data, ends
}

func muxer(t *testing.T, e *media.Epoch, audio bool) *recording.Muxer {
	t.Helper()
	var track *media.Track
	if audio {
		track = aacTrack
	}
	m, err := recording.NewMuxer(e.Tracks[0], track)
	require.NoError(t, err)
	return m
}

func read(t *testing.T, data []byte) *recording.Index {
	t.Helper()
	x, err := recording.ReadIndex(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	return x
}

func TestAFileTellsWhatIsInIt(t *testing.T) {
	e := epochOf(pictures.SPS)
	data, ends := file(t, muxer(t, e, true), e, 0, 250, true)
	assert.GreaterOrEqual(t, len(ends), 20, "half a second each")
	for _, finished := range []bool{false, true} {
		x := read(t, data)
		assert.Equal(t, finished, x.Finished)
		assert.Len(t, x.Points, 10, "a keyframe a second")
		assert.Equal(t, [2]int{320, 240}, [2]int{x.Width, x.Height})
		assert.True(t, x.Audio)
		assert.WithinDuration(t, noon, x.Begins, time.Microsecond)
		assert.WithinDuration(t, noon.Add(10*time.Second), x.Ends(), time.Millisecond)
		assert.Equal(t, "avc1.42C01E", x.Codec())
		if !finished {
			assert.EqualValues(t, len(data), x.Size)
			data = append(data, x.Access()...)
		}
	}
}

// TestAFileThatIsCutAnywhere is read as far as it is whole, and can be finished there.
func TestAFileThatIsCutAnywhere(t *testing.T) {
	e := epochOf(pictures.SPS)
	m := muxer(t, e, true)
	data, ends := file(t, m, e, 0, 60, true)
	for n := range data {
		whole := 0
		for _, end := range ends {
			if end <= n {
				whole = end
			}
		}
		x, err := recording.ReadIndex(bytes.NewReader(data[:n]), int64(n))
		if whole == 0 {
			require.ErrorIs(t, err, recording.ErrEmpty, "cut at %d", n)
			continue
		}
		require.NoError(t, err, "cut at %d", n)
		require.EqualValues(t, whole, x.Size)
		again := read(t, append(bytes.Clone(data[:x.Size]), x.Access()...))
		require.True(t, again.Finished)
		require.Equal(t, x.Points, again.Points)
		require.Equal(t, x.End, again.End)
	}
}

func TestAPlaylistOverFiles(t *testing.T) {
	e := epochOf(pictures.SPS)
	m := muxer(t, e, false)
	first, _ := file(t, m, e, 0, 250, false)
	second, _ := file(t, m, e, 250, 500, false) // goes on where the first ended
	x, y := read(t, first), read(t, second)
	require.True(t, y.Continues(x))
	later := muxer(t, e, false)
	third, _ := file(t, later, e, 1000, 1100, false)
	files := []recording.Listed{{URI: "1.mp4", Index: x}, {URI: "2.mp4", Index: y, Follows: true}, {URI: "3.mp4", Index: read(t, third)}}
	text, ends, ok := recording.Playlist(files, noon.Add(4*time.Second), noon.Add(time.Hour))
	require.True(t, ok)
	assert.WithinDuration(t, noon.Add(44*time.Second), ends, time.Millisecond)
	assert.Equal(t, 1, strings.Count(text, "#EXT-X-DISCONTINUITY\n"), "between what follows there is none")
	assert.Equal(t, 3, strings.Count(text, "#EXT-X-MAP:"))
	assert.Contains(t, text, "#EXT-X-PROGRAM-DATE-TIME:2026-11-27T12:00:04.000Z")
	assert.Contains(t, text, "#EXT-X-PROGRAM-DATE-TIME:2026-11-27T12:00:40.000Z")
	assert.True(t, strings.HasSuffix(text, "#EXT-X-ENDLIST\n"))
	_, _, ok = recording.Playlist(files, noon.Add(-time.Hour), noon.Add(-time.Minute))
	assert.False(t, ok)
}

func export(t *testing.T, cut recording.Cut, from, to time.Duration, datas ...[]byte) (*recording.Export, []byte) {
	t.Helper()
	var sources []recording.Source
	for _, d := range datas {
		sources = append(sources, recording.Source{Reader: bytes.NewReader(d), Index: read(t, d)})
	}
	e, err := recording.NewExport(sources, noon.Add(from), noon.Add(to), cut)
	require.NoError(t, err)
	out := bytes.Clone(e.Head)
	for _, p := range e.Pieces {
		out = append(out, datas[p.Source][p.Offset:p.Offset+p.Size]...)
	}
	require.EqualValues(t, len(out), e.Size)
	return e, out
}

func TestAnExportIsOneMovie(t *testing.T) {
	e := epochOf(pictures.SPS)
	m := muxer(t, e, true)
	first, _ := file(t, m, e, 0, 250, true)
	second, _ := file(t, m, e, 250, 500, true)
	x, out := export(t, recording.AtKeyframes, 4500*time.Millisecond, 12*time.Second, first, second)
	assert.WithinDuration(t, noon.Add(4*time.Second), x.Begins, time.Millisecond, "the keyframe before it")
	assert.WithinDuration(t, noon.Add(12*time.Second), x.Ends, 41*time.Millisecond)
	assert.Empty(t, x.Gaps)
	sizes := fmp4.Find(out, "moov", "trak", "mdia", "minf", "stbl", "stsz")
	assert.Equal(t, []byte{0, 0, 0, 200}, sizes[8:12], "8 s of 25 fps")
	at := bytes.Index(out, []byte("mdat")) + 12
	assert.Equal(t, pictures.Data(pictures.IDR(2000, 100)), out[at:at+len(pictures.Data(pictures.IDR(2000, 100)))], "it begins with that keyframe")

	exact, _ := export(t, recording.Exactly, 4500*time.Millisecond, 12*time.Second, first, second)
	assert.WithinDuration(t, noon.Add(4500*time.Millisecond), exact.Begins, time.Millisecond)
	list := fmp4.Find(exact.Head, "moov", "trak", "edts", "elst")
	assert.Equal(t, []byte{0, 0, 0, 0, 0, 0, 0xaf, 0xc8}, list[16:24], "45,000 ticks of media are passed over")
}

// TestAnExactExportEndsExactly in both tracks, in the edit list and in the tables, although
// the last frame would last longer, and so would the last unit of audio.
func TestAnExactExportEndsExactly(t *testing.T) {
	e := epochOf(pictures.SPS)
	data, _ := file(t, muxer(t, e, true), e, 0, 250, true)
	from, to := 2010*time.Millisecond, 6013*time.Millisecond
	x, out := export(t, recording.Exactly, from, to, data)
	assert.WithinDuration(t, noon.Add(from), x.Begins, time.Millisecond)
	assert.WithinDuration(t, noon.Add(to), x.Ends, 0)
	number := func(b []byte) (n int64) {
		for _, c := range b {
			n = n<<8 | int64(c)
		}
		return n
	}
	const movieScale = 1000
	mvhd := fmp4.Find(out, "moov", "mvhd")
	assert.EqualValues(t, movieScale, number(mvhd[20:24]))
	assert.InDelta(t, 4003, number(mvhd[24:32]), 1)
	for _, trak := range traks(out) {
		elst, mdhd := fmp4.Find(trak, "edts", "elst"), fmp4.Find(trak, "mdia", "mdhd")
		scale := number(mdhd[20:24])
		assert.InDelta(t, 4003, number(elst[8:16]), 1, "the edit list, at %d Hz", scale)
		skip := number(elst[16:24])
		assert.InDelta(t, 4003, (number(mdhd[24:32])-skip)*1000/scale, 1, "the track, at %d Hz", scale)
	}
}

// traks are the bodies of a movie's tracks.
func traks(movie []byte) (list [][]byte) {
	moov := fmp4.Find(movie, "moov")
	for len(moov) > 8 {
		size := int(moov[0])<<24 | int(moov[1])<<16 | int(moov[2])<<8 | int(moov[3])
		if string(moov[4:8]) == "trak" {
			list = append(list, moov[8:size])
		}
		moov = moov[size:]
	}
	return list
}

func TestAnExportLeavesGapsOut(t *testing.T) {
	e := epochOf(pictures.SPS)
	first, _ := file(t, muxer(t, e, true), e, 0, 100, true)
	second, _ := file(t, muxer(t, e, true), e, 1000, 1100, true)
	x, _ := export(t, recording.AtKeyframes, 0, time.Hour, first, second)
	require.Len(t, x.Gaps, 1)
	assert.WithinDuration(t, noon.Add(4*time.Second), x.Gaps[0].Begins, 41*time.Millisecond)
	assert.WithinDuration(t, noon.Add(40*time.Second), x.Gaps[0].Ends, time.Millisecond)
	_, err := recording.NewExport([]recording.Source{{Reader: bytes.NewReader(first), Index: read(t, first)}}, noon.Add(time.Hour), noon.Add(2*time.Hour), recording.Exactly)
	assert.ErrorIs(t, err, recording.ErrNothing)
}

func TestTheKeyframeOfAMoment(t *testing.T) {
	e := epochOf(pictures.SPS)
	data, _ := file(t, muxer(t, e, false), e, 0, 250, false)
	x := read(t, data)
	s, err := recording.Keyframe(bytes.NewReader(data), x, noon.Add(3700*time.Millisecond))
	require.NoError(t, err)
	assert.Equal(t, frame(e, 75).Data, s.Data)
	assert.Equal(t, e.Tracks[0].Video.Sets, s.Track.Video.Sets)
	_, err = recording.Keyframe(bytes.NewReader(data), x, noon.Add(time.Minute))
	assert.ErrorIs(t, err, recording.ErrNothing)
}

func TestNamesTellPlaceAndTime(t *testing.T) {
	at := time.Date(2026, 11, 27, 8, 30, 0, 250e6, time.UTC)
	name := recording.Name("lower-station", at, 0, false)
	assert.Equal(t, "lower-station/2026-11-27/lower-station-20261127T083000.250Z.mp4", name)
	for _, n := range []string{name, recording.Name("lower-station", at, 2, true), recording.Kept(name, true)} {
		feed, begins, keep, ok := recording.ParseName(n)
		assert.True(t, ok, n)
		assert.Equal(t, "lower-station", feed)
		assert.True(t, at.Equal(begins))
		assert.Equal(t, n != name, keep)
	}
	assert.Equal(t, name, recording.Kept(recording.Kept(name, true), false))
	for _, other := range []string{"x/holiday.mp4", "lower-station/lower-station-20261327T083000.250Z.mp4", "a.b", ""} {
		_, _, _, ok := recording.ParseName(other)
		assert.False(t, ok, other)
	}
}

func TestATimetable(t *testing.T) {
	table, err := recording.ParseTimetable("mon-fri 07:00-19:00, sat,sun 22:00-02:00")
	require.NoError(t, err)
	for text, in := range map[string]bool{
		"2026-11-27T07:00:00Z": true, "2026-11-27T06:59:59Z": false, "2026-11-27T19:00:00Z": false, // a Friday
		"2026-11-28T21:59:00Z": false, "2026-11-28T22:00:00Z": true, "2026-11-29T01:59:00Z": true, "2026-11-29T02:00:00Z": false,
		"2026-11-30T01:00:00Z": true, // still Sunday's
		"2026-12-01T01:00:00Z": false,
	} {
		at, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		assert.Equal(t, in, table.At(at), text)
	}
	for _, wrong := range []string{"", "mon", "mon 7-19", "foo 07:00-19:00", "mon 25:00-26:00", "07:60-08:00", strings.Repeat("01:00-02:00 ", 51)} {
		_, err := recording.ParseTimetable(wrong)
		assert.Error(t, err, wrong)
	}
	always, err := recording.ParseTimetable("00:00-24:00")
	require.NoError(t, err)
	assert.True(t, always.At(noon))
}

func TestWhatIsRemoved(t *testing.T) {
	hourly := func(feed string, hours ...int) (list []recording.File) {
		for _, h := range hours {
			begins := noon.Add(-time.Duration(h) * time.Hour)
			list = append(list, recording.File{ID: int64(h), Feed: feed, Begins: begins, Ends: begins.Add(time.Hour), Bytes: 100})
		}
		return list
	}
	ids := func(list []recording.File) (out []int64) {
		for _, f := range list {
			out = append(out, f.ID)
		}
		return out
	}
	none := func(string) recording.Policy { return recording.Policy{} }
	day := func(string) recording.Policy { return recording.Policy{Age: 24 * time.Hour} }
	files := hourly("gate", 30, 20, 10, 2)
	assert.Equal(t, []int64{30}, ids(recording.Excess(files, day, recording.Policy{}, 1e9, noon, true)))
	assert.Empty(t, recording.Excess(files, day, recording.Policy{}, 1e9, noon, false), "a clock that was set says nothing of ages")
	assert.Equal(t, []int64{20, 30}, ids(recording.Excess(files, func(string) recording.Policy { return recording.Policy{Bytes: 200} }, recording.Policy{}, 1e9, noon, true)))
	assert.Equal(t, []int64{30, 20}, ids(recording.Excess(files, none, recording.Policy{Most: 250}, 1e9, noon, true)), "the oldest first")
	assert.Equal(t, []int64{30, 20, 10}, ids(recording.Excess(files, none, recording.Policy{Free: 300}, 50, noon, true)))
	files[0].Keep, files[1].Open = true, true
	assert.Equal(t, []int64{10, 2}, ids(recording.Excess(files, none, recording.Policy{Free: 1e9}, 0, noon, true)), "what is kept or open stays")
	files = hourly("gate", 30, 20, 10, 2)
	files[0].Away, files[1].Waits = true, true
	assert.Empty(t, recording.Excess(files, day, recording.Policy{Most: 300}, 1e9, noon, true), "what is in a store takes no room here")
	assert.Equal(t, []int64{10}, ids(recording.Excess(files, func(string) recording.Policy { return recording.Policy{Bytes: 100} }, recording.Policy{}, 1e9, noon, true)), "what waits to be copied is too good to lose")
	assert.Equal(t, []int64{20, 10}, ids(recording.Excess(files, none, recording.Policy{Free: 200}, 0, noon, true)), "unless there is no room at all")
}

func TestSpansJoinFiles(t *testing.T) {
	at := func(s int) time.Time { return noon.Add(time.Duration(s) * time.Second) }
	files := []recording.File{
		{Begins: at(0), Ends: at(10), Bytes: 1, Codec: "a"}, {Begins: at(11), Ends: at(20), Bytes: 2, Codec: "a"},
		{Begins: at(20), Ends: at(30), Bytes: 4, Codec: "b"}, {Begins: at(60), Ends: at(70), Bytes: 8, Codec: "b"}, {Begins: at(70), Ends: at(80), Bytes: 16, Codec: "b", Keep: true},
	}
	spans := recording.Spans(files)
	require.Len(t, spans, 4)
	assert.Equal(t, at(20), spans[0].Ends)
	assert.EqualValues(t, 3, spans[0].Bytes)
	assert.Equal(t, at(60), spans[2].Begins)
}

// FuzzReadIndex reads what may be no file of ours at all.
func FuzzReadIndex(f *testing.F) {
	t := &testing.T{}
	e := epochOf(pictures.SPS)
	data, _ := file(t, muxer(t, e, true), e, 0, 30, true)
	f.Add(data)
	x := read(t, data)
	f.Add(append(bytes.Clone(data), x.Access()...))
	f.Add(data[:len(data)/2])
	f.Fuzz(func(t *testing.T, data []byte) {
		r := bytes.NewReader(data)
		x, err := recording.ReadIndex(r, int64(len(data)))
		if err != nil {
			return
		}
		require.NotEmpty(t, x.Points)
		require.LessOrEqual(t, x.Size, int64(len(data)))
		_, _ = recording.Keyframe(r, x, x.Begins)
		_, _, _ = recording.Playlist([]recording.Listed{{URI: "1.mp4", Index: x}}, x.Begins, x.Begins.Add(time.Hour))
		_, _ = recording.NewExport([]recording.Source{{Reader: r, Index: x}}, x.Begins, x.Begins.Add(time.Hour), recording.Exactly)
	})
}
