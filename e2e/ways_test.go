package e2e

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/testkit"
	"webostrum/testkit/acmetest"
)

// get asks without following redirects.
func get(t *testing.T, c *http.Client, url string, headers ...string) (int, http.Header, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(context.Background(), http.MethodGet, url, nil)
	require.NoError(t, err)
	for i := 0; i+1 < len(headers); i += 2 {
		if headers[i] == "Host" {
			req.Host = headers[i+1]
		}
		req.Header.Set(headers[i], headers[i+1])
	}
	once := *c
	once.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	res, err := once.Do(req)
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	body, err := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	require.NoError(t, err)
	return res.StatusCode, res.Header, string(body)
}

// TestBehindAPath plays and signs in under a base path, behind nginx that passes the path on
// and behind one that takes it off.
func TestBehindAPath(t *testing.T) {
	t.Parallel()
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	front := ports[0]
	w := newWorld(t, "--outside", "http://"+front+"/cameras/", "--trusted-proxies", "127.0.0.1")
	w.film("--size", "640x360", "--rate", "15", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	for name, pass := range map[string]string{"passes the path on": "http://" + w.listen, "takes it off": "http://" + w.listen + "/"} {
		t.Run(name, func(t *testing.T) {
			stop := startNginx(t, front, fmt.Sprintf("location /cameras/ { proxy_pass %s; proxy_http_version 1.1; proxy_set_header Connection \"\"; proxy_buffering off; proxy_set_header Host $http_host; proxy_set_header X-Forwarded-For $remote_addr; proxy_read_timeout 1h; }", pass))
			defer stop()
			base := "http://" + front + "/cameras"
			page := openPage(t)
			require.NoError(t, page.Open(base+"/watch/"+feed))
			require.NoError(t, page.Until(playing, patience))
			require.NoError(t, page.Open(base+"/watch/"+feed+"?by=webrtc"))
			require.NoError(t, page.Until(playing, patience))
			require.NoError(t, page.Open(base+"/"))
			require.NoError(t, page.Until(`document.querySelector("input[type=password]")`, patience))
			require.NoError(t, page.SignIn(w.client().Token()))
			require.NoError(t, page.Open(base+"/feeds/"+feed))
			require.NoError(t, page.Until(playing, patience))
			require.NoError(t, page.Open(base+"/ways-in"))
			require.NoError(t, page.Until(`document.body.innerText.includes("Rule of the router")`, patience))
			require.NoError(t, page.Open(base+"/wall?feeds="+feed))
			require.NoError(t, page.Until(player, patience))
			status, _, text := get(t, http.DefaultClient, base+"/media/"+feed+"/dash.mpd")
			assert.Equal(t, 200, status)
			assert.Contains(t, text, "/cameras/media/"+feed+"/time?as=iso")
		})
	}
	out, code := w.cli("embed", feed)
	require.Zero(t, code, out)
	assert.Contains(t, out, "http://"+front+"/cameras/embed/"+feed, "snippets use the outside address")
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/"+feed)))
	require.NoError(t, page.Until(playing, patience), "inside it is come to without the path, too")
}

func startNginx(t *testing.T, listen, location string) (stop func()) {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.Chmod(dir, 0o755))
	stop = runNginx(t, dir, fmt.Sprintf("server { listen %s; %s }", listen, location))
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	err := testkit.Eventually(ctx, func() bool {
		res, err := http.Get("http://" + listen + "/")
		if err == nil {
			_ = res.Body.Close()
		}
		return err == nil
	})
	if err != nil {
		stop()
	}
	require.NoError(t, err)
	return stop
}

// TestForViewersAlone: that address has pages and media, and no console, API or sign-in.
func TestForViewersAlone(t *testing.T) {
	t.Parallel()
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	w := newWorld(t, "--viewer-listen", ports[0])
	w.film("--size", "320x180", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	out, code := w.cli("feed", "add", "--user", user, "--password", password, "staff", w.cameraURL())
	require.Zero(t, code, out)
	w.state("live")
	token := "Bearer " + w.client().Token()
	at := "http://" + ports[0]
	for path, want := range map[string]int{
		"/": 404, "/feeds/" + feed: 404, "/api/v1/feeds": 404, "/api/v1/sign-in": 404, "/api/v1/openapi.json": 404, "/metrics": 404, "/enter/x": 404, "/publish/" + feed: 404, "/console.html": 404, "/watch/../api/v1/feeds": 404, "/player/../console.html": 404, "/feeds/../watch/" + feed: 404, "/watch//" + feed: 404,
		"/watch/" + feed: 200, "/embed/" + feed: 200, "/player/player.js": 200, "/media/" + feed + "/time": 200, "/healthz": 200,
		"/watch/staff": 403, "/watch/none": 403, "/media/staff/time": 403, "/media/none/time": 403,
	} {
		status, header, text := get(t, http.DefaultClient, at+path, "Authorization", token)
		assert.Equal(t, want, status, "%s: %s", path, text)
		assert.Empty(t, header.Values("WWW-Authenticate"), path)
		assert.NotContains(t, text, "ign in first", path)
	}
	page := openPage(t)
	require.NoError(t, page.Open(at+"/watch/"+feed))
	require.NoError(t, page.Until(playing, patience))
	require.NoError(t, page.Open(at+"/watch/staff"))
	require.NoError(t, page.Until(`document.body.innerText.includes("not shown here")`, patience))
}

// TestHTTPSOfItsOwn by its own authority: HTTP/2, redirects, HSTS, names, the page that says
// how to trust it, in Chromium that has the root.
func TestHTTPSOfItsOwn(t *testing.T) {
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	secure := ports[0]
	w := newWorld(t, "--https-listen", secure, "--own-authority", "--redirect-http", "--hsts", "24h", "--name", "cams.example.org")
	w.film("--size", "640x360", "--rate", "15", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	root, err := os.ReadFile(filepath.Join(w.data, "authority.pem"))
	require.NoError(t, err)
	pool := x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(root))
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}, ForceAttemptHTTP2: true}}
	status, header, _ := get(t, c, "https://"+secure+"/watch/"+feed)
	assert.Equal(t, 200, status)
	assert.Equal(t, "max-age=86400", header.Get("Strict-Transport-Security"))

	status, header, _ = get(t, http.DefaultClient, w.url("/watch/gate?x=1"), "Host", "cams.example.org")
	assert.Equal(t, http.StatusPermanentRedirect, status)
	assert.Equal(t, "https://cams.example.org:"+strings.Split(secure, ":")[1]+"/watch/gate?x=1", header.Get("Location"))
	assert.Empty(t, header.Get("Strict-Transport-Security"), "not over plain HTTP")
	status, _, text := get(t, http.DefaultClient, w.url("/"), "Host", "rebound.example.net")
	assert.Equal(t, http.StatusMisdirectedRequest, status, text)
	status, _, _ = get(t, http.DefaultClient, w.url("/api/v1/sign-in"))
	assert.Equal(t, 200, status, "programs on this machine stay on HTTP")
	status, _, text = get(t, http.DefaultClient, w.url("/trust"), "Host", "cams.example.org")
	assert.Equal(t, 200, status)
	assert.Contains(t, text, "SHA-256")
	status, _, der := get(t, http.DefaultClient, w.url("/trust/root.cer"))
	assert.Equal(t, 200, status)
	block, _ := pem.Decode(root)
	assert.Equal(t, string(block.Bytes), der)

	home := t.TempDir()
	(&lab{t: t, data: w.data}).trust(home)
	t.Setenv("HOME", home)
	page := openPage(t)
	require.NoError(t, page.Open("https://"+secure+"/watch/"+feed))
	require.NoError(t, page.Until(playing, patience))
	for _, by := range []string{"hls", "fragments", "webrtc", "motion-jpeg"} {
		require.NoError(t, page.Open("https://"+secure+"/watch/"+feed+"?by="+by))
		require.NoError(t, page.Until(player+`?.dataset.status === "playing"`, patience), by)
	}
	protocol, err := page.Text(`performance.getEntriesByType("navigation")[0].nextHopProtocol`)
	require.NoError(t, err)
	assert.Equal(t, "h2", protocol)
}

// TestCertificatesByACME of a small authority, which refuses at first.
func TestCertificatesByACME(t *testing.T) {
	t.Parallel()
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	authority, err := acmetest.New(func() string { return ports[0] }, 60*24*time.Hour)
	require.NoError(t, err)
	t.Cleanup(authority.Close)
	w := newWorld(t, "--https-listen", ports[0], "--acme", "--acme-directory", authority.URL+"/dir", "--name", "cams.example.org")
	pool := x509.NewCertPool()
	pool.AddCert(authority.Root)
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		conn, err := tls.Dial("tcp", ports[0], &tls.Config{ServerName: "cams.example.org", RootCAs: pool})
		if err == nil {
			_ = conn.Close()
		}
		return err == nil
	}))
	assert.Equal(t, 1, authority.Given())
	out, code := w.cli("alerts", "set", "--certificate", "90")
	require.Zero(t, code, out)
	out, code = w.cli("reach")
	require.Zero(t, code, out)
	assert.NotContains(t, out, "HTTPS: the", "nothing is wrong with it")

	authority.Refuse(true)
	other := newWorld(t, "--https-listen", "127.0.0.1:0", "--acme", "--acme-directory", authority.URL+"/dir", "--name", "other.example.org")
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		out, _ = other.cli("reach")
		return strings.Contains(strings.Join(strings.Fields(out), " "), "the authority gives no certificate for other.example.org")
	}), out)
}

// TestSettingsThatDoNotFit end with a sentence, before anything is opened.
func TestSettingsThatDoNotFit(t *testing.T) {
	t.Parallel()
	w := &world{t: t, data: t.TempDir()}
	file := filepath.Join(w.data, "settings.yaml")
	require.NoError(t, os.WriteFile(file, []byte("listn: 127.0.0.1:0\n"), 0o600))
	for _, c := range []struct {
		says string
		args []string
	}{
		{"HTTPS needs a certificate", []string{"--https-listen", "127.0.0.1:0"}},
		{"come from one place", []string{"--https-listen", "127.0.0.1:0", "--own-authority", "--acme"}},
		{"go together", []string{"--certificate", "x.pem"}},
		{"need --https-listen", []string{"--redirect-http"}},
		{"write it like", []string{"--outside", "cams.example.org"}},
		{"cannot be used", []string{"--base-path", "/a/../b"}},
		{"no authority gives a certificate to", []string{"--https-listen", "127.0.0.1:0", "--acme", "--name", "gate"}},
		{"needs --backup-passphrase-file", []string{"--backup-folder", w.data}},
	} {
		out, code := w.cli(append([]string{"serve", "--listen", "127.0.0.1:0", "--webrtc-listen", "", "--rtsp-listen", "", "--rtmp-listen", ""}, c.args...)...)
		assert.NotZero(t, code, out)
		assert.Contains(t, out, c.says)
	}
	out, code := w.cli("--config", file, "serve")
	assert.Equal(t, 2, code)
	assert.Contains(t, out, `"listn" in the settings file is no setting`)
}
