package e2e

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/client"
	"webostrum/core/hls"
	"webostrum/testkit"
)

// whole looks at a folder as a player may at any moment: what its lists refer to is there.
func whole(t *testing.T, folder string) (segments int) {
	t.Helper()
	lists, err := filepath.Glob(filepath.Join(folder, "*", hls.MediaName))
	require.NoError(t, err)
	for _, list := range lists {
		body, err := os.ReadFile(list)
		if err != nil {
			continue // withdrawn
		}
		for _, file := range hls.Files(string(body)) {
			_, err := os.Stat(filepath.Join(filepath.Dir(list), file))
			if again, _ := os.ReadFile(list); err != nil && string(again) == string(body) {
				require.NoError(t, err, "%s refers to what is not there", list)
			}
			segments++
		}
	}
	return segments
}

// TestAFolderForAWebServer has all that a player needs, at every moment; its page plays from
// any server of files, and nothing is left when the feed ends.
func TestAFolderForAWebServer(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	w := newWorld(t, "--outlet-folder", root)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s", "--audio", "aac")
	w.addFeed()
	folder := filepath.Join(root, "lower")
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "old"), 0o700))
	old := filepath.Join(folder, "old", "of-somebody.txt")
	require.NoError(t, os.WriteFile(old, []byte("mine"), 0o600))
	w.edit(client.Patch{"outlet": client.Patch{"to": "folder:lower", "stillSeconds": 1}, "delivery": client.Patch{"segmentSeconds": 1}})
	w.until("a folder of somebody else's is left alone", func() bool {
		out, _ := w.cli("events", "--feed", feed)
		return strings.Contains(out, "has other files in it")
	})
	require.NoError(t, os.Remove(old))
	end := time.Now().Add(patience)
	for n := 0; n < 6 && time.Now().Before(end); n = whole(t, folder) {
		assert.NoFileExists(t, filepath.Join(folder, ".making"))
	}
	w.until("a still is there", func() bool {
		_, err := os.Stat(filepath.Join(folder, "still.jpg"))
		return err == nil
	})
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	stop := runNginx(t, t.TempDir(), fmt.Sprintf("types { text/html html; text/javascript js; application/vnd.apple.mpegurl m3u8; video/mp4 m4s mp4; } server { listen %s; root %s; }", ports[0], folder))
	defer stop()
	page := openPage(t)
	w.until("nginx answers", func() bool { return page.Open("http://"+ports[0]) == nil })
	require.NoError(t, page.Until(`document.querySelector("video").currentTime > 2`, patience))
	list, err := os.ReadFile(filepath.Join(folder, hls.Original, hls.MediaName))
	require.NoError(t, err)
	assert.NotContains(t, string(list), "EXT-X-PART")

	for _, wrong := range []string{"folder:../out", "folder:/etc", "folder:", "ftp://x/y", "https://user:pw@x/y"} {
		out, code := w.cli("feed", "edit", feed, "--outlet", wrong)
		assert.NotZero(t, code, "%s: %s", wrong, out)
	}
	out, code := w.cli("feed", "edit", feed, "--outlet", "")
	require.Zero(t, code, out)
	w.until("nothing is left to be played", func() bool {
		lists, _ := filepath.Glob(filepath.Join(folder, "*.m3u8"))
		segments, _ := filepath.Glob(filepath.Join(folder, "*", "*"))
		return len(lists) == 0 && len(segments) == 0
	})
}

// davServer takes files as a server of WebDAV does, and refuses those whose folder is missing.
type davServer struct {
	mu      sync.Mutex
	files   map[string][]byte
	folders map[string]bool
	broken  string // a list that referred to what was not there
}

func (s *davServer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if user, password, _ := r.BasicAuth(); user != "cams" || password != "otter" {
		w.WriteHeader(http.StatusUnauthorized)
		return
	}
	body, _ := io.ReadAll(r.Body)
	s.mu.Lock()
	defer s.mu.Unlock()
	name := strings.TrimSuffix(r.URL.Path, "/")
	dir := name[:strings.LastIndex(name, "/")]
	switch r.Method {
	case "MKCOL":
		s.folders[name] = true
		w.WriteHeader(http.StatusCreated)
	case http.MethodPut:
		if !s.folders[dir] {
			w.WriteHeader(http.StatusConflict)
			return
		}
		if strings.HasSuffix(name, hls.MediaName) {
			for _, f := range hls.Files(string(body)) {
				if s.files[dir+"/"+f] == nil {
					s.broken = name + " refers to " + f
				}
			}
		}
		s.files[name] = body
		w.WriteHeader(http.StatusCreated)
	case http.MethodDelete:
		delete(s.files, name)
	}
}

// TestAServerOfWebDAV gets all by PUT, in the right order; a wrong password is said.
func TestAServerOfWebDAV(t *testing.T) {
	t.Parallel()
	dav := &davServer{files: map[string][]byte{}, folders: map[string]bool{"": true}}
	server := httptest.NewServer(dav)
	defer server.Close()
	w := newWorld(t)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	w.edit(client.Patch{"outlet": client.Patch{"to": server.URL + "/cams/lower", "user": "cams", "password": "wrong"}, "delivery": client.Patch{"segmentSeconds": 1}})
	w.until("a wrong password is told", func() bool {
		out, _ := w.cli("events", "--feed", feed)
		return strings.Contains(out, "401 Unauthorized")
	})
	w.edit(client.Patch{"outlet": client.Patch{"password": "otter"}})
	w.until("it is all there", func() bool {
		dav.mu.Lock()
		defer dav.mu.Unlock()
		list := string(dav.files["/cams/lower/original/list.m3u8"])
		return strings.Count(list, "#EXTINF") >= 3 && dav.files["/cams/lower/index.m3u8"] != nil && dav.files["/cams/lower/page.js"] != nil
	})
	dav.mu.Lock()
	assert.Empty(t, dav.broken)
	dav.mu.Unlock()
	f, err := w.client().Feed(t.Context(), feed)
	require.NoError(t, err)
	assert.Empty(t, f.Outlet.Password)
	_, err = w.service.Terminate(10 * time.Second)
	require.NoError(t, err)
	dav.mu.Lock()
	defer dav.mu.Unlock()
	for name := range dav.files {
		assert.NotContains(t, name, ".m3u8", "nothing is left to be played")
	}
}
