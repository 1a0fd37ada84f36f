package station_test

import (
	"context"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/media"
	server "webostrum/deliver/rtsp"
	"webostrum/station"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
)

func TestMain(m *testing.M) {
	// database/sql keeps a goroutine for each open database until it is closed.
	goleak.VerifyTestMain(m)
}

func open(t *testing.T) (*station.Station, *store.Store) {
	t.Helper()
	records, err := store.Open(t.TempDir())
	require.NoError(t, err)
	st, err := station.Open(station.Config{Store: records, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	t.Cleanup(func() { st.Close(); assert.NoError(t, records.Close()) })
	return st, records
}

func record(url string) store.Feed {
	return store.Feed{Name: "gate", Title: "Gate", URL: url, Transport: "auto", SegmentMillis: 500, PlaylistLength: 3, Enabled: true}
}

// eventually waits until a feed's status is as wanted.
func eventually(t *testing.T, f *station.Feed, what string, ok func(station.Status) bool) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	err := testkit.Eventually(ctx, func() bool { return ok(f.Status()) })
	require.NoError(t, err, "%s; it is %+v", what, f.Status().Condition)
}

func isState(want station.State) func(station.Status) bool {
	return func(s station.Status) bool { return s.Condition.State == want }
}

// switches is a camera that can be made to misbehave.
type switches struct{ refuse, freeze atomic.Bool }

func (s *switches) policy() server.Policy { return server.Policy{RefuseAll: s.refuse.Load()} }
func (s *switches) filter(_ *media.Track, p [][]byte) [][]byte {
	if s.freeze.Load() {
		return nil
	}
	return p
}

func TestFeedComesUpAndComesBack(t *testing.T) {
	t.Parallel()
	st, records := open(t)
	var sw switches
	s, url := cam.Serve(t, server.Config{Policy: sw.policy, Filter: sw.filter})
	f, err := st.Add(record(url))
	require.NoError(t, err)
	eventually(t, f, "comes up", isState(station.StateLive))
	eventually(t, f, "is cut", func(station.Status) bool { return f.Made(hls.Original) != nil })
	<-f.Made(hls.Original).Ready()
	run := f.Status().Run

	s.DropAll()
	eventually(t, f, "notices", func(s station.Status) bool { return s.Condition.State != station.StateLive })
	eventually(t, f, "comes back by itself", isState(station.StateLive))
	assert.Equal(t, run, f.Status().Run, "the run goes on")

	sw.freeze.Store(true)
	eventually(t, f, "stalls", isState(station.StateStalled))
	assert.Equal(t, fault.Stalled, f.Condition().Fault.Kind.Code)
	sw.freeze.Store(false)
	eventually(t, f, "is reopened", isState(station.StateLive))

	st.FlushEvents(context.Background())
	events, err := records.Events(store.EventQuery{Feed: "gate", Limit: 100})
	require.NoError(t, err)
	var texts []string
	for _, e := range events {
		texts = append(texts, e.Text)
	}
	all := strings.Join(texts, "\n")
	for _, want := range []string{"connecting:", "live:", "retrying:", "stalled:", "the feed was added"} {
		assert.Contains(t, all, want)
	}
}

func TestWrongPasswordIsRefusedAndMendedByEditing(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	_, url := cam.Serve(t, server.Config{User: "u", Password: "p"})
	r := record(url)
	r.User, r.Password = "u", "wrong"
	f, err := st.Add(r)
	require.NoError(t, err)
	eventually(t, f, "is refused", isState(station.StateRefused))
	c := f.Condition()
	assert.Equal(t, fault.SignInRefused, c.Fault.Kind.Code)
	assert.Greater(t, time.Until(c.NextTry), 3*time.Minute, "no hurry, or the camera locks the account")
	assert.Empty(t, f.Status().Record.Password)
	assert.NotContains(t, f.Waiting(), "wrong\"")

	f, err = st.Edit("gate", "mended", func(r *store.Feed) error { r.Password = "p"; return nil })
	require.NoError(t, err)
	eventually(t, f, "comes up", isState(station.StateLive))
}

func TestStopAndStart(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	_, url := cam.Serve(t, server.Config{})
	f, err := st.Add(record(url))
	require.NoError(t, err)
	eventually(t, f, "comes up", isState(station.StateLive))
	run := f.Status().Run
	_, err = st.Edit("gate", "off", func(r *store.Feed) error { r.Enabled = false; return nil })
	require.NoError(t, err)
	assert.Equal(t, station.StateOff, f.Condition().State)
	assert.Nil(t, f.Made(hls.Original), "nothing can be played any more")
	_, err = st.Edit("gate", "on", func(r *store.Feed) error { r.Enabled = true; return nil })
	require.NoError(t, err)
	eventually(t, f, "comes up again", isState(station.StateLive))
	assert.NotEqual(t, run, f.Status().Run, "a run of its own")
	require.NoError(t, st.Remove("gate"))
	_, err = st.Get("gate")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestEditsAtTheSameTime(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	_, url := cam.Serve(t, server.Config{})
	_, err := st.Add(record(url))
	require.NoError(t, err)
	var wg sync.WaitGroup
	for i := range 10 {
		wg.Go(func() {
			_, err := st.Edit("gate", "edit", func(r *store.Feed) error {
				r.PlaylistLength = 3 + i
				r.Enabled = i%2 == 0
				return nil
			})
			assert.NoError(t, err)
		})
	}
	wg.Wait()
	f, err := st.Edit("gate", "on", func(r *store.Feed) error { r.Enabled = true; return nil })
	require.NoError(t, err)
	eventually(t, f, "comes up", isState(station.StateLive))
}

func TestWatchersAreToldAndBounded(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	slow := st.Watch()
	defer slow.Close()
	for range 200 {
		st.Note("", station.EventService, "something happened")
	}
	st.FlushEvents(context.Background())
	assert.Len(t, slow.Events, cap(slow.Events), "one that does not read misses events and holds up nobody")
	assert.Len(t, slow.Changed, 1)
}
