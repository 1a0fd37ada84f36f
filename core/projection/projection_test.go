package projection_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/projection"
)

// at is the pixel that the middle of a view shows, of a picture of 360x180.
func at(v projection.View) (x, y int) {
	table := v.Table(3, 3, 360, 180, 360)
	return int(table[4]) % 360, int(table[4]) / 360
}

func TestWhatAViewShows(t *testing.T) {
	for name, c := range map[string]struct {
		view projection.View
		x, y int
	}{
		"the middle":          {projection.View{Kind: projection.Equirectangular, FOV: 90}, 180, 90},
		"to the right":        {projection.View{Kind: projection.Equirectangular, FOV: 90, Pan: 90}, 270, 90},
		"to the left":         {projection.View{Kind: projection.Equirectangular, FOV: 90, Pan: -90}, 90, 90},
		"upward":              {projection.View{Kind: projection.Equirectangular, FOV: 90, Tilt: 45}, 180, 45},
		"right and up":        {projection.View{Kind: projection.Equirectangular, FOV: 90, Pan: 60, Tilt: 30}, 240, 60},
		"the left eye's half": {projection.View{Kind: projection.TopBottom, FOV: 90}, 180, 45},
		"a fisheye's middle":  {projection.View{Kind: projection.Fisheye, FOV: 90}, 180, 90},
		"a fisheye's right":   {projection.View{Kind: projection.Fisheye, FOV: 90, Pan: 45}, 225, 90},
		"a fisheye of 90":     {projection.View{Kind: projection.Fisheye, FOV: 90, Pan: 22.5, Lens: 90}, 225, 90},
	} {
		x, y := at(c.view)
		assert.InDelta(t, c.x, x, 1, name)
		assert.InDelta(t, c.y, y, 1, name)
	}
	behind := projection.View{Kind: projection.Fisheye, FOV: 90, Pan: 180}
	assert.EqualValues(t, -1, behind.Table(3, 3, 360, 180, 360)[4], "a fisheye does not look behind itself")
}

func TestTheEdgesOfAView(t *testing.T) {
	v := projection.View{Kind: projection.Equirectangular, FOV: 90}
	table := v.Table(1000, 2, 360, 180, 360)
	assert.InDelta(t, 135, table[0]%360, 1, "45 degrees to the left")
	assert.InDelta(t, 225, table[999]%360, 1)
}

func TestViewsThatCannotBe(t *testing.T) {
	var none *projection.View
	assert.NoError(t, none.Validate())
	for _, v := range []projection.View{{FOV: 90}, {Kind: "flat", FOV: 90}, {Kind: projection.Fisheye}, {Kind: projection.Fisheye, FOV: 90, Tilt: 91}, {Kind: projection.Fisheye, FOV: 90, Lens: 20}} {
		assert.Error(t, v.Validate(), "%+v", v)
	}
}
