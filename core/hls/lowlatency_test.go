package hls_test

import (
	"context"
	"fmt"
	"io"
	"regexp"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/testkit/pictures"
)

func newLow(t testing.TB) *feeder {
	return newFeeder(t, hls.Config{Run: "abc", Start: time.Unix(500, 0), Wanted: 2 * time.Second, Part: 200 * time.Millisecond, Listed: 3})
}

func TestLowLatencyPlaylist(t *testing.T) {
	f := newLow(t)
	f.write(50+13, 50)
	assert.Contains(t, f.media(), "1001.0.m4s", "from the first segment on")
	f.write(100, 50) // three segments, two parts and three frames
	text := f.media()
	parts := func(sequence, n int) (b string) {
		for i := range n {
			b += fmt.Sprintf("#EXT-X-PART:DURATION=0.20000,URI=\"abc-%d.%d.m4s\"", sequence, i)
			if i == 0 {
				b += ",INDEPENDENT=YES"
			}
			b += "\n"
		}
		return b
	}
	want := `#EXTM3U
#EXT-X-VERSION:7
#EXT-X-TARGETDURATION:2
#EXT-X-SERVER-CONTROL:CAN-BLOCK-RELOAD=YES,PART-HOLD-BACK=0.60000,HOLD-BACK=6,CAN-SKIP-UNTIL=12
#EXT-X-PART-INF:PART-TARGET=0.20000
#EXT-X-MEDIA-SEQUENCE:1000
#EXT-X-DISCONTINUITY-SEQUENCE:0
#EXT-X-INDEPENDENT-SEGMENTS
#EXT-X-DISCONTINUITY
#EXT-X-MAP:URI="abc-init0.mp4"
`
	for i := range 3 {
		want += fmt.Sprintf("#EXT-X-PROGRAM-DATE-TIME:2026-06-01T12:00:0%d.000Z\n%s#EXTINF:2.00000,\nabc-%d.m4s\n", 2*i, parts(1000+i, 10), 1000+i)
	}
	want += "#EXT-X-PROGRAM-DATE-TIME:2026-06-01T12:00:06.000Z\n" + parts(1003, 2) + "#EXT-X-PRELOAD-HINT:TYPE=PART,URI=\"abc-1003.2.m4s\"\n"
	assert.Equal(t, want, text)
	again, _ := f.g.Media(false)
	once, _ := f.g.Media(false)
	assert.Same(t, again, once, "all who ask for the same get the same")
	other := f.p.Open("small")
	assert.NotContains(t, f.media(), "RENDITION-REPORT", "it has nothing yet")
	other.End()
}

func TestPartsAreTheirSegment(t *testing.T) {
	f := newLow(t)
	f.write(151, 50)
	whole := fileOf(t, f.g, "abc-1001.m4s")
	var joined []byte
	for i := range 10 {
		joined = append(joined, fileOf(t, f.g, fmt.Sprintf("abc-1001.%d.m4s", i))...)
	}
	assert.Equal(t, whole, joined)
	samples := chunks(t, whole, 1)
	require.Len(t, samples, 50)
	for i := 1; i < len(samples); i++ {
		assert.Equal(t, samples[i-1].DTS+uint64(samples[i-1].Duration), samples[i].DTS, "without gap")
	}
	for _, name := range []string{"abc-1001.10.m4s", "abc-1001.-1.m4s", "abc-1001.01.m4s", "abc-1009.0.m4s", "abc-.0.m4s", "x-1001.0.m4s"} {
		assert.False(t, has(f.g, name), name)
	}
}

// TestOtherTracksAreReported to players that may go over to them.
func TestOtherTracksAreReported(t *testing.T) {
	f := newLow(t)
	f.write(63, 50)
	small := f.p.Open("small")
	made := &media.Epoch{Source: f.epoch, Tracks: f.epoch.Tracks}
	for range 150 {
		s := *f.write(1, 50)
		s.Epoch = made
		require.NoError(t, small.WriteVideo(&s))
	}
	assert.Regexp(t, `#EXT-X-RENDITION-REPORT:URI="../small/list.m3u8",LAST-MSN=1004,LAST-PART=1\n`, f.media())
	text, ok := small.Media(false)
	require.True(t, ok)
	times := regexp.MustCompile(`PROGRAM-DATE-TIME:\S+|DISCONTINUITY-SEQUENCE:\d+|\d+\.m4s\n`)
	both := times.FindAllString(f.media(), -1)
	for _, line := range times.FindAllString(string(text.Plain), -1) {
		assert.Contains(t, both, line, "numbers, times and discontinuities agree")
	}
}

// TestWaiting asks for what is there, is coming, and is too far ahead.
func TestWaiting(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		f := newLow(t)
		f.write(63, 50) // 1000 whole, two parts of 1001
		for name, at := range map[string][2]int{"the past": {3, 0}, "the newest segment": {1000, hls.WholeSegment}, "a part of it": {1000, 3}, "a part behind its last": {1000, 10}, "the newest part": {1001, 1}} {
			assert.NoError(t, f.g.Wait(t.Context(), uint64(at[0]), at[1]), name)
		}
		for name, at := range map[string][2]int{"a segment": {1003, 0}, "far ahead": {1 << 40, hls.WholeSegment}, "a part": {1001, 6}, "parts that no segment has": {1002, 1000}} {
			assert.ErrorIs(t, f.g.Wait(t.Context(), uint64(at[0]), at[1]), hls.ErrFarAhead, name)
		}
		var mu sync.Mutex
		var got []string
		for name, at := range map[string][2]int{"next part": {1001, 2}, "whole segment": {1001, hls.WholeSegment}} {
			go func() {
				assert.NoError(t, f.g.Wait(t.Context(), uint64(at[0]), at[1]))
				mu.Lock()
				got = append(got, name)
				mu.Unlock()
			}()
			synctest.Wait()
		}
		step := func(frames int, want ...string) {
			f.write(frames, 50)
			synctest.Wait()
			mu.Lock()
			defer mu.Unlock()
			assert.ElementsMatch(t, want, got)
			got = nil
		}
		step(1)
		step(1, "next part")
		step(35)
		go func() {
			assert.NoError(t, f.g.Wait(t.Context(), 1001, 10), "behind the last part")
			mu.Lock()
			got = append(got, "first of the next")
			mu.Unlock()
		}()
		step(1, "whole segment")
		step(4, "first of the next")

		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		assert.ErrorIs(t, f.g.Wait(ctx, 1002, 4), context.DeadlineExceeded)
		go f.g.End()
		assert.ErrorIs(t, f.g.Wait(t.Context(), 1003, hls.WholeSegment), hls.ErrEnded)
	})
}

// TestThousandsWait for one part, and all get the one list that is written then.
func TestThousandsWait(t *testing.T) {
	f := newLow(t)
	f.write(163, 50)
	texts := make(chan *hls.Text, 5000)
	var wg sync.WaitGroup
	for range cap(texts) {
		wg.Go(func() {
			assert.NoError(t, f.g.Wait(t.Context(), 1003, 2))
			text, ok := f.g.Media(false)
			assert.True(t, ok)
			texts <- text
		})
	}
	f.write(2, 50)
	wg.Wait()
	first := <-texts
	assert.Contains(t, string(first.Plain), "1003.2.m4s")
	for len(texts) > 0 {
		require.Same(t, first, <-texts)
	}
}

func TestDeltaUpdates(t *testing.T) {
	f := newFeeder(t, hls.Config{Run: "abc", Start: time.Unix(500, 0), Wanted: time.Second, Part: 200 * time.Millisecond, Listed: 20})
	f.write(25*30+6, 25)
	whole, _ := f.g.Media(false)
	text, ok := f.g.Media(true)
	require.True(t, ok)
	assert.Contains(t, string(text.Plain), "#EXT-X-VERSION:9\n")
	assert.Contains(t, string(text.Plain), "#EXT-X-SKIP:SKIPPED-SEGMENTS=14\n#EXT-X-PROGRAM-DATE-TIME:")
	segments := regexp.MustCompile(`(?m)^\S+\.m4s$`)
	assert.Equal(t, segments.FindAllString(string(whole.Plain), -1)[14:], segments.FindAllString(string(text.Plain), -1))
	assert.Less(t, len(text.Plain), len(whole.Plain))

	short := newLow(t)
	short.write(101, 50)
	skipped, _ := short.g.Media(true)
	assert.NotContains(t, string(skipped.Plain), "SKIP:", "there is nothing to leave out")
}

// TestTheHintedPart is asked for before there is anything of it, and is read as it is made.
func TestTheHintedPart(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		f := newLow(t)
		f.write(160, 50)
		found := make(chan hls.Piece)
		go func() {
			piece, ok := f.g.Find(t.Context(), "abc-1003.2.m4s")
			assert.True(t, ok)
			found <- piece
		}()
		synctest.Wait()
		f.write(1, 50)
		piece := <-found
		require.NotNil(t, piece.Growing)
		first, err := piece.Growing.From(t.Context(), 0)
		require.NoError(t, err)
		assert.Len(t, first, 2, "head and data of one chunk")
		f.write(100, 50)
		rest, err := piece.Growing.From(t.Context(), len(first))
		require.NoError(t, err)
		_, err = piece.Growing.From(t.Context(), len(first)+len(rest))
		assert.ErrorIs(t, err, io.EOF)
		var read []byte
		for _, b := range append(first, rest...) {
			read = append(read, b...)
		}
		assert.Equal(t, fileOf(t, f.g, "abc-1003.2.m4s"), read)

		f.write(4, 50)
		// The camera goes while one waits for what will never come.
		text := f.media()
		name := strings.Split(text[strings.Index(text, `PRELOAD-HINT:TYPE=PART,URI="`)+28:], `"`)[0]
		go f.pause()
		_, ok := f.g.Find(t.Context(), name)
		assert.False(t, ok)
	})
}

// TestRareKeyframes: parts go on while a segment gets long.
func TestRareKeyframes(t *testing.T) {
	f := newLow(t)
	f.write(3*250+130, 250)
	text := f.media()
	assert.Contains(t, text, "#EXT-X-TARGETDURATION:10\n")
	assert.Contains(t, text, `URI="abc-1003.25.m4s"`)
	assert.Equal(t, 4, strings.Count(text, "INDEPENDENT=YES"))
}

// TestASlowCamerasParts are a frame each, and the list says how long they are.
func TestASlowCamerasParts(t *testing.T) {
	f := newLow(t)
	for n := range int64(20) {
		s := &media.Sample{
			Epoch: f.epoch, Track: f.epoch.Tracks[0], DTS: n * 90000, PTS: n * 90000, Captured: noon.Add(time.Duration(n) * time.Second), Key: n%4 == 0, Data: pictures.Data(pictures.IDR(1000, 1)),
		}
		f.p.Cuts().Observe(s)
		require.NoError(t, f.g.WriteVideo(s))
	}
	assert.Contains(t, f.media(), "#EXT-X-PART-INF:PART-TARGET=1.")
	assert.Contains(t, f.media(), "#EXT-X-PART:DURATION=1.00000")
}
