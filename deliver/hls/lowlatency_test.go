package hls_test

import (
	"fmt"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/hls"
	"webostrum/core/media"
	deliver "webostrum/deliver/hls"
	"webostrum/deliver/memfile"
	"webostrum/testkit/cutting"
	"webostrum/testkit/pictures"
)

// newLow is a feed with parts: three segments of 1 s, and a part of the fourth.
func newLow(t *testing.T) (f *feed, more func(frames int)) {
	t.Helper()
	g, err := cutting.New(hls.Config{Run: "run", Start: time.Unix(0, 0), Wanted: time.Second, Part: 200 * time.Millisecond, Listed: 3, Keep: memfile.Keep})
	require.NoError(t, err)
	track := pictures.Track(pictures.SPS)
	epoch, n := &media.Epoch{Tracks: []*media.Track{track}}, int64(0)
	more = func(frames int) {
		t.Helper()
		for range frames {
			data := pictures.Data(pictures.P(2000, byte(n)))
			if n%25 == 0 {
				data = pictures.Data(pictures.IDR(2000, byte(n)))
			}
			require.NoError(t, g.Write(&media.Sample{Epoch: epoch, Track: track, DTS: n * 3600, PTS: n * 3600, Captured: time.Now(), Key: n%25 == 0, Data: data}))
			n++
		}
	}
	more(3*25 + 6)
	return &feed{g: g}, more
}

const lowList = "original/list.m3u8"

// TestDirectivesThatCannotBe are answered with what is wrong.
func TestDirectivesThatCannotBe(t *testing.T) {
	f, _ := newLow(t)
	h := &deliver.Handler{Shared: true}
	for query, want := range map[string]string{
		"_HLS_msn=-1": "no media sequence number", "_HLS_msn=x": "no media sequence number", "_HLS_msn=": "no media sequence number", "_HLS_msn=99999999999999999999": "no media sequence number",
		"_HLS_part=1": "goes with _HLS_msn", "_HLS_msn=3&_HLS_part=-1": "no number of a part", "_HLS_msn=3&_HLS_part=9999999999": "no number of a part",
		"_HLS_msn=3&_HLS_skip=NO": "neither YES nor v2", "_HLS_msn=5000": "too far ahead", "_HLS_msn=3&_HLS_part=9": "too far ahead", "_HLS_msn=4&_HLS_part=9999": "too far ahead",
	} {
		res := ask(t, h, f, "GET", lowList, "?"+query)
		assert.Equal(t, 400, res.StatusCode, query)
		assert.Equal(t, "no-store", res.Header.Get("Cache-Control"), query)
		assert.Contains(t, string(body(t, res)), want, query)
	}
	for _, query := range []string{"_HLS_msn=0", "_HLS_msn=2", "_HLS_msn=2&_HLS_part=3", "_HLS_msn=3&_HLS_part=0", "_HLS_msn=3&_HLS_part=0&_HLS_skip=YES", "_HLS_skip=v2", "_HLS_msn=1&other=7"} {
		res := ask(t, h, f, "GET", lowList, "?"+query)
		assert.Equal(t, 200, res.StatusCode, query)
	}
}

// TestWhoWaitsIsAnswered when the part is there; a cache may keep that for as long as the
// standard says.
func TestWhoWaitsIsAnswered(t *testing.T) {
	f, more := newLow(t)
	h := &deliver.Handler{Shared: true}
	res := ask(t, h, f, "GET", lowList)
	assert.Equal(t, "public, max-age=1", res.Header.Get("Cache-Control"))
	answered := make(chan string)
	go func() {
		res := ask(t, h, f, "GET", lowList, "?_HLS_msn=3&_HLS_part=1")
		assert.Equal(t, "public, max-age=6", res.Header.Get("Cache-Control"), "six target durations")
		answered <- string(body(t, res))
	}()
	more(4)
	assert.Contains(t, <-answered, "run-3.1.m4s")
	res = ask(t, &deliver.Handler{}, f, "GET", lowList, "?_HLS_msn=3&_HLS_part=1")
	assert.Equal(t, "private, no-cache", res.Header.Get("Cache-Control"))
}

// TestThousandsThatLeave while they wait take nothing with them.
func TestThousandsThatLeave(t *testing.T) {
	f, more := newLow(t)
	h := &deliver.Handler{Shared: true}
	server := httptest.NewServer(handlerOf(h, f))
	defer server.Close()
	client := server.Client()
	client.Timeout = 50 * time.Millisecond
	done := make(chan struct{})
	for range 500 {
		go func() {
			_, err := client.Get(server.URL + "/" + lowList + "?_HLS_msn=4")
			assert.Error(t, err)
			done <- struct{}{}
		}()
	}
	for range 500 {
		<-done
	}
	more(25)
	res := ask(t, h, f, "GET", lowList)
	assert.Contains(t, string(body(t, res)), "run-3.m4s")
}

func TestPartsOverHTTP(t *testing.T) {
	f, more := newLow(t)
	h := &deliver.Handler{Shared: true}
	text := string(body(t, ask(t, h, f, "GET", lowList)))
	var joined []byte
	for _, m := range regexp.MustCompile(`URI="(run-2\.\d+\.m4s)"`).FindAllStringSubmatch(text, -1) {
		res := ask(t, h, f, "GET", "original/"+m[1])
		require.Equal(t, 200, res.StatusCode)
		assert.Equal(t, "public, max-age=86400, immutable", res.Header.Get("Cache-Control"))
		joined = append(joined, body(t, res)...)
	}
	whole := body(t, ask(t, h, f, "GET", "original/run-2.m4s"))
	assert.Equal(t, whole, joined)
	part := body(t, ask(t, h, f, "GET", "original/run-2.1.m4s"))
	res := ask(t, h, f, "GET", "original/run-2.1.m4s", "Range", "bytes=10-19")
	assert.Equal(t, 206, res.StatusCode)
	assert.Equal(t, part[10:20], body(t, res))

	hinted := regexp.MustCompile(`PRELOAD-HINT:TYPE=PART,URI="(\S+)"`).FindStringSubmatch(text)[1]
	got := make(chan []byte)
	go func() { got <- body(t, ask(t, h, f, "GET", "original/"+hinted)) }()
	more(10)
	early := <-got
	assert.Equal(t, early, body(t, ask(t, h, f, "GET", "original/"+hinted)), "what was sent while it was made is what it is")

	res = ask(t, h, f, "GET", "original/at-2.m4s")
	assert.Equal(t, whole, body(t, res), "by its number")
	assert.Equal(t, "public, max-age=6", res.Header.Get("Cache-Control"))
	assert.Equal(t, 200, ask(t, h, f, "GET", "original/at-init1.mp4").StatusCode)
	for _, name := range []string{"run-3.40.m4s", "earlier-2.1.m4s", "run-2.01.m4s", "at-x.m4s", "at-99999.m4s", "at-init7.mp4", strings.Repeat("9", 300)} {
		assert.Equal(t, 404, ask(t, h, f, "GET", "original/"+name).StatusCode, name)
	}
}

func TestManifest(t *testing.T) {
	f, _ := newLow(t)
	w := httptest.NewRecorder()
	(&deliver.Handler{Shared: true}).ServeDASH(w, httptest.NewRequest("GET", "/media/gate/dash.mpd", nil), f, "/media/gate/time?as=iso")
	assert.Equal(t, "application/dash+xml", w.Header().Get("Content-Type"))
	assert.Equal(t, "<MPD/>", w.Body.String())
	w = httptest.NewRecorder()
	(&deliver.Handler{}).ServeDASH(w, httptest.NewRequest("POST", "/media/gate/dash.mpd", nil), f, "")
	assert.Equal(t, 405, w.Code, fmt.Sprint(w.Header()))
}
