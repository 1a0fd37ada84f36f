package scene

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestPaint(t *testing.T) {
	at := time.UnixMilli(1764000000000)
	for _, size := range [][2]int{{1280, 720}, {640, 360}, {320, 240}, {1920, 1080}, {64, 48}} {
		s := New(size[0], size[1], "lower-station")
		a, b := make([]byte, s.Size()), make([]byte, s.Size())
		assert.Len(t, a, size[0]*size[1]*3/2)
		s.Paint(a, at)
		s.Paint(b, at)
		assert.True(t, bytes.Equal(a, b), "%v: the same moment looks the same", size)
		s.Paint(b, at.Add(time.Second))
		assert.False(t, bytes.Equal(a, b), "%v: time shows", size)
		luma := a[:size[0]*size[1]]
		low, high := luma[0], luma[0]
		for _, v := range luma {
			low, high = min(low, v), max(high, v)
		}
		assert.GreaterOrEqual(t, low, byte(16), "limited range")
		assert.LessOrEqual(t, high, byte(235), "limited range")
	}
}

// TestPlaces: each of the demo's cameras has a view of its own, and something moves in
// it, not only the clock.
func TestPlaces(t *testing.T) {
	const width, height = 640, 360
	at := time.UnixMilli(1764000000000)
	seen := make(map[string]string)
	for _, name := range []string{"lower-station", "winch-room", "summit-mast", "upper-station"} {
		s := New(width, height, name)
		a, b := make([]byte, s.Size()), make([]byte, s.Size())
		s.Paint(a, at)
		s.Paint(b, at.Add(12*time.Second))
		above := width * height / 10 * 7 // of the clock and the QR code
		assert.NotEqual(t, a[:above], b[:above], "%s: something moves", name)
		other, twice := seen[string(a[:above])]
		assert.False(t, twice, "%s looks like %s", name, other)
		seen[string(a[:above])] = name
	}
}

func TestStampHasItsQuietZone(t *testing.T) {
	s := New(1280, 720, "x")
	pix := make([]byte, s.Size())
	s.Paint(pix, time.UnixMilli(1764000000000))
	// Version 1 has 21 modules of 6 pixels, four of them quiet on each side.
	const side = (21 + 8) * 6
	left, top := (1280-side-4)&^1, (720-side-4)&^1
	for i := range 4*6 - 1 {
		assert.Equal(t, byte(235), pix[(top+i)*1280+left+i], "light all around")
	}
	assert.Equal(t, byte(16), pix[(top+4*6)*1280+left+4*6], "the finder begins dark")
}

func TestLine(t *testing.T) {
	lower, near := upward.at(0.1)
	upper, far := upward.at(0.9)
	assert.Greater(t, lower.y, upper.y)
	assert.Greater(t, near, far, "what is far looks small")
	assert.Zero(t, loopSpread(0.1))
	assert.Zero(t, loopSpread(0.9))
	assert.Equal(t, 1.0, loopSpread(0.5), "the tracks are apart where the cars meet")
}

func TestColours(t *testing.T) {
	// ITU-R BT.709: white, black, pure red.
	assert.Equal(t, []byte{235, 128, 128}, []byte{lumaOf(255, 255, 255), cbOf(255, 255, 255), crOf(255, 255, 255)})
	assert.Equal(t, []byte{16, 128, 128}, []byte{lumaOf(0, 0, 0), cbOf(0, 0, 0), crOf(0, 0, 0)})
	assert.Equal(t, []byte{63, 102, 240}, []byte{lumaOf(255, 0, 0), cbOf(255, 0, 0), crOf(255, 0, 0)})
}
