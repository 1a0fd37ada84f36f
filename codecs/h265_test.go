package codecs_test

import (
	_ "embed"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/workerproto"
	"webostrum/sim/reel"
)

// TestH265 makes H.264 and JPEG of the film; no picture is held back.
func TestH265(t *testing.T) {
	const pictures = 30
	frames, config := reel.Load()
	made, _, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindInput, workerproto.InputOf(media.VideoTrack(1, 90000, config))))
		for _, o := range []workerproto.Output{video(1, 320, 180), still(2, 320, 180)} {
			require.NoError(t, c.WriteJSON(workerproto.KindOutput, o))
		}
		for i, f := range frames[:pictures] {
			s := stamp(i)
			s.Key = f.Key
			require.NoError(t, c.WriteStamped(workerproto.KindFrame, s, f.Data))
		}
	})
	require.NoError(t, err, failed)
	count := map[uint32]int{}
	for _, m := range made {
		count[m.Output]++
	}
	assert.Equal(t, map[uint32]int{1: pictures, 2: pictures}, count)
}

// Films of the same scene: one with B-frames, one with 10 bits a sample. x265 made them as
// scripts/reel.sh does, with --bframes 3 --b-adapt 0 and --output-depth 10.
var (
	//go:embed testdata/reordered.h265
	reorderedH265 []byte
	//go:embed testdata/tenbits.h265
	tenBits []byte
)

// TestH265OfOtherProfiles decodes what is reordered, and what has more bits: all pictures
// come, in the order in which they are shown, but those that the decoder still holds.
func TestH265OfOtherProfiles(t *testing.T) {
	shown := []int64{0, 4, 2, 1, 3} // of the first frames, in decoding order
	for name, tt := range map[string]struct {
		film    []byte
		profile string
		held    int
	}{"B-frames": {reorderedH265, "Main", 4}, "10 bits": {tenBits, "Main 10", 0}} {
		frames, config := reel.Split(tt.film)
		require.Equal(t, tt.profile, config.Profile, name)
		frames = frames[:5]
		made, _, failed, err := work(t, func(c *workerproto.Conn) {
			require.NoError(t, c.WriteJSON(workerproto.KindInput, workerproto.InputOf(media.VideoTrack(1, 90000, config))))
			require.NoError(t, c.WriteJSON(workerproto.KindOutput, still(1, 640, 360)))
			for i, f := range frames {
				s := stamp(i)
				if config.Reorder > 0 {
					s = stamp(int(shown[i]))
				}
				s.Key = f.Key
				require.NoError(t, c.WriteStamped(workerproto.KindFrame, s, f.Data))
			}
		})
		require.NoError(t, err, failed)
		assert.GreaterOrEqual(t, len(made), len(frames)-tt.held, name)
		stamps := []int64{}
		for _, m := range made {
			stamps = append(stamps, m.PTS)
		}
		assert.True(t, slices.IsSorted(stamps), name)
	}
}

// TestBrokenH265 damages pictures: the worker goes on, and decodes again from the next
// keyframe.
func TestBrokenH265(t *testing.T) {
	frames, config := reel.Load()
	made, _, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindInput, workerproto.InputOf(media.VideoTrack(1, 90000, config))))
		require.NoError(t, c.WriteJSON(workerproto.KindOutput, still(1, 320, 180)))
		for i, f := range frames[:50] {
			data := slices.Clone(f.Data)
			if i%7 == 3 {
				for at := 10; at < len(data); at += 3 {
					data[at] ^= byte(at)
				}
			}
			s := stamp(i)
			s.Key = f.Key
			require.NoError(t, c.WriteStamped(workerproto.KindFrame, s, data))
		}
	})
	require.NoError(t, err, failed)
	assert.NotEmpty(t, made)
}
