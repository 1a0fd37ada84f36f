package hls_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fmp4"
	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/testkit/pictures"
)

var noon = time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)

const frame = 3600 // 25 frames a second

// feeder writes samples as a camera would.
type feeder struct {
	t     testing.TB
	p     *hls.Presentation
	g     *hls.Track
	epoch *media.Epoch
	n     int64
	at    time.Time
}

func newFeeder(t testing.TB, cfg hls.Config) *feeder {
	t.Helper()
	if cfg.Run == "" {
		cfg = hls.Config{Run: "abc", Start: time.Unix(500, 0), Wanted: 2 * time.Second, Listed: 3}
	}
	p, err := hls.New(cfg)
	require.NoError(t, err)
	f := &feeder{t: t, p: p, g: p.Open(hls.Original), at: noon}
	f.newEpoch(0, pictures.SPS)
	return f
}

func (f *feeder) newEpoch(number uint64, sps []byte) {
	f.epoch = &media.Epoch{Number: number, Tracks: []*media.Track{pictures.Track(sps)}}
	f.n = 0
}

// write writes pictures; every keyEvery-th is a keyframe.
func (f *feeder) write(count, keyEvery int) (last *media.Sample) {
	f.t.Helper()
	for range count {
		key := f.n%int64(keyEvery) == 0
		data := pictures.Data(pictures.P(100, byte(f.n)))
		if key {
			data = pictures.Data(pictures.IDR(1000, byte(f.n)))
		}
		s := &media.Sample{
			Epoch: f.epoch, Track: f.epoch.Tracks[0], DTS: f.n * frame, PTS: f.n * frame, Captured: f.at, Key: key, Data: data,
		}
		f.p.Cuts().Observe(s)
		require.NoError(f.t, f.g.WriteVideo(s))
		f.n++
		f.at = f.at.Add(40 * time.Millisecond)
		last = s
	}
	return last
}

func (f *feeder) media() string {
	f.t.Helper()
	text, ok := f.g.Media(false)
	require.True(f.t, ok)
	return string(text.Plain)
}

// pause says that the camera has stopped sending.
func (f *feeder) pause() {
	f.p.Cuts().Break()
	f.g.Break()
}

// file reads what has a name.
func (f *feeder) file(name string) []byte {
	f.t.Helper()
	return fileOf(f.t, f.g, name)
}

// fileOf reads what has a name in a track.
func fileOf(t testing.TB, g *hls.Track, name string) []byte {
	t.Helper()
	piece, ok := g.Find(t.Context(), name)
	require.True(t, ok, name)
	require.NotNil(t, piece.Body, name)
	r, err := piece.Body.Open()
	require.NoError(t, err)
	whole, err := io.ReadAll(iotest.OneByteReader(r))
	require.NoError(t, err)
	require.Len(t, whole, int(piece.Body.Size()))
	return whole[piece.Offset : piece.Offset+piece.Size]
}

// has says whether a track has something of a name.
func has(g *hls.Track, name string) bool {
	_, ok := g.Find(context.Background(), name)
	return ok
}

func TestMediaPlaylist(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	_, ok := f.g.Media(false)
	assert.False(t, ok, "nothing yet")
	f.write(51, 50)
	want := `#EXTM3U
#EXT-X-VERSION:7
#EXT-X-TARGETDURATION:2
#EXT-X-MEDIA-SEQUENCE:1000
#EXT-X-DISCONTINUITY-SEQUENCE:0
#EXT-X-INDEPENDENT-SEGMENTS
#EXT-X-DISCONTINUITY
#EXT-X-MAP:URI="abc-init0.mp4"
#EXT-X-PROGRAM-DATE-TIME:2026-06-01T12:00:00.000Z
#EXTINF:2.00000,
abc-1000.m4s
`
	assert.Equal(t, want, f.media())
	f.write(200, 50)
	want = `#EXTM3U
#EXT-X-VERSION:7
#EXT-X-TARGETDURATION:2
#EXT-X-MEDIA-SEQUENCE:1002
#EXT-X-DISCONTINUITY-SEQUENCE:1
#EXT-X-INDEPENDENT-SEGMENTS
#EXT-X-MAP:URI="abc-init0.mp4"
#EXT-X-PROGRAM-DATE-TIME:2026-06-01T12:00:04.000Z
#EXTINF:2.00000,
abc-1002.m4s
#EXT-X-PROGRAM-DATE-TIME:2026-06-01T12:00:06.000Z
#EXTINF:2.00000,
abc-1003.m4s
#EXT-X-PROGRAM-DATE-TIME:2026-06-01T12:00:08.000Z
#EXTINF:2.00000,
abc-1004.m4s
`
	assert.Equal(t, want, f.media())
}

func TestMultivariantPlaylist(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	f.write(151, 50)
	v, ok := f.g.Measured()
	require.True(t, ok)
	// 1000 + 49*100 bytes and lengths of 4, plus the boxes, in 2 s.
	assert.InDelta(t, 1.25*float64(1000+49*100+50*4+50*16+120)*8/2, v.Peak, 400, "a quarter above what was seen")
	v.Peak, v.Average = 50_000, 40_000
	small := hls.Variant{Name: "small", Codecs: "avc1.42C00D", Width: 160, Height: 120, Peak: 20_000, Average: 10_000}
	text := hls.Multivariant([]hls.Variant{v, small}, &hls.Variant{Codecs: "mp4a.40.2", Peak: 2000, Average: 1000, Channels: 2})
	want := `#EXTM3U
#EXT-X-VERSION:7
#EXT-X-INDEPENDENT-SEGMENTS
#EXT-X-MEDIA:TYPE=AUDIO,GROUP-ID="audio",NAME="Sound",DEFAULT=YES,AUTOSELECT=YES,CHANNELS="2",URI="audio/list.m3u8"
#EXT-X-STREAM-INF:BANDWIDTH=52000,AVERAGE-BANDWIDTH=41000,CODECS="avc1.42C01E,mp4a.40.2",RESOLUTION=320x240,FRAME-RATE=25.000,AUDIO="audio"
original/list.m3u8
#EXT-X-STREAM-INF:BANDWIDTH=22000,AVERAGE-BANDWIDTH=11000,CODECS="avc1.42C00D,mp4a.40.2",RESOLUTION=160x120,AUDIO="audio"
small/list.m3u8
`
	assert.Equal(t, want, string(text.Plain))
	z, err := gzip.NewReader(bytes.NewReader(text.Packed()))
	require.NoError(t, err)
	unpacked, err := io.ReadAll(z)
	require.NoError(t, err)
	assert.Equal(t, text.Plain, unpacked)
}

func TestCutsAtTheFirstKeyframeAfterTheWantedLength(t *testing.T) {
	tests := []struct {
		name     string
		wanted   time.Duration
		keyEvery int
		want     string
		target   int
	}{
		{"keyframes as long as wanted", 2 * time.Second, 50, "2.00000", 2},
		{"shorter ones are gathered", 2 * time.Second, 20, "2.40000", 2},
		{"longer ones decide", 2 * time.Second, 250, "10.00000", 10},
		{"every picture is one", time.Second, 1, "1.00000", 1},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			f := newFeeder(t, hls.Config{Run: "r", Start: noon, Wanted: tt.wanted, Listed: 3})
			f.write(520, tt.keyEvery)
			assert.Contains(t, f.media(), "#EXTINF:"+tt.want+",")
			assert.Contains(t, f.media(), fmt.Sprintf("#EXT-X-TARGETDURATION:%d\n", tt.target))
		})
	}
}

func TestNewEpochIsADiscontinuity(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	f.write(60, 50)
	f.newEpoch(1, pictures.Larger)
	f.write(60, 50)
	text := f.media()
	assert.Equal(t, 2, strings.Count(text, "#EXT-X-DISCONTINUITY\n"))
	assert.Contains(t, text, "abc-init1.mp4")
	assert.Contains(t, text, "#EXTINF:0.40000,", "what was there of the old epoch is kept")
	f.write(250, 50)
	text = f.media()
	assert.Contains(t, text, "#EXT-X-DISCONTINUITY-SEQUENCE:2\n")
	assert.NotContains(t, text, "#EXT-X-DISCONTINUITY\n")
}

func TestSegmentsAreStandardFragments(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	f.write(51, 50)
	whole := f.file("abc-1000.m4s")
	samples, err := fmp4.ReadFragment(whole, 0)
	require.NoError(t, err)
	require.Len(t, samples, 50)
	assert.True(t, samples[0].Sync)
	assert.False(t, samples[1].Sync)
	assert.Equal(t, uint32(frame), samples[49].Duration)
	assert.Equal(t, pictures.Data(pictures.P(100, 49)), samples[49].Data)
	assert.NotNil(t, fmp4.Find(f.file("abc-init0.mp4"), "moov", "mvex", "trex"))
}

func TestOldNamesAreGone(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	f.write(51, 50)
	f.write(50*20, 50)
	assert.False(t, has(f.g, "abc-1000.m4s"), "twenty segments later")
	assert.True(t, has(f.g, "abc-1017.m4s"), "listed no more, but players may still ask for it")
	assert.False(t, has(f.g, "other-1020.m4s"), "of another run")
}

func TestForget(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	f.write(151, 50)
	f.pause()
	f.g.Forget()
	_, ok := f.g.Media(false)
	assert.False(t, ok)
	select {
	case <-f.g.Ready():
		t.Fatal("ready with nothing to play")
	default:
	}
	f.newEpoch(1, pictures.SPS)
	f.write(51, 50)
	<-f.g.Ready()
	text := f.media()
	assert.Contains(t, text, "#EXT-X-MEDIA-SEQUENCE:1004\n", "numbers go on")
	assert.Contains(t, text, "#EXT-X-DISCONTINUITY-SEQUENCE:1\n")
	assert.Contains(t, text, "#EXT-X-DISCONTINUITY\n")
}

func TestNothingBeforeTheFirstKeyframe(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	f.n = 1
	f.write(49, 50)
	f.pause()
	_, ok := f.g.Media(false)
	assert.False(t, ok)
}

func TestKeyframesThatNeverCome(t *testing.T) {
	f := newFeeder(t, hls.Config{})
	big := &media.Sample{Epoch: f.epoch, Track: f.epoch.Tracks[0], Key: true, Captured: noon, Data: make([]byte, 8<<20)}
	var err error
	for i := range int64(9) {
		s := *big
		s.Key, s.DTS, s.PTS = i == 0, i*frame, i*frame
		f.p.Cuts().Observe(&s)
		if e := f.g.WriteVideo(&s); e != nil {
			err = e
		}
	}
	require.Error(t, err)
	f.n = 50
	f.write(51, 50)
	assert.Contains(t, f.media(), "#EXT-X-DISCONTINUITY\n")
}

func TestConfigIsChecked(t *testing.T) {
	good := hls.Config{Run: "r", Wanted: time.Second, Listed: 6}
	for name, change := range map[string]func(*hls.Config){
		"no run":          func(c *hls.Config) { c.Run = "" },
		"too short":       func(c *hls.Config) { c.Wanted = time.Millisecond },
		"too long":        func(c *hls.Config) { c.Wanted = time.Hour },
		"list too short":  func(c *hls.Config) { c.Listed = 2 },
		"list too long":   func(c *hls.Config) { c.Listed = 1000 },
		"parts too long":  func(c *hls.Config) { c.Part = 600 * time.Millisecond },
		"parts too short": func(c *hls.Config) { c.Part = time.Millisecond },
	} {
		c := good
		change(&c)
		_, err := hls.New(c)
		assert.Error(t, err, name)
	}
}

// FuzzPlaylist writes any row of pictures, keyframes and breaks, and checks
// what RFC 8216 asks of the list that comes out.
func FuzzPlaylist(f *testing.F) {
	f.Add([]byte{1, 0, 0, 1, 0, 0, 2, 1, 0, 3, 1, 0, 1})
	extinf := regexp.MustCompile(`#EXTINF:([0-9.]+),\n(\S+)-(\d+)\.m4s`)
	number := func(text, tag string) int {
		n, _ := strconv.Atoi(regexp.MustCompile(`#EXT-X-` + tag + `:(\d+)`).FindStringSubmatch(text)[1])
		return n
	}
	f.Fuzz(func(t *testing.T, script []byte) {
		fd := newFeeder(t, hls.Config{Run: "f", Start: time.Unix(5, 0), Wanted: 500 * time.Millisecond, Listed: 3})
		fd.n = 1
		lastSeq, lastBreaks, epoch := 0, 0, uint64(0)
		for _, b := range script {
			switch b % 8 {
			case 1:
				fd.write(1, 1) // a keyframe
			case 2:
				epoch++
				fd.newEpoch(epoch, pictures.SPS)
			case 3:
				fd.pause()
				epoch++
				fd.newEpoch(epoch, pictures.Larger)
			case 4:
				fd.g.Forget()
			default:
				fd.write(int(b)%13, 1000)
			}
			text, ok := fd.g.Media(false)
			if !ok {
				continue
			}
			plain := string(text.Plain)
			seq, breaks, target := number(plain, "MEDIA-SEQUENCE"), number(plain, "DISCONTINUITY-SEQUENCE"), number(plain, "TARGETDURATION")
			if seq < lastSeq || breaks < lastBreaks {
				t.Fatalf("sequence %d after %d, discontinuities %d after %d", seq, lastSeq, breaks, lastBreaks)
			}
			lastSeq, lastBreaks = seq, breaks
			found := extinf.FindAllStringSubmatch(plain, -1)
			if len(found) == 0 || len(found) > 3 {
				t.Fatalf("%d segments listed", len(found))
			}
			for i, m := range found {
				d, _ := strconv.ParseFloat(m[1], 64)
				if int(d+0.5) > target {
					t.Fatalf("segment of %s s, target %d", m[1], target)
				}
				if n, _ := strconv.Atoi(m[3]); n != seq+i {
					t.Fatalf("segment %d at place %d of a list from %d", n, i, seq)
				}
			}
		}
	})
}
