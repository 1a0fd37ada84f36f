package codecs_test

import (
	"bytes"
	"image"
	"image/color"
	stdjpeg "image/jpeg"
	"io"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/codecs"
	"webostrum/core/h264"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

const step = 40 * time.Millisecond

// coded is one message of the worker.
type coded struct {
	workerproto.Stamp
	data []byte
}

// work runs the worker on orders and returns what it made, the last tally, and
// why it ended.
func work(t *testing.T, send func(*workerproto.Conn)) (made []coded, tally workerproto.Tally, failed string, err error) {
	t.Helper()
	var in, out bytes.Buffer
	send(workerproto.NewConn(nil, &in))
	err = codecs.Serve(&in, &out)
	conn := workerproto.NewConn(&out, nil)
	for {
		kind, body, e := conn.Read()
		if e == io.EOF {
			return made, tally, failed, err
		}
		require.NoError(t, e)
		switch kind {
		case workerproto.KindCoded:
			s, data, e := workerproto.ReadStamped(body)
			require.NoError(t, e)
			made = append(made, coded{s, bytes.Clone(data)})
		case workerproto.KindTally:
			require.NoError(t, workerproto.ReadJSON(body, &tally))
		case workerproto.KindFailed:
			failed = string(body)
		}
	}
}

// grey is a raw picture whose luma is about one value.
func grey(w, h int, luma byte) []byte {
	b := bytes.Repeat([]byte{128}, workerproto.RawSize(w, h))
	for i := range w * h {
		b[i] = luma + byte(i%13)
	}
	return b
}

func stamp(i int) workerproto.Stamp {
	return workerproto.Stamp{PTS: int64(i) * 3600, Captured: time.Unix(1, 0).Add(time.Duration(i) * step).UnixNano()}
}

func rawInput(w, h int) workerproto.Input {
	return workerproto.Input{Codec: workerproto.Raw, Width: w, Height: h}
}

func video(number uint32, w, h int) workerproto.Output {
	return workerproto.Output{Number: number, Encoding: rendition.Encoding{Codec: media.H264, Width: w, Height: h, BitRate: 500_000, KeyMillis: 200, Profile: rendition.Baseline}}
}

func still(number uint32, w, h int) workerproto.Output {
	return workerproto.Output{Number: number, Encoding: rendition.Encoding{Codec: media.JPEG, Width: w, Height: h, Quality: 90}}
}

// colourful is a JPEG picture in colours of which some clip when range or matrix are
// mistaken.
func colourful(t *testing.T, w, h int) []byte {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.Set(x, y, []color.RGBA{{200, 30, 30, 255}, {30, 180, 60, 255}, {250, 250, 250, 255}, {5, 5, 5, 255}}[x*4/w])
		}
	}
	var b bytes.Buffer
	require.NoError(t, stdjpeg.Encode(&b, img, &stdjpeg.Options{Quality: 95}))
	return b.Bytes()
}

func TestOneDecodeManyRenditions(t *testing.T) {
	const pictures = 12
	slow := still(3, 80, 60)
	slow.FrameRate = 5
	made, _, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindInput, rawInput(320, 240)))
		for _, o := range []workerproto.Output{video(1, 320, 240), video(2, 160, 120), slow} {
			require.NoError(t, c.WriteJSON(workerproto.KindOutput, o))
		}
		for i := range pictures {
			s := stamp(i)
			s.Late = i == 4
			require.NoError(t, c.WriteStamped(workerproto.KindFrame, s, grey(320, 240, byte(40+i))))
		}
		require.NoError(t, c.WriteJSON(workerproto.KindEndOutput, workerproto.Output{Number: 1}))
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(pictures), grey(320, 240, 40)))
	})
	require.NoError(t, err, failed)
	count, keys := map[uint32]int{}, map[uint32]int{}
	for _, m := range made {
		count[m.Output]++
		if m.Key {
			keys[m.Output]++
		}
		assert.NotEqual(t, int64(4*3600), m.PTS, "late pictures are not coded")
		if m.Key && m.Output == 2 {
			look(t, m.data, 160, 120)
		}
	}
	assert.Equal(t, pictures-1, count[1], "not made after its end")
	assert.Equal(t, pictures, count[2])
	assert.Equal(t, 3, keys[2], "a keyframe every 200 ms")
	assert.Equal(t, 3, count[3], "5 a second of 25")
}

// TestAPictureSentAgainIsMadeOnce: it is sent again for an output that was added after it.
func TestAPictureSentAgainIsMadeOnce(t *testing.T) {
	made, _, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindInput, rawInput(64, 48)))
		require.NoError(t, c.WriteJSON(workerproto.KindOutput, video(1, 64, 48)))
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(0), grey(64, 48, 40)))
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(1), grey(64, 48, 41)))
		require.NoError(t, c.WriteJSON(workerproto.KindOutput, still(2, 64, 48)))
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(1), grey(64, 48, 41)))
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(2), grey(64, 48, 42)))
	})
	require.NoError(t, err, failed)
	times := map[uint32][]int64{}
	for _, m := range made {
		times[m.Output] = append(times[m.Output], m.PTS)
	}
	assert.Equal(t, map[uint32][]int64{1: {0, 3600, 7200}, 2: {3600, 7200}}, times)
}

// look checks a keyframe: parameter sets of the right size in front of it.
func look(t *testing.T, data []byte, w, h int) {
	t.Helper()
	var kinds []h264.NALType
	for nal := range nalu.Units(data) {
		kinds = append(kinds, h264.TypeOf(nal))
		if h264.TypeOf(nal) == h264.NALSPS {
			sps, err := h264.ParseSPS(nal)
			require.NoError(t, err)
			assert.Equal(t, [2]int{w, h}, [2]int{sps.Width, sps.Height})
			assert.Equal(t, "Constrained Baseline", sps.ProfileName())
			assert.Zero(t, sps.Reorder)
		}
	}
	assert.Subset(t, kinds, []h264.NALType{h264.NALSPS, h264.NALPPS, h264.NALIDR})
}

// split takes the parameter sets out of a keyframe.
func split(t *testing.T, data []byte) (config *media.VideoConfig, picture []byte) {
	t.Helper()
	var k h264.ParamKeeper
	for nal := range nalu.Units(data) {
		if typ := h264.TypeOf(nal); typ == h264.NALSPS || typ == h264.NALPPS {
			require.NoError(t, k.Add(nal))
			continue
		}
		picture = nalu.Append(picture, nal)
	}
	return k.Current(), picture
}

// TestColoursThroughAllCodecs has JPEG made H.264 and that JPEG again: colours
// stay what they were, and no picture is held back.
func TestColoursThroughAllCodecs(t *testing.T) {
	for _, profile := range []rendition.Profile{rendition.Baseline, rendition.Main} {
		out := video(1, 320, 240)
		out.Profile, out.BitRate = profile, 2_000_000
		videos, _, failed, err := work(t, func(c *workerproto.Conn) {
			require.NoError(t, c.WriteJSON(workerproto.KindInput, workerproto.Input{Codec: media.JPEG, Width: 320, Height: 240}))
			require.NoError(t, c.WriteJSON(workerproto.KindOutput, out))
			for i := range 4 {
				require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(i), colourful(t, 320, 240)))
			}
			require.NoError(t, c.WriteStamped(workerproto.KindRepeat, stamp(4), nil))
		})
		require.NoError(t, err, failed)
		require.Len(t, videos, 5, "one was repeated")
		sets, _ := split(t, videos[0].data)
		sps, err := h264.ParseSPS(sets.Sets[0])
		require.NoError(t, err)
		assert.True(t, sps.FullRange && sps.BT601(sps.Height), "the stream says what its colours mean")

		stills, _, failed, err := work(t, func(c *workerproto.Conn) {
			in := workerproto.Input{Codec: media.H264, Width: 320, Height: 240, Sets: sets.Sets}
			require.NoError(t, c.WriteJSON(workerproto.KindInput, in))
			require.NoError(t, c.WriteJSON(workerproto.KindOutput, still(9, 160, 120)))
			for _, v := range videos {
				_, data := split(t, v.data)
				require.NoError(t, c.WriteStamped(workerproto.KindFrame, v.Stamp, data))
			}
		})
		require.NoError(t, err, failed)
		require.Len(t, stills, 5, "%s: no picture is held back", profile)
		img, err := stdjpeg.Decode(bytes.NewReader(stills[4].data))
		require.NoError(t, err)
		assert.Equal(t, image.Rect(0, 0, 160, 120), img.Bounds())
		for i, want := range [][3]int{{200, 30, 30}, {30, 180, 60}, {250, 250, 250}, {5, 5, 5}} {
			r, g, b, _ := img.At(20+i*40, 60).RGBA()
			for j, got := range []uint32{r >> 8, g >> 8, b >> 8} {
				assert.InDelta(t, want[j], int(got), 12, "%s: column %d, channel %d", profile, i, j)
			}
		}
	}
}

// TestLimitedRangeBecomesJPEG has the worker make a still of video whose black
// is 16 and whose white is 235.
func TestLimitedRangeBecomesJPEG(t *testing.T) {
	const w, h = 64, 48
	raw := bytes.Repeat([]byte{128}, workerproto.RawSize(w, h))
	for i := range w * h {
		raw[i] = []byte{16, 235}[i%w*2/w]
	}
	made, _, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindInput, rawInput(w, h)))
		require.NoError(t, c.WriteJSON(workerproto.KindOutput, still(1, 63, 47)))
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(0), raw))
	})
	require.NoError(t, err, failed)
	require.Len(t, made, 1)
	img, err := stdjpeg.Decode(bytes.NewReader(made[0].data))
	require.NoError(t, err)
	assert.Equal(t, image.Rect(0, 0, 63, 47), img.Bounds(), "odd sizes are fine in JPEG")
	black, _, _, _ := img.At(8, 20).RGBA()
	white, _, _, _ := img.At(55, 20).RGBA()
	assert.InDelta(t, 0, int(black>>8), 4)
	assert.InDelta(t, 255, int(white>>8), 4)
}

func TestTextIsDrawn(t *testing.T) {
	const w, h = 320, 180
	o := still(1, w, h)
	o.Text = &rendition.Text{Template: "{place} {date} {time}", Place: "Winch room", Corner: rendition.BottomRight, Size: 8}
	made, _, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindInput, rawInput(w, h)))
		require.NoError(t, c.WriteJSON(workerproto.KindOutput, o))
		require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(0), grey(w, h, 100)))
	})
	require.NoError(t, err, failed)
	require.Len(t, made, 1)
	img, err := stdjpeg.Decode(bytes.NewReader(made[0].data))
	require.NoError(t, err)
	count := func(r image.Rectangle) (white, black int) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				switch v, _, _, _ := img.At(x, y).RGBA(); {
				case v>>8 > 220:
					white++
				case v>>8 < 40:
					black++
				}
			}
		}
		return white, black
	}
	white, black := count(image.Rect(w/2, h*3/4, w, h))
	assert.Greater(t, white, 150)
	assert.Greater(t, black, 150)
	white, black = count(image.Rect(0, 0, w, h/2))
	assert.Zero(t, white+black)
}

// TestBrokenPicturesCostThemselvesOnly feeds damage between good pictures.
func TestBrokenPicturesCostThemselvesOnly(t *testing.T) {
	good := colourful(t, 64, 48)
	made, tally, failed, err := work(t, func(c *workerproto.Conn) {
		require.NoError(t, c.WriteJSON(workerproto.KindInput, workerproto.Input{Codec: media.JPEG, Width: 64, Height: 48}))
		require.NoError(t, c.WriteJSON(workerproto.KindOutput, still(1, 64, 48)))
		for i, data := range [][]byte{good[:len(good)/8], []byte("no picture"), {}, good} {
			require.NoError(t, c.WriteStamped(workerproto.KindFrame, stamp(i), data))
		}
	})
	require.NoError(t, err, failed)
	require.Len(t, made, 1)
	assert.Equal(t, int64(3*3600), made[0].PTS)
	assert.NotEmpty(t, tally.LastError, "the first tally comes with the first picture")
}

func TestEndsWithAReason(t *testing.T) {
	tests := map[string]func(*workerproto.Conn){
		"before any input": func(c *workerproto.Conn) { _ = c.WriteStamped(workerproto.KindFrame, stamp(0), nil) },
		"want 4608": func(c *workerproto.Conn) {
			_ = c.WriteJSON(workerproto.KindInput, rawInput(64, 48))
			_ = c.WriteStamped(workerproto.KindFrame, stamp(0), make([]byte, 7))
		},
		"both sides must be even": func(c *workerproto.Conn) { _ = c.WriteJSON(workerproto.KindOutput, video(1, 641, 361)) },
		"kind 77":                 func(c *workerproto.Conn) { _ = c.Write(77) },
		"more than 16 outputs": func(c *workerproto.Conn) {
			for i := range uint32(20) {
				_ = c.WriteJSON(workerproto.KindOutput, still(i, 16, 16))
			}
		},
		"cannot be decoded": func(c *workerproto.Conn) {
			_ = c.WriteJSON(workerproto.KindInput, workerproto.Input{Codec: media.H264, Width: 16, Height: 16, Sets: [][]byte{{0x67, 100, 0, 10, 0xf9, 0x79, 0x2c, 0x80}}})
		},
	}
	for want, send := range tests {
		_, _, failed, err := work(t, send)
		require.Error(t, err, want)
		if want != "cannot be decoded" {
			assert.Contains(t, failed, want)
		}
		assert.True(t, strings.TrimSpace(failed) != "", want)
	}
}

// TestWorkersSideBySide makes sure that nothing is shared between two.
func TestWorkersSideBySide(t *testing.T) {
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			made, _, _, err := work(t, func(c *workerproto.Conn) {
				_ = c.WriteJSON(workerproto.KindInput, rawInput(64, 48))
				_ = c.WriteJSON(workerproto.KindOutput, video(1, 64, 48))
				for i := range 20 {
					_ = c.WriteStamped(workerproto.KindFrame, stamp(i), grey(64, 48, byte(i)))
				}
			})
			assert.NoError(t, err)
			assert.Len(t, made, 20)
		})
	}
	wg.Wait()
}
