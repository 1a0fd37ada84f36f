package codecs_test

import (
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
