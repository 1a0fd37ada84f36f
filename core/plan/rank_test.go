package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/media"
	"webostrum/core/plan"
)

func TestRank(t *testing.T) {
	main := plan.Source{Codec: media.H264, Width: 1920, Height: 1080, BitRate: 4e6}
	large := plan.Source{Codec: media.H264, Width: 3840, Height: 2160, BitRate: 12e6}
	small := plan.Source{Codec: media.H264, Width: 640, Height: 360, BitRate: 5e5}
	newer := plan.Source{Codec: media.H265, Width: 1920, Height: 1080, BitRate: 1e5}
	other := plan.Source{Codec: "MP4V-ES", Width: 1920, Height: 1080}
	pictures := plan.Source{Codec: media.JPEG, Width: 1280, Height: 720, FrameRate: 5}
	for name, tt := range map[string]struct {
		list           []plan.Source
		best, lightest int
	}{
		"the usual three":    {[]plan.Source{large, main, small}, 1, 2},
		"H.265, much larger": {[]plan.Source{newer, small}, 0, 0},
		"H.265, of one size": {[]plan.Source{newer, main}, 1, 0},
		"JPEG beside H.264":  {[]plan.Source{pictures, small}, 1, 1},
		"JPEG alone":         {[]plan.Source{pictures}, 0, 0},
		"none":               {[]plan.Source{other}, -1, -1},
		"nothing":            {nil, -1, -1},
	} {
		best, lightest := plan.Rank(tt.list)
		assert.Equal(t, tt.best, best, name)
		assert.Equal(t, tt.lightest, lightest, name)
	}
}
