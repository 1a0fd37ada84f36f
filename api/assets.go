package api

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/base64"
	"html"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strconv"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"webostrum/core/fault"
	"webostrum/deliver/hls"
	"webostrum/deliver/problem"
)

// consolePage is the console's page. It says where the service is, so that its paths hold
// under whatever base and at whatever depth.
const consolePage = "console.html"

// assets keeps the built console and player as they are sent: they do not change while
// the service runs.
type assets struct {
	mu    sync.Mutex
	files map[string]*asset // guarded by mu; no more than there are files
}

type asset struct {
	plain, packed []byte
	tag           string
	kind          string
}

func (s *assets) get(files fs.FS, base, name string) (*asset, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if f := s.files[name]; f != nil {
		return f, nil
	}
	body, err := fs.ReadFile(files, name)
	if err != nil {
		return nil, err
	}
	if name == consolePage {
		body = bytes.Replace(body, []byte("<head>"), []byte(`<head><base href="`+html.EscapeString(base+"/")+`">`), 1)
	}
	sum := sha256.Sum256(body)
	f := &asset{plain: body, tag: base64.RawURLEncoding.EncodeToString(sum[:9]), kind: mime.TypeByExtension(path.Ext(name))}
	if path.Ext(name) == ".ts" { // the player's types; some tables take it for a transport stream
		f.kind = "text/plain; charset=utf-8"
	}
	if !strings.HasSuffix(name, ".woff2") { // it is packed already
		var packed bytes.Buffer
		z := gzip.NewWriter(&packed)
		_, _ = z.Write(body) // to memory
		if _ = z.Close(); packed.Len() < len(body) {
			f.packed = packed.Bytes()
		}
	}
	if s.files == nil {
		s.files = make(map[string]*asset)
	}
	s.files[name] = f
	return f, nil
}

// serveAsset serves the built console and player. Files under assets/ carry a hash in
// their names; all else is asked for anew. Pages of every site may load the player, which
// is the same for all.
func (a *API) serveAsset(c *gin.Context) {
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if name == "" || !isFile(a.cfg.Web, name) {
		if strings.HasPrefix(name, "api/") || path.Ext(name) != "" {
			problem.Write(c.Writer, fault.New(fault.PageUnknown, nil, ""))
			return
		}
		name = consolePage // the console finds its own way from the address
	}
	if m := c.Request.Method; m != http.MethodGet && m != http.MethodHead {
		c.Header("Allow", "GET, HEAD")
		problem.Write(c.Writer, fault.New(fault.MethodNotAllowed, nil, ""))
		return
	}
	f, err := a.assets.get(a.cfg.Web, a.cfg.Front.Base, name)
	if err != nil {
		problem.Write(c.Writer, fault.New(fault.ConsoleMissing, err, ""))
		return
	}
	h := c.Writer.Header()
	if strings.HasPrefix(name, "player/") {
		allowOrigins(h)
		h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	}
	h.Set("Cache-Control", "no-cache")
	if name == consolePage {
		h.Set("Content-Security-Policy", strings.Replace(policy(ownFrames), "base-uri 'none'", "base-uri 'self'", 1))
	}
	if strings.Contains(name, "assets/") {
		h.Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	f.send(c.Writer, c.Request)
}

func (f *asset) send(w http.ResponseWriter, r *http.Request) {
	h, body, tag := w.Header(), f.plain, strconv.Quote(f.tag)
	h.Set("Vary", "Accept-Encoding")
	if f.packed != nil && hls.AcceptsGzip(r) {
		h.Set("Content-Encoding", "gzip")
		body, tag = f.packed, strconv.Quote(f.tag+"-gzip")
	}
	h.Set("Etag", tag)
	if f.kind != "" {
		h.Set("Content-Type", f.kind)
	}
	if strings.Contains(r.Header.Get("If-None-Match"), f.tag) {
		h.Del("Content-Encoding")
		w.WriteHeader(http.StatusNotModified)
		return
	}
	h.Set("Content-Length", strconv.Itoa(len(body)))
	w.WriteHeader(http.StatusOK)
	if r.Method != http.MethodHead {
		_, _ = w.Write(body) // a viewer that has gone is no error
	}
}

func isFile(f fs.FS, name string) bool {
	info, err := fs.Stat(f, name)
	return err == nil && !info.IsDir() && !strings.HasPrefix(path.Base(name), ".")
}
