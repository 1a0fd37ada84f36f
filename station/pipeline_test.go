package station

import (
	"context"
	"image/color"
	"net"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/jpeg"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
	server "webostrum/deliver/rtsp"
	"webostrum/station/pipeline"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
	"webostrum/testkit/pictures"
	"webostrum/testkit/webcam"
)

// yard is a feed of a Motion JPEG camera that is live, with the real worker.
type yard struct {
	t       *testing.T
	st      *Station
	records *store.Store
	feed    *Feed
	ctx     context.Context
	size    atomic.Int32 // pixels a side
	told    atomic.Int32 // requests for settings
}

func newYard(t *testing.T, change func(*store.Feed)) *yard {
	t.Helper()
	st, records := working(t)
	y := &yard{t: t, st: st, records: records}
	y.size.Store(64)
	camera := webcam.Serve(t, func(conn net.Conn, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/settings") {
			y.told.Add(1)
			webcam.Say(conn, "HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok")
			return
		}
		side := int(y.size.Load())
		webcam.Film(conn, 40*time.Millisecond, pictures.JPEG(side, side, color.RGBA{R: 200}), pictures.JPEG(side, side, color.RGBA{G: 200}))
	})
	record := store.Feed{Name: "yard", Title: "Yard", URL: camera.URL, Fetch: "auto", PollMillis: 2000, Transport: "auto", SegmentMillis: 500, PlaylistLength: 3, Enabled: true}
	if change != nil {
		change(&record)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	t.Cleanup(cancel)
	y.ctx = ctx
	feed, err := st.Add(record)
	require.NoError(t, err)
	y.feed = feed
	y.until("is live", func() bool { return y.feed.Condition().State == StateLive })
	return y
}

func (y *yard) until(what string, ok func() bool) {
	y.t.Helper()
	require.NoError(y.t, testkit.Eventually(y.ctx, ok), "%s; it is %+v", what, y.feed.Status())
}

// texts are the feed's events, newest first.
func (y *yard) texts() string {
	y.st.FlushEvents(y.ctx)
	events, err := y.records.Events(store.EventQuery{Feed: "yard", Limit: 100})
	require.NoError(y.t, err)
	var all []string
	for _, e := range events {
		all = append(all, e.Kind+": "+e.Text)
	}
	return strings.Join(all, "\n")
}

// made asks for a playlist as players do.
func (y *yard) made(name string) *hls.Track {
	y.t.Helper()
	g, err := y.feed.Track(y.ctx, name)
	require.NoError(y.t, err)
	return g
}

// multivariant is what players get first.
func multivariant(ctx context.Context, t *testing.T, f *Feed) string {
	t.Helper()
	text, _, err := f.Multivariant(ctx, "")
	require.NoError(t, err)
	return string(text.Plain)
}

func codeOf(t *testing.T, err error) fault.Code {
	t.Helper()
	var f *fault.Error
	require.ErrorAs(t, err, &f)
	return f.Kind.Code
}

// TestMadeWhileSomebodyWatches opens HLS of a JPEG camera: it is made, shared by
// all who ask, and ends when nobody does any more.
func TestMadeWhileSomebodyWatches(t *testing.T) {
	t.Parallel()
	y := newYard(t, nil)
	assert.False(t, y.feed.Status().Costs.Running, "nothing runs that nobody uses")
	list := multivariant(y.ctx, t, y.feed)
	assert.Contains(t, list, "RESOLUTION=64x64")
	assert.Contains(t, list, "automatic/list.m3u8")
	g := y.made(pipeline.Automatic)
	assert.Same(t, g, y.made(pipeline.Automatic))
	assert.Same(t, g, y.feed.Made(pipeline.Automatic))
	assert.Positive(t, y.feed.Status().Target)
	assert.Contains(t, y.texts(), "transcode: transcoding began: the camera sends JPEG")
	y.until("ends", func() bool { return y.feed.Made(pipeline.Automatic) == nil })
	y.until("is told", func() bool { return strings.Contains(y.texts(), "transcode: nobody watches automatic any more") })
	multivariant(y.ctx, t, y.feed) // and can be had again
}

func TestWhatCannotBeOpened(t *testing.T) {
	t.Parallel()
	y := newYard(t, func(f *store.Feed) {
		f.Renditions = []store.Rendition{{Name: "panel", Codec: "JPEG", Size: "1/2"}, {Name: "small", Codec: "H264", Size: "1/2"}}
	})
	for name, code := range map[string]fault.Code{hls.Original: fault.RenditionUnfit, "panel": fault.RenditionUnfit, "nope": fault.RenditionUnknown} {
		_, _, err := y.feed.Multivariant(y.ctx, name)
		assert.Equal(t, code, codeOf(t, err), name)
	}
	_, err := y.feed.JPEG(y.ctx, pipeline.JPEGRequest{Rendition: "small"})
	assert.Equal(t, fault.RenditionUnfit, codeOf(t, err))
	_, err = y.st.Edit("yard", "off", func(r *store.Feed) error { r.Enabled = false; return nil })
	require.NoError(t, err)
	_, _, err = y.feed.Multivariant(y.ctx, "")
	assert.Equal(t, fault.FeedOff, codeOf(t, err))
	_, err = y.feed.Still(y.ctx, pipeline.JPEGRequest{}, 0)
	assert.Equal(t, fault.FeedOff, codeOf(t, err))
}

// TestAnEditedRenditionIsMadeAnew without the camera being opened anew.
func TestAnEditedRenditionIsMadeAnew(t *testing.T) {
	t.Parallel()
	y := newYard(t, func(f *store.Feed) { f.Renditions = []store.Rendition{{Name: "small", Codec: "H264", Size: "32x"}} })
	run := y.feed.Status().Run
	y.made("small")
	_, err := y.st.Edit("yard", "edited", func(r *store.Feed) error { r.Renditions[0].Size = "48x"; return nil })
	require.NoError(t, err)
	small, ok := y.made("small").Measured()
	require.True(t, ok)
	assert.Equal(t, [2]int{48, 48}, [2]int{small.Width, small.Height})
	assert.Equal(t, run, y.feed.Status().Run)
}

// TestPicturesPassThrough gives out the camera's own bytes, and transcodes only
// what is asked to be another.
func TestPicturesPassThrough(t *testing.T) {
	t.Parallel()
	y := newYard(t, nil)
	s, err := y.feed.Still(y.ctx, pipeline.JPEGRequest{}, 0)
	require.NoError(t, err)
	assert.Contains(t, [][]byte{pictures.JPEG(64, 64, color.RGBA{R: 200}), pictures.JPEG(64, 64, color.RGBA{G: 200})}, s.Data)
	p, err := y.feed.JPEG(y.ctx, pipeline.JPEGRequest{FrameRate: 2})
	require.NoError(t, err)
	assert.Equal(t, 2.0, p.FrameRate)
	p.Release()
	assert.False(t, y.feed.Status().Costs.Running, "fewer pictures need no transcoding")

	s, err = y.feed.Still(y.ctx, pipeline.JPEGRequest{Size: rendition.Size{Width: 32}}, time.Minute)
	require.NoError(t, err)
	h, err := jpeg.Parse(s.Data)
	require.NoError(t, err)
	assert.Equal(t, 32, h.Width)
	again, err := y.feed.Still(y.ctx, pipeline.JPEGRequest{Size: rendition.Size{Width: 32}}, time.Minute)
	require.NoError(t, err)
	assert.Same(t, s, again, "one up to a minute old will do")
	_, err = y.feed.Still(y.ctx, pipeline.JPEGRequest{Size: rendition.Size{Width: 5000}}, 0)
	assert.Equal(t, fault.TooLarge, codeOf(t, err))
}

// TestPicturesOfOnePixel are made as small as the codec can.
func TestPicturesOfOnePixel(t *testing.T) {
	t.Parallel()
	y := newYard(t, nil)
	y.size.Store(1)
	_, err := y.st.Restart("yard")
	require.NoError(t, err)
	y.until("is one pixel large", func() bool { return y.feed.Status().Width == 1 })
	assert.Contains(t, multivariant(y.ctx, t, y.feed), "RESOLUTION=16x16")
}

// TestSettingsOfTheFeed are what pictures follow when nothing else is asked for.
func TestSettingsOfTheFeed(t *testing.T) {
	t.Parallel()
	y := newYard(t, func(f *store.Feed) { f.PictureSize = "1/2" })
	s, err := y.feed.Still(y.ctx, pipeline.JPEGRequest{}, 0)
	require.NoError(t, err)
	assert.Equal(t, media.JPEG, s.Track.Codec)
	assert.Equal(t, 32, s.Track.Width)
}

// TestRequestsGoBeforeEachConnection counts them over a restart.
func TestRequestsGoBeforeEachConnection(t *testing.T) {
	t.Parallel()
	y := newYard(t, func(f *store.Feed) {
		f.Requests = []store.CameraRequest{
			{Name: "size", Method: "GET", Target: "/settings?size=vga", AtConnection: true},
			{Name: "by-hand", Method: "GET", Target: "/settings?heater=on"},
		}
	})
	assert.EqualValues(t, 1, y.told.Load())
	_, err := y.st.Restart("yard")
	require.NoError(t, err)
	y.until("is told again", func() bool { return y.told.Load() == 2 })
	_, err = y.st.RunRequest(y.ctx, "yard", "by-hand")
	require.NoError(t, err)
	assert.EqualValues(t, 3, y.told.Load())
	assert.Contains(t, y.texts(), `request: camera request "by-hand" (GET /settings): answered 200`)
	_, err = y.st.RunRequest(y.ctx, "yard", "nope")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// TestSmallerRenditions: what a viewer over a poor connection gets is smaller than what it has,
// which of a camera that sends JPEG is the automatic rendition.
func TestSmallerRenditions(t *testing.T) {
	t.Parallel()
	y := newYard(t, func(f *store.Feed) {
		f.Renditions = []store.Rendition{
			{Name: "tiny", Codec: string(media.H264), BitRate: 60_000},
			{Name: "pictures", Codec: string(media.JPEG)},
			{Name: "huge", Codec: string(media.H264), BitRate: 4_000_000},
			{Name: "middle", Codec: string(media.H264), BitRate: 80_000},
		}
	})
	v, err := y.feed.Stream(y.ctx, pipeline.Ask{Delivery: plan.WebRTC})
	require.NoError(t, err)
	defer v.Release()
	assert.Equal(t, pipeline.Automatic, v.Name)
	assert.Equal(t, []string{"middle", "tiny"}, y.feed.Smaller(v.Name), "the automatic one takes 150 kbit/s, the least that is made unasked")
	assert.Equal(t, []string{"middle", "tiny"}, y.feed.Smaller("huge"))
	assert.Equal(t, []string{"tiny"}, y.feed.Smaller("middle"))
	assert.Empty(t, y.feed.Smaller("tiny"))
	y.until("the camera's own rate is known", func() bool { return y.feed.Status().BitRate > 0 })
	assert.NotContains(t, y.feed.Smaller(""), "huge")
}

// TestReorderedFramesAreTranscodedForWebRTC has a camera with B pictures: HLS takes
// them as they are, browsers do not by WebRTC.
func TestReorderedFramesAreTranscodedForWebRTC(t *testing.T) {
	t.Parallel()
	st, _ := working(t)
	_, url := cam.ServeReordered(t, server.Config{})
	f, err := st.Add(store.Feed{Name: "bridge", URL: url, Transport: "tcp", SegmentMillis: 500, PlaylistLength: 3, Enabled: true})
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool { s := f.Status(); return s.Facts != nil && s.Facts.B }))
	v, err := f.Stream(ctx, pipeline.Ask{Delivery: plan.WebRTC})
	require.NoError(t, err)
	defer v.Release()
	assert.Contains(t, v.Why, "B-frames")
	reader := v.Hub.NewReader()
	defer reader.Close()
	last := int64(-1)
	for range 30 {
		s, _, err := reader.Next(ctx)
		require.NoError(t, err)
		assert.Greater(t, s.PTS, last, "in the order in which they are shown")
		last = s.PTS
		assert.Zero(t, s.Track.Video.Reorder)
		assert.Equal(t, [2]int{320, 240}, [2]int{s.Track.Width, s.Track.Height})
	}
	assert.Contains(t, multivariant(ctx, t, f), "avc1.6400", "HLS has the camera's own")
}

// TestStrangersShareWhatIsMade and leave room for those who were let in.
func TestStrangersShareWhatIsMade(t *testing.T) {
	t.Parallel()
	y := newYard(t, func(f *store.Feed) { f.Renditions = []store.Rendition{{Name: "panel", Codec: "JPEG", Size: "1/2"}} })
	made := func() int { return len(y.feed.Status().Costs.Outputs) }
	for q := 1; q <= 100; q += 3 {
		j, err := y.feed.JPEG(y.ctx, pipeline.JPEGRequest{Quality: q, FrameRate: float64(q), Stranger: true})
		require.NoError(t, err)
		defer j.Release()
		assert.Equal(t, float64(q), j.FrameRate, "what is made for all is thinned out where it is sent")
	}
	assert.Equal(t, 2, made())
	var last error
	for w := 320; w <= 1920; w += 10 {
		j, err := y.feed.JPEG(y.ctx, pipeline.JPEGRequest{Size: rendition.Size{Width: w}, Stranger: true})
		if last = err; err != nil {
			break
		}
		defer j.Release()
	}
	assert.Equal(t, fault.TranscodingRefused, codeOf(t, last))
	assert.Equal(t, 4, made())
	for q := 1; last == nil || made() < 8; q++ {
		j, err := y.feed.JPEG(y.ctx, pipeline.JPEGRequest{Quality: q})
		require.NoError(t, err, "somebody who was let in")
		defer j.Release()
	}
	_, err := y.feed.JPEG(y.ctx, pipeline.JPEGRequest{Quality: 77})
	assert.Equal(t, fault.TranscodingRefused, codeOf(t, err))
	j, err := y.feed.JPEG(y.ctx, pipeline.JPEGRequest{Rendition: "panel", Stranger: true})
	require.NoError(t, err, "a rendition always has room")
	j.Release()
}
