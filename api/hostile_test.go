package api_test

import (
	"bufio"
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/api"
	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/deliver/viewers"
	"webostrum/station"
	"webostrum/store"
)

// FuzzHTTP sends whatever to each route, signed in and as a stranger: nothing panics,
// nothing is a mistake of the service's own, and what is refused says why as a problem.
func FuzzHTTP(f *testing.F) {
	records, err := store.Open(f.TempDir())
	require.NoError(f, err)
	st, err := station.Open(station.Config{Store: records, Log: slog.New(slog.DiscardHandler)})
	require.NoError(f, err)
	a, err := api.New(api.Config{SearchOn: []string{"lo"},
		Store: records, Station: st, Version: "fuzz", PlaylistWait: time.Millisecond, EnterKey: "open-sesame",
		Web: fstest.MapFS{"console.html": {Data: []byte("x")}},
	})
	require.NoError(f, err)
	f.Cleanup(func() { a.EndStreams(); st.Close(); _ = records.Close() })
	who, err := records.AddAccount("engineer", store.RoleEngineer, password)
	require.NoError(f, err)
	token, err := records.NewToken(who, &store.Token{Kind: store.TokenProgram, ExpiresAt: time.Now().Add(time.Hour)})
	require.NoError(f, err)
	off := false
	s := httptest.NewServer(a)
	_, err = client.New(s.URL, token).AddFeed(f.Context(), apitypes.NewFeed{
		Name: "yard", Enabled: &off, FeedSettings: settings("rtsp://127.0.0.1:9/x", everyone),
	})
	require.NoError(f, err)
	s.Close()

	for _, route := range a.Routes() {
		method, pattern, _ := strings.Cut(route, " ")
		path := strings.NewReplacer(":name", "yard", ":feed", "yard", "*path", "x", "*rest", "x").Replace(pattern)
		for _, body := range []string{"", "{}", `{"url":`, "v=0\r\n", "\x00\xff", `{"name":"../../etc"}`} {
			f.Add(method, path, "size=640x&limit=-1&rendition=%00", body, "application/json", true)
		}
	}
	for _, path := range []string{"/media/yard/hls/../../x", "/media/%2e%2e/mjpeg", "/media/yard/whep", "//", "/media/yard/hls/v0/99999999999999999999.m4s", "/media/yard/hls/index.m3u8"} {
		f.Add("POST", path, "_HLS_msn=-1&size=0x0", "v=0", "application/sdp", false)
		f.Add("GET", path, "_HLS_msn=-1&size=999999x999999&quality=1e9", "", "", false)
	}
	f.Fuzz(func(t *testing.T, method, path, query, body, kind string, signedIn bool) {
		ctx, cancel := context.WithTimeout(context.Background(), 300*time.Millisecond)
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, method, "http://service/", strings.NewReader(body))
		if err != nil {
			return // no HTTP client can send it
		}
		req.URL.Path, req.URL.RawQuery, req.RemoteAddr = "/"+strings.TrimPrefix(path, "/"), query, "192.0.2.1:999"
		req.Header.Set("Content-Type", kind)
		if signedIn {
			req.Header.Set("Authorization", "Bearer "+token)
		}
		if strings.HasPrefix(req.URL.Path, "/api/v1/inspect") || strings.Contains(body, "://") {
			return // opens connections to where it is told
		}
		w := httptest.NewRecorder()
		a.ServeHTTP(w, req)
		assert.NotEqual(t, http.StatusInternalServerError, w.Code, "%s %s: %s", method, req.URL, w.Body)
		if w.Code >= 400 && strings.HasPrefix(req.URL.Path, "/api/") {
			assert.Equal(t, apitypes.ProblemType, w.Header().Get("Content-Type"), "%s %s: %s", method, req.URL, w.Body)
		}
	})
}

// TestAnOfferThatNeverEnds is given up on, and what it held is free again.
func TestAnOfferThatNeverEnds(t *testing.T) {
	t.Parallel()
	w := startWebRTC(t, viewers.Config{})
	conn, err := net.Dial("tcp", strings.TrimPrefix(w.url, "http://"))
	require.NoError(t, err)
	defer func() { _ = conn.Close() }()
	_, err = fmt.Fprint(conn, "POST /media/gate/whep HTTP/1.1\r\nHost: x\r\nContent-Type: application/sdp\r\nContent-Length: 500\r\n\r\nv=0\r\n")
	require.NoError(t, err)
	require.NoError(t, conn.SetReadDeadline(time.Now().Add(30*time.Second)))
	res, err := http.ReadResponse(bufio.NewReader(conn), nil)
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	assert.Equal(t, http.StatusRequestTimeout, res.StatusCode)
	p := newProgram(t)
	w.join(p, "/media/gate/whep")
}

// TestWebRTCEndsWithItsAccess within the time that the rest does.
func TestWebRTCEndsWithItsAccess(t *testing.T) {
	t.Parallel()
	w := startWebRTC(t, viewers.Config{})
	c := client.New(w.url, w.engineer)
	w.join(newProgram(t), "/media/gate/whep")
	w.eventually("it is counted", func() bool { return len(w.watching()) == 1 })
	_, err := c.EditFeed(context.Background(), "gate", client.Patch{"audience": client.Patch{"who": "signed-in"}})
	require.NoError(t, err)
	w.eventually("it is ended", func() bool { return len(w.watching()) == 0 })
}

// TestABodyThatNeverEnds is given up on by every route that takes one.
func TestABodyThatNeverEnds(t *testing.T) {
	t.Parallel()
	w := start(t)
	for _, path := range []string{"/api/v1/sign-in", "/api/v1/feeds", "/media/yard/mjpeg", "/assets/x-1.js"} {
		t.Run(path, func(t *testing.T) {
			t.Parallel()
			conn, err := net.Dial("tcp", strings.TrimPrefix(w.url, "http://"))
			require.NoError(t, err)
			defer func() { _ = conn.Close() }()
			_, err = fmt.Fprintf(conn, "POST %s HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\nContent-Length: 500\r\n\r\n{\"name\"", path, w.engineer)
			require.NoError(t, err)
			require.NoError(t, conn.SetReadDeadline(time.Now().Add(40*time.Second)))
			res, err := http.ReadResponse(bufio.NewReader(conn), nil)
			require.NoError(t, err)
			assert.GreaterOrEqual(t, res.StatusCode, 400)
			_ = res.Body.Close()
		})
	}
}
