package api

import (
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/core/fault"
	"webostrum/deliver/hls"
	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
	"webostrum/store"
)

// visitor is who watches, as viewers are counted.
func visitor(r *http.Request, feed string, m access) viewers.Visitor {
	return viewers.Visitor{Feed: feed, Address: hostOf(r.RemoteAddr), Client: clientOf(r.RemoteAddr), Browser: r.UserAgent(), LetIn: !m.stranger()}
}

// serveMedia answers everything under /media/{feed}/.
func (a *API) serveMedia(c *gin.Context) {
	w, r, name := c.Writer, c.Request, c.Param("feed")
	rest, link := viaLink(strings.TrimPrefix(c.Param("rest"), "/"))
	whep := rest == "whep" || strings.HasPrefix(rest, "whep/")
	if whep { // any page may ask, and is told what is wrong: no cookie goes with it
		allowOrigins(w.Header())
		if r.Method == http.MethodOptions {
			a.optionsWHEP(w, name, strings.TrimPrefix(rest, "whep"))
			return
		}
	}
	m, ok := a.watchable(w, r, name, link)
	if !ok {
		return
	}
	if m.feed.Public() {
		allowOrigins(w.Header())
	}
	switch {
	case whep:
		a.serveWHEP(w, r, name, strings.TrimPrefix(strings.TrimPrefix(rest, "whep"), "/"), m)
	case strings.HasPrefix(rest, "hls/"):
		a.serveHLS(w, r, name, m, strings.TrimPrefix(rest, "hls/"))
	case r.Method != http.MethodGet && r.Method != http.MethodHead:
		w.Header().Set("Allow", "GET, HEAD")
		problem.Write(w, fault.New(fault.MethodNotAllowed, nil, ""))
	default:
		a.serveRest(w, r, name, m, rest)
	}
}

// allowOrigins lets pages of all origins read an answer; cookies do not come with their
// requests.
func allowOrigins(h http.Header) { h.Set("Access-Control-Allow-Origin", "*") }

func (a *API) serveRest(w http.ResponseWriter, r *http.Request, name string, m access, rest string) {
	switch rest {
	case "mjpeg":
		a.serveMotionJPEG(w, r, name, m)
	case "still.jpg":
		a.serveStill(w, r, m)
	case "state":
		a.serveState(w, r, m)
	case "time":
		serveTime(w)
	default:
		problem.Write(w, fault.New(fault.DeliveryUnknown, nil, ""))
	}
}

func (a *API) serveHLS(w http.ResponseWriter, r *http.Request, name string, m access, file string) {
	who := visitor(r, name, m)
	h := &hls.Handler{
		Wait: a.cfg.PlaylistWait,
		Watched: func(_ *http.Request, rendition string, target time.Duration) error {
			const fewest = 8 * time.Second
			return full(a.viewers.Saw(who, rendition, time.Now(), max(3*target, fewest)))
		},
		Told: func(err error) error { return toldTo(m.caller, err) },
		Sent: func(_ *http.Request, n int64) { a.viewers.Sent(who, n) },
	}
	h.ServeFile(w, r, m.feed, file)
}

// serveTime lets players compare their clock with ours.
func serveTime(w http.ResponseWriter) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(map[string]int64{"now": time.Now().UnixMilli()})
}

// serveWatch answers /watch/{feed}.
func (a *API) serveWatch(c *gin.Context) {
	name := c.Param("feed")
	f, err := a.station.Get(name)
	signedIn := callerOf(c.Request.Context()).signedIn()
	if !signedIn && (err != nil || !f.Public()) {
		c.Redirect(http.StatusSeeOther, "/?next="+url.QueryEscape("/watch/"+name))
		return
	}
	if errors.Is(err, store.ErrNotFound) {
		a.page(c.Writer, http.StatusNotFound, watchPage{Title: "No such feed", Missing: true})
		return
	}
	a.page(c.Writer, http.StatusOK, watchPage{
		Title: f.Status().Record.Title, Feed: name, Prefer: oneOf(c.Query("prefer"), "delay", "reach", "simple"), Within: c.Query("within"),
		Audio: oneOf(c.Query("audio"), "on"), SignedIn: signedIn,
	})
}

// oneOf returns what was asked for if it is one of a list.
func oneOf(asked string, list ...string) string {
	if slices.Contains(list, asked) {
		return asked
	}
	return ""
}
