package jpeg_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	ours "webostrum/core/jpeg"
)

func TestPixels(t *testing.T) {
	encode := func(p image.Image) []byte {
		var b bytes.Buffer
		require.NoError(t, jpeg.Encode(&b, p, nil))
		return b.Bytes()
	}
	colour := encode(image.NewRGBA(image.Rect(0, 0, 40, 20)))
	p, err := ours.Pixels(colour, 1000)
	require.NoError(t, err)
	assert.Equal(t, image.Rect(0, 0, 40, 20), p.Rect)
	grey, err := ours.Pixels(encode(image.NewGray(image.Rect(0, 0, 40, 20))), 1000)
	require.NoError(t, err)
	assert.Empty(t, grey.Cb)
	_, err = ours.Pixels(colour, 100)
	assert.ErrorContains(t, err, "too large")
	_, err = ours.Pixels(colour[:len(colour)/2], 1000)
	assert.Error(t, err)
}
