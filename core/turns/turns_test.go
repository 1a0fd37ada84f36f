package turns_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/turns"
	"webostrum/testkit/pictures"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func TestWhoseTurnItIs(t *testing.T) {
	list := []turns.Source{{Feed: "a", Dwell: 10 * time.Second}, {Feed: "b", Dwell: 5 * time.Second}, {Feed: "c", Dwell: 5 * time.Second}}
	all := func(string) bool { return true }
	without := func(gone ...string) func(string) bool {
		return func(f string) bool {
			for _, g := range gone {
				if f == g {
					return false
				}
			}
			return true
		}
	}
	on := func(feed string, for_ time.Duration) turns.Turn {
		return turns.Turn{Feed: feed, Since: noon.Add(-for_)}
	}
	for name, c := range map[string]struct {
		present turns.Turn
		held    string
		live    func(string) bool
		want    string
		skipped []string
	}{
		"the first begins":               {turns.Turn{}, "", all, "a", nil},
		"it stays for its time":          {on("a", 9*time.Second), "", all, "a", nil},
		"then the next":                  {on("a", 10*time.Second), "", all, "b", nil},
		"after the last the first":       {on("c", 5*time.Second), "", all, "a", nil},
		"one that is dead is passed":     {on("a", 10*time.Second), "", without("b"), "c", []string{"b"}},
		"one that dies is left":          {on("a", time.Second), "", without("a"), "b", nil},
		"a single one stays":             {on("a", time.Hour), "", without("b", "c"), "a", []string{"b", "c"}},
		"nobody is live":                 {on("a", time.Second), "", without("a", "b", "c"), "", []string{"b", "c", "a"}},
		"somebody said so":               {on("a", time.Second), "c", all, "c", nil},
		"what is held and dead is left":  {on("c", time.Second), "c", without("c"), "a", nil},
		"one that is no longer a source": {on("x", time.Second), "", all, "a", nil},
	} {
		got, skipped := turns.Next(list, c.present, c.held, c.live, noon)
		assert.Equal(t, c.want, got, name)
		assert.Equal(t, c.skipped, skipped, name)
	}
}

func sample(e *media.Epoch, n int, key bool, captured time.Time) *media.Sample {
	return &media.Sample{Epoch: e, Track: e.Tracks[0], DTS: int64(n), PTS: int64(n) + 10, Key: key, Captured: captured}
}

func TestOneTimelineOfTwoCameras(t *testing.T) {
	a, b := &media.Epoch{Number: 4, Tracks: []*media.Track{pictures.Track(pictures.SPS)}}, &media.Epoch{Number: 9, Tracks: []*media.Track{pictures.Track(pictures.SPS)}}
	l := turns.NewLine(1)
	var out []*media.Sample
	take := func(s *media.Sample) {
		o := l.Sample(s)
		require.NotNil(t, o)
		out = append(out, o)
	}
	assert.Nil(t, l.Sample(sample(a, 900_000, false, noon)), "it begins with a keyframe")
	take(sample(a, 900_000, true, noon))
	take(sample(a, 903_600, false, noon.Add(40*time.Millisecond)))
	take(sample(b, 77, true, noon.Add(90*time.Millisecond)))
	take(sample(b, 77+3600, false, noon.Add(130*time.Millisecond)))
	take(sample(a, 5_000_000, true, noon.Add(100*time.Millisecond))) // taken earlier, as by a camera with more delay
	for i := 1; i < len(out); i++ {
		assert.Same(t, out[0].Epoch, out[i].Epoch, "all are coded in the same way: no break")
		assert.Greater(t, out[i].DTS, out[i-1].DTS)
		assert.EqualValues(t, 10, out[i].PTS-out[i].DTS)
	}
	assert.EqualValues(t, 8100, out[2].DTS-out[0].DTS, "as the clock went")
	other := &media.Epoch{Number: 1, Tracks: []*media.Track{pictures.Track(pictures.Larger)}}
	assert.False(t, l.Fits(sample(other, 0, true, noon)))
	take(sample(other, 0, true, noon.Add(time.Second)))
	assert.NotSame(t, out[0].Epoch, out[len(out)-1].Epoch)
	assert.EqualValues(t, 3, l.NextEpoch())
}
