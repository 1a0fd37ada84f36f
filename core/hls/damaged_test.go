package hls_test

import (
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/testkit/pictures"
)

// list is what a media playlist says.
type list struct {
	target    time.Duration
	sequence  int
	durations []time.Duration
	breaks    int
}

func readList(t *testing.T, text string) (l list) {
	t.Helper()
	number := func(tag string) int {
		m := regexp.MustCompile(tag + `:(\d+)`).FindStringSubmatch(text)
		require.NotNil(t, m, tag)
		n, err := strconv.Atoi(m[1])
		require.NoError(t, err)
		return n
	}
	l.target, l.sequence = time.Duration(number("EXT-X-TARGETDURATION"))*time.Second, number("EXT-X-MEDIA-SEQUENCE")
	for _, m := range regexp.MustCompile(`EXTINF:([\d.]+)`).FindAllStringSubmatch(text, -1) {
		d, err := time.ParseDuration(m[1] + "s")
		require.NoError(t, err)
		l.durations = append(l.durations, d)
	}
	l.breaks = strings.Count(text, "EXT-X-DISCONTINUITY\n")
	return l
}

func (l list) length() (sum time.Duration) {
	for _, d := range l.durations {
		sum += d
	}
	return sum
}

// spell writes the frames of one epoch.
type spell struct {
	t     *testing.T
	p     *hls.Presentation
	g     *hls.Track
	epoch *media.Epoch
}

func newSpell(t *testing.T, listed int) *spell {
	t.Helper()
	p, err := hls.New(hls.Config{Run: "a", Start: noon, Wanted: 2 * time.Second, Listed: listed})
	require.NoError(t, err)
	return &spell{t, p, p.Open(hls.Original), &media.Epoch{Tracks: []*media.Track{pictures.Track(pictures.SPS)}}}
}

func (s *spell) list() list {
	s.t.Helper()
	text, ok := s.g.Media(false)
	require.True(s.t, ok)
	return readList(s.t, string(text.Plain))
}

// write writes frames, but for those that are lost, and looks at the list at each
// keyframe.
func (s *spell) write(from, to, keyEvery int64, lost func(n int64) bool, look func(list)) {
	s.t.Helper()
	for n := from; n < to; n++ {
		if lost(n) {
			continue
		}
		key := n%keyEvery == 0
		data := pictures.Data(pictures.P(100, byte(n)))
		if key {
			data = pictures.Data(pictures.IDR(1000, byte(n)))
		}
		sample := &media.Sample{
			Epoch: s.epoch, Track: s.epoch.Tracks[0], DTS: n * frame, PTS: n * frame, Captured: noon.Add(time.Duration(n) * 40 * time.Millisecond), Key: key, Data: data,
		}
		s.p.Cuts().Observe(sample)
		require.NoError(s.t, s.g.WriteVideo(sample))
		if _, ok := s.g.Media(false); ok && key {
			look(s.list())
		}
	}
}

func none(int64) bool { return false }

// TestADamagedSpellMakesNoLongSegments loses two groups of pictures of three for half a
// minute, as depacketising does when packets are lost: the target duration stays, the list
// covers three of them, and its numbers never go back.
func TestADamagedSpellMakesNoLongSegments(t *testing.T) {
	s := newSpell(t, 6)
	const gop = 50
	sequence, longest := 0, time.Duration(0)
	look := func(l list) {
		require.GreaterOrEqual(t, l.sequence, sequence)
		sequence = l.sequence
		assert.Equal(t, 2*time.Second, l.target)
		for _, d := range l.durations {
			longest = max(longest, d)
		}
	}
	s.write(0, 20*gop, gop, none, look)
	s.write(20*gop, 35*gop, gop, func(n int64) bool { return n/gop%3 != 0 || n%gop > 30 }, func(l list) {
		look(l)
		assert.GreaterOrEqual(t, l.length(), 3*l.target)
	})
	assert.LessOrEqual(t, longest, 2*time.Second+40*time.Millisecond)
	assert.Greater(t, s.list().breaks, 2, "a gap is a gap")
	s.write(35*gop, 60*gop, gop, none, look)
	l := s.list()
	assert.Len(t, l.durations, 6, "as before")
	assert.Zero(t, l.breaks)
}

// TestTheTargetFallsBack once what made it long is no longer listed.
func TestTheTargetFallsBack(t *testing.T) {
	s := newSpell(t, 3)
	targets := []time.Duration{}
	look := func(l list) {
		if n := len(targets); n == 0 || targets[n-1] != l.target {
			targets = append(targets, l.target)
		}
		for _, d := range l.durations {
			assert.LessOrEqual(t, d.Round(time.Second), l.target, "no segment is longer than it may be")
		}
	}
	s.write(0, 500, 50, none, look)
	s.write(500, 1000, 250, none, look) // keyframes 10 s apart for 20 s
	s.write(1000, 3000, 50, none, look)
	assert.Equal(t, []time.Duration{2 * time.Second, 10 * time.Second, 2 * time.Second}, targets)
	l := s.list()
	assert.GreaterOrEqual(t, l.length(), 3*l.target)
	assert.Len(t, l.durations, 3)
}

// TestASlowCameraIsNoGap: what a stream does all the time is its pace.
func TestASlowCameraIsNoGap(t *testing.T) {
	s := newSpell(t, 3)
	s.write(0, 3000, 50, func(n int64) bool { return n%50 != 0 }, func(list) {}) // a frame every 2 s
	l := s.list()
	assert.Zero(t, l.breaks)
	assert.Equal(t, 2*time.Second, l.target)
}
