package codecs_test

import (
	"bytes"
	_ "embed"
	"encoding/binary"
	"image/jpeg"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/vp8"
	"webostrum/core/workerproto"
)

// square is a white square of 16x16 that walks by 4 pixels a frame over a field that gets
// brighter by 15, in VP8 of 80x48 with a keyframe each 6 frames. libvpx made it.
//
//go:embed testdata/square.ivf
var square []byte

// squareFrames takes the frames out of the file: a header of 32 bytes, then each frame's size
// in 4 bytes, its time in 8, and the frame.
func squareFrames(t *testing.T) (frames [][]byte) {
	t.Helper()
	for rest := square[32:]; len(rest) > 0; {
		n := 12 + int(binary.LittleEndian.Uint32(rest))
		frames, rest = append(frames, rest[12:n]), rest[n:]
	}
	require.Len(t, frames, 12)
	return frames
}

// sendVP8 gives the worker frames, and asks for still pictures of their own size and H.264.
func sendVP8(t *testing.T, c *workerproto.Conn, frames [][]byte) {
	require.NoError(t, c.WriteJSON(workerproto.KindInput, workerproto.InputOf(media.VideoTrack(1, 90000, vp8.Config(80, 48)))))
	require.NoError(t, c.WriteJSON(workerproto.KindOutput, still(1, 80, 48)))
	require.NoError(t, c.WriteJSON(workerproto.KindOutput, video(2, 80, 48)))
	for i, f := range frames {
		s := stamp(i)
		s.Key = len(f) > 0 && f[0]&1 == 0
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, s, f))
	}
}

func TestVP8(t *testing.T) {
	frames := squareFrames(t)
	made, _, failed, err := work(t, func(c *workerproto.Conn) { sendVP8(t, c, frames) })
	require.NoError(t, err, failed)
	stills := 0
	for _, m := range made {
		if m.Output != 1 {
			continue
		}
		img, err := jpeg.Decode(bytes.NewReader(m.data))
		require.NoError(t, err)
		light := func(x, y int) int { r, g, b, _ := img.At(x, y).RGBA(); return int((299*r + 587*g + 114*b) / 1000 >> 8) }
		assert.Greater(t, light(4*stills+8, 16)-light(70, 40), 20, "the square of frame %d is where it was drawn", stills)
		stills++
	}
	assert.Equal(t, len(frames), stills)
	assert.Len(t, made, 2*len(frames))
}

// TestVP8GoesOnAfterWhatCannotBeDecoded from the next keyframe on, and begins with none but
// one.
func TestVP8GoesOnAfterWhatCannotBeDecoded(t *testing.T) {
	frames := squareFrames(t)
	frames[2] = frames[2][:1]
	made, _, failed, err := work(t, func(c *workerproto.Conn) { sendVP8(t, c, frames[1:]) })
	require.NoError(t, err, failed)
	assert.Len(t, made, 2*6, "from the second keyframe on")
}
