package rendition_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/rendition"
)

func TestSizes(t *testing.T) {
	tests := []struct {
		asked string
		from  [2]int
		codec media.Codec
		want  [2]int
		note  string
	}{
		{"", [2]int{1280, 720}, media.H264, [2]int{1280, 720}, ""},
		{"", [2]int{641, 361}, media.H264, [2]int{640, 360}, "the camera's 641x361 asked, 640x360 made: width and height must be even"},
		{"", [2]int{641, 361}, media.JPEG, [2]int{641, 361}, ""},
		{"640x360", [2]int{1280, 720}, media.H264, [2]int{640, 360}, ""},
		{"533x300", [2]int{1280, 720}, media.H264, [2]int{532, 300}, "533x300 asked, 532x300 made: the width must be even"},
		{"333x188", [2]int{1280, 720}, media.H264, [2]int{332, 188}, "333x188 asked, 332x188 made: the width must be even"},
		{"533x300", [2]int{1280, 720}, media.JPEG, [2]int{533, 300}, ""},
		{"500x500", [2]int{1280, 720}, media.H264, [2]int{500, 282}, "500x500 asked, 500x282 made: the picture keeps its shape, and the height must be even"},
		{"500x500", [2]int{1280, 720}, media.JPEG, [2]int{500, 281}, "500x500 asked, 500x281 made: the picture keeps its shape"},
		{"640x", [2]int{1280, 720}, media.H264, [2]int{640, 360}, ""},
		{"641x", [2]int{1280, 720}, media.H264, [2]int{640, 360}, "641 pixels wide asked, 640x360 made: width and height must be even"},
		{"x300", [2]int{1280, 720}, media.H264, [2]int{534, 300}, ""},
		{"1/2", [2]int{1280, 720}, media.H264, [2]int{640, 360}, ""},
		{"33%", [2]int{1280, 720}, media.H264, [2]int{422, 238}, ""},
		{"1/3", [2]int{1280, 720}, media.H264, [2]int{426, 240}, "33.3333% asked, 426x240 made: the width must be even"},
		{"2x2", [2]int{1280, 720}, media.H264, [2]int{16, 16}, "2x2 asked, 16x16 made: H.264 can be no smaller than 16 pixels a side"},
		{"9000x", [2]int{1280, 720}, media.H264, [2]int{4096, 2304}, "9000 pixels wide asked, 4096x2304 made: H.264 can be no larger"},
		{"x720", [2]int{720, 1280}, media.H264, [2]int{404, 720}, ""},
	}
	for _, tt := range tests {
		s, err := rendition.ParseSize(tt.asked)
		require.NoError(t, err, tt.asked)
		w, h, note := s.Fit(tt.from[0], tt.from[1], tt.codec)
		assert.Equal(t, tt.want, [2]int{w, h}, tt.asked)
		assert.Equal(t, tt.note, note, tt.asked)
	}
}

func TestSizesThatAreNone(t *testing.T) {
	for _, text := range []string{"x", "640", "0x0", "-1x5", "1/0", "0/2", "500%", "a%", "640x360x2", "1000000x", "NaN%", "1/NaN"} {
		_, err := rendition.ParseSize(text)
		assert.ErrorContains(t, err, "640x360", "%q: the answer shows how", text)
	}
}

func TestRenditionsAreFilledIn(t *testing.T) {
	o, note := rendition.Rendition{Codec: media.H264}.Resolve(1280, 720)
	assert.Empty(t, note)
	assert.NoError(t, o.Validate())
	assert.Equal(t, rendition.Encoding{Codec: media.H264, Width: 1280, Height: 720, BitRate: 2_304_000, KeyMillis: 2000, Profile: rendition.Baseline}, o)
	o, _ = rendition.Rendition{Codec: media.JPEG, BitRate: 5}.Resolve(1280, 720)
	assert.Equal(t, rendition.Encoding{Codec: media.JPEG, Width: 1280, Height: 720, Quality: 80}, o)

	for want, r := range map[string]rendition.Rendition{
		"0.01 to 120":            {Codec: media.JPEG, FrameRate: 500},
		"10,000 to 100,000,000":  {Codec: media.H264, BitRate: 5},
		"100 to 600,000":         {Codec: media.H264, KeySeconds: 0.01},
		"neither baseline":       {Codec: media.H264, Profile: "high"},
		"1 to 100":               {Codec: media.JPEG, Quality: 101},
		"no encoder":             {Codec: media.H265},
		"hundredths":             {Codec: media.JPEG, Text: &rendition.Text{Size: 90, Corner: rendition.TopLeft}},
		"is not one of top-left": {Codec: media.JPEG, Text: &rendition.Text{Size: 5, Corner: "middle"}},
		"more than 200 bytes":    {Codec: media.JPEG, Text: &rendition.Text{Size: 5, Corner: rendition.TopLeft, Template: string(make([]byte, 300))}},
	} {
		assert.ErrorContains(t, r.Validate(), want)
	}
}

// TestPacer counts what is left of 25 frames a second that come unevenly.
func TestPacer(t *testing.T) {
	for _, tt := range []struct {
		rate  float64
		every time.Duration
		want  int
	}{{0, 40 * time.Millisecond, 250}, {10, 40 * time.Millisecond, 100}, {25, 40 * time.Millisecond, 250}, {24, 40 * time.Millisecond, 241}, {1, 40 * time.Millisecond, 10}, {60, 40 * time.Millisecond, 250}, {1, 5 * time.Second, 250}} {
		p := rendition.Pacer{Rate: tt.rate}
		count := 0
		for i := range 250 {
			jitter := time.Duration(i%3) * 2 * time.Millisecond
			if p.Take(time.Hour + time.Duration(i)*tt.every + jitter) {
				count++
			}
		}
		assert.InDelta(t, tt.want, count, 2, "%g a second", tt.rate)
	}
	p := rendition.Pacer{Rate: 1}
	assert.True(t, p.Take(time.Hour))
	assert.True(t, p.Take(time.Minute), "a clock that was set back begins anew")
	assert.False(t, p.Take(time.Minute+100*time.Millisecond))
}

func FuzzSize(f *testing.F) {
	for _, s := range []string{"640x360", "1/2", "50%", "x300", ""} {
		f.Add(s, 1280, 720)
	}
	f.Fuzz(func(t *testing.T, text string, w, h int) {
		size, err := rendition.ParseSize(text)
		if err != nil || w < 1 || h < 1 || w > 16384 || h > 16384 {
			return
		}
		again, err := rendition.ParseSize(size.String())
		require.NoError(t, err, "%q is read again", size.String())
		for _, codec := range []media.Codec{media.H264, media.JPEG} {
			ow, oh, _ := size.Fit(w, h, codec)
			o := rendition.Encoding{Codec: codec, Width: ow, Height: oh, BitRate: 10_000, KeyMillis: 1000, Profile: rendition.Main, Quality: 1}
			require.NoError(t, o.Validate(), "%q of %dx%d", text, w, h)
			aw, ah, _ := again.Fit(w, h, codec)
			require.InDelta(t, ow, aw, 2)
			require.InDelta(t, oh, ah, 2)
		}
	})
}
