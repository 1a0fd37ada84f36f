package e2e

import (
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/client"
	"webostrum/core/hls"
	"webostrum/testkit/objects"
)

// TestAnObjectStore gets copies of recordings, also of what was finished while it was away, and
// a feed's files for a web server in the right order.
func TestAnObjectStore(t *testing.T) {
	t.Parallel()
	bucket := objects.New("cams")
	server := httptest.NewServer(bucket)
	defer server.Close()
	secret := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(secret, []byte("otter\n"), 0o600))
	w := newWorld(t, "--recordings-copy", "s3+"+server.URL+"/kept/cameras", "--recordings-copy-key", "cams", "--recordings-copy-secret-file", secret)
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	bucket.Break(true)
	w.record(client.Patch{"mode": "always"})
	w.recorded(2 * time.Second)
	w.edit(client.Patch{"recording": client.Patch{"mode": "hand"}}) // which finishes the file
	w.until("it is told that nothing is copied", func() bool {
		out, _ := w.cli("events")
		return strings.Contains(out, "recordings are not copied")
	})
	bucket.Break(false)
	w.until("the copy is there", func() bool {
		room, err := w.client().RecordingRoom(t.Context())
		return err == nil && room.Copies != nil && room.Copies.Waiting == 0 && len(bucket.Names()) > 0
	})
	name := bucket.Names()[0]
	assert.True(t, strings.HasPrefix(name, "kept/cameras/"+feed+"/"), name)
	copied, _ := bucket.Object(name)
	local, err := os.ReadFile(filepath.Join(w.data, "recordings", strings.TrimPrefix(name, "kept/cameras/")))
	require.NoError(t, err)
	assert.Equal(t, local, copied)

	w.playsFromTheStore()

	w.edit(client.Patch{"outlet": client.Patch{"to": "s3+" + server.URL + "/site/lower", "user": "cams", "password": "otter"}, "delivery": client.Patch{"segmentSeconds": 1}})
	w.until("a list is there", func() bool {
		list, ok := bucket.Object("site/lower/original/" + hls.MediaName)
		return ok && strings.Count(string(list), "#EXTINF") > 2
	})
	put := make(map[string]bool)
	for _, name := range bucket.Order() {
		put[name] = true
	}
	list, _ := bucket.Object("site/lower/original/" + hls.MediaName)
	for _, file := range hls.Files(string(list)) {
		assert.True(t, put["site/lower/original/"+file], file)
	}
	w.edit(client.Patch{"outlet": client.Patch{"user": "nobody", "password": "wrong"}})
	w.until("wrong keys are told", func() bool {
		out, _ := w.cli("events", "--feed", feed)
		return strings.Contains(out, "does not let the feed's files be put")
	})
}

// playsFromTheStore has what was recorded make way, and plays it all the same.
func (w *world) playsFromTheStore() {
	w.t.Helper()
	w.edit(client.Patch{"recording": client.Patch{"bytes": 1, "goBack": true}})
	w.until("it is in the store alone", func() bool {
		room, err := w.client().RecordingRoom(w.t.Context())
		return err == nil && room.Copies.Files == 1 && room.Bytes == 0
	})
	out, code := w.cli("recording", "show", feed)
	require.Zero(w.t, code, out)
	assert.Contains(w.t, out, "object store")
	r := w.recorded(2 * time.Second)
	page := openPage(w.t)
	require.NoError(w.t, page.Open(w.url("/watch/"+feed)))
	require.NoError(w.t, page.Until(playing, patience))
	readClocks(w.t, page)
	begin := r.Oldest.UnixMilli()
	require.NoError(w.t, page.Run(fmt.Sprintf("%s.goTo(%d)", player, begin)))
	require.NoError(w.t, page.Until(fmt.Sprintf("(() => { const d = %s; return d > %d && d < %d; })()", onShow, begin-200, begin+4000), patience), "the clock in the picture tells that moment")
}
