package outlet

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/hls"
	server "webostrum/deliver/rtsp"
	"webostrum/station"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/cam"
)

// webSite is a web server that takes files, and fails as it is told.
type webSite struct {
	mu      sync.Mutex
	files   map[string]string // guarded by mu
	log     []string          // of what was done, guarded by mu
	asked   int               // guarded by mu
	every   int               // so many-th request fails; 0 for none. Guarded by mu.
	status  int               // of what fails; guarded by mu
	missing []string          // that a list referred to; guarded by mu
}

func (s *webSite) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	s.mu.Lock()
	defer s.mu.Unlock()
	name := strings.TrimPrefix(r.URL.Path, "/")
	if s.asked++; s.every > 0 && s.asked%s.every == 0 {
		w.WriteHeader(s.status)
		return
	}
	s.log = append(s.log, r.Method+" "+name)
	if r.Method == http.MethodDelete {
		delete(s.files, name)
		return
	}
	if strings.HasSuffix(name, ".m3u8") {
		for _, f := range hls.Files(string(body)) {
			if _, there := s.files[path.Join(path.Dir(name), f)]; !there {
				s.missing = append(s.missing, name+" refers to "+f)
			}
		}
	}
	s.files[name] = string(body)
}

// fails has every so many-th request fail from now on, 0 for none.
func (s *webSite) fails(every, status int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.every, s.status = every, status
}

func (s *webSite) did(what string) (times int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, line := range s.log {
		if line == what {
			times++
		}
	}
	return times
}

// rig is a feed that is put to a web server.
type rig struct {
	t      *testing.T
	site   *webSite
	outlet *Outlet
	feeds  *station.Station
	stop   func()
}

const feed, indexOf = "gate", "site/index.m3u8"

func newRig(t *testing.T) *rig {
	t.Helper()
	s := &rig{t: t, site: &webSite{files: map[string]string{}}}
	web := httptest.NewServer(s.site)
	t.Cleanup(web.Close)
	records, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = records.Close() })
	s.feeds, err = station.Open(station.Config{Store: records, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	t.Cleanup(s.feeds.Close)
	_, url := cam.Serve(t, server.Config{})
	_, err = s.feeds.By("", "").Add(store.Feed{Name: feed, URL: url, Enabled: true, Transport: "tcp", SegmentMillis: 500, PlaylistLength: 3, OutletTo: web.URL + "/site"})
	require.NoError(t, err)
	s.outlet = New(Config{Station: s.feeds, Page: fstest.MapFS{"index.html": {Data: []byte("a page")}}, Log: slog.New(slog.DiscardHandler)})
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); s.outlet.Run(ctx) }()
	s.stop = sync.OnceFunc(func() { cancel(); <-done })
	t.Cleanup(s.stop)
	return s
}

func (s *rig) until(what string, ok func() bool) {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(s.t.Context(), 40*time.Second)
	defer cancel()
	require.NoError(s.t, testkit.Eventually(ctx, ok), "%s; it is %+v", what, s.outlet.State(feed))
}

// puts waits until the list was put so many more times.
func (s *rig) puts(more int) {
	s.t.Helper()
	const list = "PUT site/original/" + hls.MediaName
	from := s.site.did(list)
	s.until("the list goes on", func() bool { return s.site.did(list) >= from+more })
}

// TestAServerThatFailsNowAndThen is tried again, and players see nothing of it: no list is
// withdrawn, and none is before what it refers to.
func TestAServerThatFailsNowAndThen(t *testing.T) {
	t.Parallel()
	s := newRig(t)
	s.until("it is put", func() bool { return s.site.did("PUT "+indexOf) > 0 })
	withdrawn := s.site.did("DELETE " + indexOf)
	s.site.fails(3, http.StatusServiceUnavailable)
	s.puts(8)
	assert.Equal(t, withdrawn, s.site.did("DELETE "+indexOf))
	assert.Nil(t, s.outlet.State(feed).Problem)
	s.site.fails(0, 0)
	s.stop()
	s.site.mu.Lock()
	defer s.site.mu.Unlock()
	assert.Empty(t, s.site.missing)
	for name := range s.site.files {
		assert.Equal(t, "site/index.html", name, "nothing of the run is left")
	}
	list, segment := -1, -1 // where each was removed last
	for i, line := range s.site.log {
		switch {
		case line == "DELETE "+indexOf:
			list = i
		case strings.HasPrefix(line, "DELETE ") && strings.HasSuffix(line, ".m4s"):
			segment = i
		}
	}
	assert.Less(t, list, segment, "at the end the list goes before its segments")
}

// TestAServerThatRefuses is told at once, and put to again as soon as it lets us.
func TestAServerThatRefuses(t *testing.T) {
	t.Parallel()
	s := newRig(t)
	s.until("it is put", func() bool { return s.site.did("PUT "+indexOf) > 0 })
	s.site.fails(1, http.StatusForbidden)
	s.until("it is told", func() bool {
		p := s.outlet.State(feed).Problem
		return p != nil && p.Kind.Code == fault.OutletRefused
	})
	s.site.fails(0, 0)
	s.until("it is put again", func() bool { return s.outlet.State(feed).Problem == nil && s.outlet.State(feed).Files > 0 })
	s.puts(2)
}

// TestAnotherPlace has nothing be left at the one before.
func TestAnotherPlace(t *testing.T) {
	t.Parallel()
	s := newRig(t)
	s.until("it is put", func() bool { return s.site.did("PUT "+indexOf) > 0 })
	_, err := s.feeds.By("", "").Edit(feed, "moved", func(r *store.Feed) error {
		r.OutletTo = strings.Replace(r.OutletTo, "/site", "/other", 1)
		return nil
	})
	require.NoError(t, err)
	s.until("it is there", func() bool { return s.site.did("PUT other/index.m3u8") > 0 })
	s.site.mu.Lock()
	defer s.site.mu.Unlock()
	for name := range s.site.files {
		assert.False(t, strings.HasPrefix(name, "site/") && name != "site/index.html", name)
	}
	assert.Empty(t, s.site.missing)
}
