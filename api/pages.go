package api

import (
	"embed"
	"html/template"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"
	"webostrum/core/fault"
	"webostrum/deliver/problem"

	"github.com/gin-gonic/gin"
)

//go:embed pages
var pageFiles embed.FS

type watchPage struct {
	Title    string
	Feed     string
	Prefer   string // what the player is asked for; see its attributes
	Within   string
	Audio    string
	SignedIn bool
	Missing  bool
}

const contentPolicy = "default-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; style-src 'self' 'unsafe-inline'; " +
	"worker-src 'self' blob:; connect-src 'self'; frame-ancestors 'self'; base-uri 'none'; form-action 'self'"

func (a *API) page(w http.ResponseWriter, status int, p watchPage) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = a.watchPage.Execute(w, p) // a viewer that has gone is no error
}

func parsePages() (*template.Template, error) {
	return template.ParseFS(pageFiles, "pages/watch.html")
}

// secureHeaders sets what every answer carries.
func secureHeaders(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Content-Security-Policy", contentPolicy)
}

// assets serves the built console and player. Files under assets/ carry a hash
// in their names; all else is asked for anew.
func (a *API) assets(c *gin.Context) {
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if name == "" || !isFile(a.cfg.Web, name) {
		if strings.HasPrefix(name, "api/") || path.Ext(name) != "" {
			problem.Write(c.Writer, fault.New(fault.PageUnknown, nil, ""))
			return
		}
		name = "console.html" // the console finds its own way from the address
	}
	if m := c.Request.Method; m != http.MethodGet && m != http.MethodHead {
		c.Header("Allow", "GET, HEAD")
		problem.Write(c.Writer, fault.New(fault.MethodNotAllowed, nil, ""))
		return
	}
	body, err := fs.ReadFile(a.cfg.Web, name)
	if err != nil {
		problem.Write(c.Writer, fault.New(fault.ConsoleMissing, err, ""))
		return
	}
	if strings.Contains(name, "assets/") {
		c.Header("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		c.Header("Cache-Control", "no-cache")
	}
	http.ServeContent(c.Writer, c.Request, name, time.Time{}, strings.NewReader(string(body)))
}

func isFile(f fs.FS, name string) bool {
	info, err := fs.Stat(f, name)
	return err == nil && !info.IsDir() && !strings.HasPrefix(path.Base(name), ".")
}
