package yuv_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/codecs/picture"
	"webostrum/codecs/yuv"
	"webostrum/core/projection"
)

// stripes is a picture whose brightness is the column, in steps.
func stripes(width, height, step int) *picture.Picture {
	p := picture.New(width, height)
	for y := range height {
		for x := range width {
			p.Planes[0][y*p.Strides[0]+x] = byte(x / step)
		}
	}
	return p
}

func TestAFlatViewIsCutOut(t *testing.T) {
	from := stripes(720, 360, 4) // 180 steps: two degrees each
	to := picture.New(64, 36)
	yuv.NewView(projection.View{Kind: projection.Equirectangular, Pan: 90, FOV: 90}).Cut(to, from)
	row := to.Planes[0][18*to.Strides[0]:]
	assert.InDelta(t, 135, int(row[32]), 1, "90 degrees to the right of the middle")
	assert.InDelta(t, 112, int(row[0]), 2, "45 degrees less")
	assert.InDelta(t, 157, int(row[63]), 2)
	fish := yuv.NewView(projection.View{Kind: projection.Fisheye, Lens: 90, FOV: 140})
	fish.Cut(to, from)
	assert.Zero(t, to.Planes[0][0], "beyond the lens it is dark")
	assert.EqualValues(t, 128, to.Planes[1][0], "and without colour")
	small := picture.New(32, 18)
	fish.Cut(small, from) // another size has other tables
	assert.InDelta(t, 90, int(small.Planes[0][9*small.Strides[0]+16]), 8, "a pixel is eight degrees wide here")
}

func TestAPictureOfAnotherShapeHasBlackBeside(t *testing.T) {
	from := picture.New(64, 64)
	for i := range from.Planes[0] {
		from.Planes[0][i] = 200
	}
	to := picture.New(128, 64)
	yuv.Fit(to, from)
	row := to.Planes[0][32*to.Strides[0]:]
	assert.Zero(t, row[0])
	assert.Zero(t, row[31])
	assert.EqualValues(t, 200, row[32])
	assert.EqualValues(t, 200, row[95])
	assert.Zero(t, row[96])
	assert.EqualValues(t, 128, to.Planes[1][0])
	tall := picture.New(64, 128)
	yuv.Fit(tall, from)
	assert.Zero(t, tall.Planes[0][0])
	assert.EqualValues(t, 200, tall.Planes[0][64*tall.Strides[0]])
}
