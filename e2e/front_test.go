package e2e

import (
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/testkit"
)

// front is nginx before the service, as docs/in-front.md has it.
type front struct {
	address string
	dir     string
}

func (w *world) front() *front {
	w.t.Helper()
	page, err := os.ReadFile("../docs/in-front.md")
	require.NoError(w.t, err)
	m := regexp.MustCompile("(?s)```nginx\n(.*?)```").FindSubmatch(page)
	require.NotNil(w.t, m)
	ports, err := testkit.FreePorts(1)
	require.NoError(w.t, err)
	f := &front{address: ports[0], dir: w.t.TempDir()}
	require.NoError(w.t, os.Chmod(f.dir, 0o755))
	out, err := exec.Command("openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2",
		"-subj", "/CN=localhost", "-keyout", f.path("key"), "-out", f.path("cert")).CombinedOutput()
	require.NoError(w.t, err, string(out))
	text := strings.NewReplacer(
		"127.0.0.1:7600", w.listen, "listen 443", "listen "+f.address, "/var/cache/nginx/webostrum", f.path("cache"),
		"/etc/ssl/certs/cams.example.org.pem", f.path("cert"), "/etc/ssl/private/cams.example.org.key", f.path("key"),
	).Replace(string(m[1]))
	w.t.Cleanup(runNginx(w.t, f.dir, text))
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(w.t, testkit.Eventually(ctx, func() bool {
		res, err := f.client(1).Get(f.url("/healthz"))
		if err == nil {
			_ = res.Body.Close()
		}
		return err == nil && res.StatusCode == http.StatusOK
	}))
	return f
}

// runNginx runs nginx in a folder with what stands in its http block, until it is stopped.
func runNginx(t *testing.T, dir, http string) (stop func()) {
	t.Helper()
	user := ""
	if os.Getuid() == 0 { // its workers write into our folder
		user = "user root; "
	}
	config := user + fmt.Sprintf("daemon off; worker_processes 1; pid %[1]s/pid; error_log %[1]s/log; events { worker_connections 8000; }\n"+
		"http { access_log off; client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;\n%[2]s}", dir, http)
	file := filepath.Join(dir, "conf")
	require.NoError(t, os.WriteFile(file, []byte(config), 0o600))
	cmd := exec.Command("nginx", "-c", file)
	cmd.Stderr = os.Stderr
	require.NoError(t, cmd.Start())
	return func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
	}
}

func (f *front) path(name string) string { return filepath.Join(f.dir, name) }

func (f *front) url(path string) string { return "https://" + f.address + path }

// client speaks HTTP/2 over a connection of its own for each that is asked for.
func (f *front) client(connections int) *http.Client {
	return &http.Client{Timeout: time.Minute, Transport: &http.Transport{
		TLSClientConfig: &tls.Config{InsecureSkipVerify: true}, MaxIdleConnsPerHost: connections, ForceAttemptHTTP2: true, //nolint:gosec // a certificate made for this test
	}}
}

// TestThousandsBehindNginx wait for the same parts, and the service is asked once or twice for each.
func TestThousandsBehindNginx(t *testing.T) {
	t.Parallel()
	w := newWorld(t, "--trusted-proxies", "127.0.0.1")
	w.film("--size", "320x240", "--rate", "15", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	f := w.front()
	list := f.url("/media/" + feed + "/hls/original/list.m3u8")
	get := func(c *http.Client, address string) (string, *http.Response) {
		res, err := c.Get(address)
		if !assert.NoError(t, err) {
			return "", nil
		}
		defer func() { _ = res.Body.Close() }()
		body, err := io.ReadAll(res.Body)
		assert.NoError(t, err)
		return string(body), res
	}
	var hint []string
	require.Eventually(t, func() bool { // parts are listed once there are three segments
		text, res := get(f.client(1), list)
		require.Equal(t, 200, res.StatusCode, text)
		require.Equal(t, 2, res.ProtoMajor)
		hint = regexp.MustCompile(`PRELOAD-HINT:TYPE=PART,URI="\S+-(\d+)\.(\d+)\.m4s"`).FindStringSubmatch(text)
		return hint != nil
	}, patience, 200*time.Millisecond)
	sequence, err := strconv.Atoi(hint[1])
	require.NoError(t, err)

	const players, segments = 2000, 3
	var mu sync.Mutex
	fetched := map[string]int{} // from the service
	var wg sync.WaitGroup
	clients := make([]*http.Client, 20) // connections of HTTP/2
	for i := range clients {
		clients[i] = f.client(1)
	}
	for i := range players {
		wg.Go(func() {
			for n := range segments {
				q := url.Values{"_HLS_msn": {strconv.Itoa(sequence + 1 + n)}, "_HLS_part": {"0"}}
				text, res := get(clients[i%len(clients)], list+"?"+q.Encode())
				if res == nil || !assert.Equal(t, 200, res.StatusCode, text) {
					return
				}
				if res.Header.Get("X-Cache") == "MISS" {
					mu.Lock()
					fetched[q.Encode()]++
					mu.Unlock()
				}
			}
		})
	}
	wg.Wait()
	assert.Len(t, fetched, segments)
	for q, n := range fetched {
		assert.LessOrEqual(t, n, 2, "%s was asked of the service so often, for %d players", q, players)
	}
}

// TestBehindNginx plays by every delivery, and the viewers' own addresses are known.
func TestBehindNginx(t *testing.T) {
	t.Parallel()
	w := newWorld(t, "--trusted-proxies", "127.0.0.1")
	w.film("--size", "320x240", "--rate", "15", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	f := w.front()
	req, err := http.NewRequest("GET", f.url("/media/"+feed+"/live.mp4"), nil)
	require.NoError(t, err)
	req.Header.Set("X-Forwarded-For", "192.0.2.77") // nginx adds its own: what a viewer claims is not believed
	res, err := f.client(1).Do(req)
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	require.Equal(t, 200, res.StatusCode)
	head := make([]byte, 2000)
	_, err = io.ReadFull(res.Body, head)
	require.NoError(t, err)
	w.watchedBy("fragments", 1)
	list, err := w.client().Viewers(t.Context(), feed)
	require.NoError(t, err)
	require.NotEmpty(t, list)
	assert.Equal(t, "127.0.0.1", list[0].Address)
	for _, path := range []string{"mjpeg", "still.jpg", "dash.mpd", "hls/index.m3u8", "hls/audio/list.m3u8"} {
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		req, err := http.NewRequestWithContext(ctx, "GET", f.url("/media/"+feed+"/"+path), nil)
		require.NoError(t, err)
		res, err := f.client(1).Do(req)
		require.NoError(t, err, path)
		_, err = io.ReadFull(res.Body, head[:10])
		assert.NoError(t, err, path)
		cancel()
		_ = res.Body.Close()
		if path != "hls/audio/list.m3u8" {
			assert.Equal(t, 200, res.StatusCode, path)
		}
	}
}
