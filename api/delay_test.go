package api_test

import (
	"bufio"
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
)

// firstState is what a player is told first.
func (w *world) firstState(query string) apitypes.FeedState {
	w.t.Helper()
	res, err := http.Get(w.url + "/media/gate/state" + query)
	require.NoError(w.t, err)
	defer func() { _ = res.Body.Close() }()
	require.Equal(w.t, 200, res.StatusCode)
	lines := bufio.NewScanner(res.Body)
	for lines.Scan() {
		if text, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
			var s apitypes.FeedState
			require.NoError(w.t, json.Unmarshal([]byte(text), &s))
			return s
		}
	}
	w.t.Fatal("nothing was told")
	return apitypes.FeedState{}
}

// TestTheServiceSaysHowToPlay by what the feed has and the page asks.
func TestTheServiceSaysHowToPlay(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", true)
	w.live("gate")
	c := w.engineerClient()
	s := w.firstState("")
	assert.Equal(t, []string{"hls", "fragments", "webrtc", "motion-jpeg"}, s.Play.Order)
	assert.Equal(t, 2.0, s.Play.Within)
	assert.Positive(t, s.Play.Ahead["hls"])
	assert.Equal(t, "webrtc", w.firstState("?within=0.1").Play.Order[0])
	assert.Equal(t, "motion-jpeg", w.firstState("?prefer=simple").Play.Order[0])
	for _, wrong := range []string{"prefer=best", "within=-1", "within=x", "within=1e9", "within=NaN"} {
		res, body := w.do("GET", "/media/gate/state?"+wrong, "", nil)
		assert.Equal(t, 422, res.StatusCode, wrong)
		assert.Contains(t, body, "in the address's query", wrong)
	}
	_, err := c.AddRendition(t.Context(), "gate", apitypes.NewRendition{Name: "small", Codec: "H264", Size: "1/2"})
	require.NoError(t, err)
	s = w.firstState("")
	require.Len(t, s.Renditions, 2)
	assert.Equal(t, apitypes.ShownRendition{Name: "small", Codec: "H264", Width: 160, Height: 120}, s.Renditions[1])
}

// TestLengthsThatCannotBe are refused with what can be had.
func TestLengthsThatCannotBe(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", true)
	c := w.engineerClient()
	for field, refused := range map[string]struct {
		v    float64
		want string
	}{"segmentSeconds": {0.2, "0.5 to 60 s"}, "partSeconds": {0.01, "0.05 s to half a segment"}, "playlistLength": {2, "3 to 64"}, "within": {-1, "cannot be used"}} {
		_, err := c.EditFeed(t.Context(), "gate", client.Patch{"delivery": client.Patch{field: refused.v}})
		assert.ErrorContains(t, err, refused.want, field)
	}
	f, err := c.EditFeed(t.Context(), "gate", client.Patch{"delivery": client.Patch{"within": 0.3, "segmentSeconds": 1}})
	require.NoError(t, err)
	assert.Equal(t, 0.3, f.Delivery.Within)
	w.live("gate")
	p, err := c.Plan(t.Context(), "gate", client.PlanQuery{})
	require.NoError(t, err)
	assert.Equal(t, 0.5, p.Lengths.Nearest, "the nearest that works is taken, and said")
	assert.Contains(t, strings.Join(p.Lengths.Notes, " "), "Segments of 1s are set by hand")
}

func TestDeliveriesByHTTP(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", true)
	w.live("gate")
	for path, kind := range map[string]string{"live.mp4?audio=off": "video/mp4; codecs=", "time?as=iso": "text/plain"} {
		res, err := http.Get(w.url + "/media/gate/" + path)
		require.NoError(t, err)
		assert.Equal(t, 200, res.StatusCode, path)
		assert.True(t, strings.HasPrefix(res.Header.Get("Content-Type"), kind), path)
		require.NoError(t, res.Body.Close())
	}
	w.eventually("the manifest is there", func() bool {
		res, body := w.do("GET", "/media/gate/dash.mpd", "", nil)
		return res.StatusCode == 200 && strings.Contains(body, "hls/$RepresentationID$/at-$Number$.m4s")
	})
	for path, status := range map[string]int{"live.mp4?audio=loud": 422, "live.mp4?rendition=none": 404, "hls/none/at-1.m4s": 404, "hls/original/list.m3u8?_HLS_msn=x": 400} {
		res, _ := w.do("GET", "/media/gate/"+path, "", nil)
		assert.Equal(t, status, res.StatusCode, path)
	}
}
