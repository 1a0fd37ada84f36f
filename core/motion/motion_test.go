package motion_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/motion"
)

const width, height = 160, 90

// picture is grey of one brightness, with a brighter square somewhere.
func picture(grey byte, x, y, size int) []byte {
	p := make([]byte, width*height)
	for i := range p {
		p[i] = grey
	}
	for dy := range size {
		for dx := range size {
			p[(y+dy)*width+x+dx] = 250
		}
	}
	return p
}

func TestWhatMovesIsMeasured(t *testing.T) {
	var d motion.Detector
	next := func(p []byte) motion.Measure { return d.Next(p, width, height, width) }
	assert.Zero(t, next(picture(100, 0, 0, 20)).Changed, "the first has nothing before it")
	for range 40 {
		assert.Zero(t, next(picture(100, 0, 0, 20)).Changed)
	}
	m := next(picture(100, 80, 45, 20))
	assert.InDelta(t, 100*2*400.0/(width*height), m.Changed, 0.1, "where it was, and where it is")
	assert.Equal(t, 100.0, m.Cells[0][0])
	for range 60 {
		m = next(picture(100, 80, 45, 20))
	}
	assert.Zero(t, m.Changed, "what stays becomes usual")
}

func TestACloudDoesNotMove(t *testing.T) {
	var d motion.Detector
	for range 30 {
		d.Next(picture(100, 0, 0, 20), width, height, width)
	}
	assert.Less(t, d.Next(picture(150, 0, 0, 20), width, height, width).Changed, 4.0, "all of it is lighter")
}

func TestMaskedCellsDoNotCount(t *testing.T) {
	var d motion.Detector
	var err error
	d.Mask, err = motion.ParseMask("xx" + strings.Repeat(".", 14) + "/xx" + strings.Repeat(".", 14) + strings.Repeat("/"+strings.Repeat(".", 16), 7))
	require.NoError(t, err)
	again, err := motion.ParseMask(d.Mask.String())
	require.NoError(t, err)
	assert.Equal(t, d.Mask, again)
	for range 30 {
		d.Next(picture(100, 100, 50, 10), width, height, width)
	}
	p := picture(100, 100, 50, 10)
	copy(p, picture(100, 0, 0, 20)[:width*20])
	m := d.Next(p, width, height, width)
	assert.Zero(t, m.Changed)
	assert.Equal(t, 100.0, m.Cells[0][0], "it is measured all the same")
}

func TestWhatIsNoPictureOrMask(t *testing.T) {
	var d motion.Detector
	assert.Zero(t, d.Next(nil, width, height, width).Changed)
	assert.Zero(t, d.Next(make([]byte, 10), 0, 0, 0).Changed)
	for _, wrong := range []string{"x", strings.Repeat(".", 16), strings.Repeat("."+"/", 9), strings.Repeat(strings.Repeat("?", 16)+"/", 8) + strings.Repeat("?", 16)} {
		_, err := motion.ParseMask(wrong)
		assert.Error(t, err, wrong)
	}
}
