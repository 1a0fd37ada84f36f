package station

import (
	"fmt"
	"image/color"
	"net"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/source"
	"webostrum/store"
	"webostrum/testkit/pictures"
	"webostrum/testkit/webcam"
)

// TestAStreamThatBecomesOnePicture: a camera whose Motion JPEG ends, and that answers with
// a single picture from then on, stays live; this once ended the service.
func TestAStreamThatBecomesOnePicture(t *testing.T) {
	t.Parallel()
	st, _ := working(t)
	var asked atomic.Int32
	camera := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		picture := string(pictures.JPEG(64, 48, color.RGBA{R: uint8(asked.Add(1))}))
		if asked.Load() > 1 {
			webcam.Say(conn, fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Type: image/jpeg\r\nContent-Length: %d\r\nConnection: close\r\n\r\n%s", len(picture), picture))
			return
		}
		webcam.Say(conn, "HTTP/1.1 200 OK\r\nContent-Type: multipart/x-mixed-replace; boundary=cut\r\n\r\n")
		for range 60 {
			webcam.Say(conn, "--cut\r\nContent-Type: image/jpeg\r\n\r\n", picture, "\r\n")
			time.Sleep(40 * time.Millisecond)
		}
	})
	f, err := st.Add(store.Feed{Name: "yard", URL: camera.URL, Fetch: "auto", PollMillis: 100, Transport: "auto", SegmentMillis: 500, PlaylistLength: 3, Enabled: true})
	require.NoError(t, err)
	y := &yard{t: t, st: st, feed: f, ctx: soon(t)}
	y.until("is live", f.live)
	y.until("is polled", func() bool {
		s := f.Status()
		return s.Facts != nil && s.Facts.Transport == string(source.FetchPoll) && s.Condition.State == StateLive
	})
	assert.Zero(t, st.Panics())
}

// TestAPanicEndsOneTry of one feed, which is tried again; the others do not notice.
func TestAPanicEndsOneTry(t *testing.T) {
	t.Parallel()
	y := newYard(t, nil)
	before := y.st.Panics()
	y.st.halt(y.feed) // a feed has one run at a time
	run, err := y.feed.begin(y.feed.stored())
	require.NoError(t, err)
	defer y.feed.end(run)
	why := y.st.fault(barrier.Do(func() error { run.publish(&media.Sample{}); return nil }))
	assert.Equal(t, fault.Failed, why.Kind.Code)
	assert.Equal(t, before+1, y.st.Panics())
	assert.Positive(t, run.failed(why))
	assert.Equal(t, StateRetrying, y.feed.Condition().State)
}

// TestEventsAreBounded: a disk that takes its time holds nobody up.
func TestEventsAreBounded(t *testing.T) {
	t.Parallel()
	write, written := make(chan struct{}), 0
	var texts []string
	r := newRecorder(func(e store.Event) { <-write; written++; texts = append(texts, e.Text) })
	for i := range 3 * mostQueued {
		r.add(store.Event{Text: fmt.Sprint(i)})
	}
	close(write)
	r.close()
	r.add(store.Event{Text: "too late"})
	assert.LessOrEqual(t, written, 2*mostQueued+2, "those that wait, those that are being written, and a word on the others with each")
	assert.Contains(t, strings.Join(texts, "\n"), "events were left out")
	assert.Equal(t, "0", texts[0], "in order")
}
