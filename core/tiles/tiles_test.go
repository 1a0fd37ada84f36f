package tiles_test

import (
	"image"
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/tiles"
)

func TestGrids(t *testing.T) {
	for n, want := range map[int][2]int{1: {1, 1}, 2: {2, 1}, 3: {2, 2}, 4: {2, 2}, 5: {3, 2}, 7: {3, 3}, 9: {3, 3}} {
		g := tiles.GridOf(n, 1280, 720)
		assert.Equal(t, want, [2]int{g.Columns, g.Rows}, "%d tiles", n)
		assert.Zero(t, (g.TileWidth|g.TileHeight)&1, "even sides")
		for i := range n {
			x, y := g.At(i, n)
			assert.LessOrEqual(t, x+g.TileWidth, 1280)
			assert.LessOrEqual(t, y+g.TileHeight, 720)
		}
	}
	x, _ := tiles.GridOf(3, 1280, 720).At(2, 3)
	assert.Equal(t, 320, x, "a single one stands in the middle")
}

func TestATileIsInItsPlace(t *testing.T) {
	g := tiles.GridOf(4, 64, 64)
	c := tiles.NewCanvas(64, 64)
	p := image.NewYCbCr(image.Rect(0, 0, 100, 20), image.YCbCrSubsampleRatio420)
	for i := range p.Y {
		p.Y[i] = 200
	}
	c.Put(g, 3, 4, p)
	lit := func(x, y int) bool { return c.Pixels[y*64+x] == 200 }
	assert.False(t, lit(31, 48), "the tile beside it")
	assert.False(t, lit(40, 33), "above the picture")
	assert.True(t, lit(32, 48))
	assert.True(t, lit(63, 48))
	c.Put(g, 3, 4, nil)
	assert.False(t, lit(40, 48), "dark")
}
