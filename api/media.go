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

	"webostrum/deliver/hls"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

func writeProblem(w http.ResponseWriter, p *Problem) {
	problem.Write(w, problem.Problem{Title: p.Title, Status: p.Status, Detail: p.Detail, Code: p.Code, Remedy: p.Remedy})
}

// watchable returns the feed when the caller may watch it, and answers when not.
// linked says that the caller came by a link that opens it.
func (a *API) watchable(w http.ResponseWriter, r *http.Request, name string, linked bool) *station.Feed {
	f, err := a.station.Get(name)
	if err == nil && (f.Public() || linked) {
		return f
	}
	signedIn := account(r.Context()) != nil
	var p plain
	if !signedIn {
		p = a.plainSignIn(r)
		signedIn = p.who != nil
	}
	if err == nil && signedIn {
		return f
	}
	var unknown *Problem
	if signedIn && errors.As(answerFor(err), &unknown) {
		writeProblem(w, unknown)
		return nil
	}
	a.demand(w, r, p) // strangers are not told which feeds there are
	return nil
}

// serveMedia answers everything under /media/{feed}/.
func (a *API) serveMedia(c *gin.Context) {
	name := c.Param("feed")
	rest, linked := a.viaLink(name, strings.TrimPrefix(c.Param("rest"), "/"))
	f := a.watchable(c.Writer, c.Request, name, linked)
	if f == nil {
		return
	}
	if file, ok := strings.CutPrefix(rest, "hls/"); ok {
		h := &hls.Handler{Wait: a.cfg.PlaylistWait, Watched: func(r *http.Request, rendition string, target time.Duration) error {
			const fewest = 8 * time.Second
			return full(a.viewers.Saw(r, name, rendition, time.Now(), max(3*target, fewest)))
		}, Sent: func(r *http.Request, n int64) { a.viewers.Sent(r, name, n) }}
		h.ServeFile(c.Writer, c.Request, f, file)
		return
	}
	if rest == "whep" || strings.HasPrefix(rest, "whep/") {
		if f.Public() {
			c.Writer.Header().Set("Access-Control-Allow-Origin", "*")
		}
		a.serveWHEP(c.Writer, c.Request, name, strings.TrimPrefix(strings.TrimPrefix(rest, "whep"), "/"), f)
		return
	}
	if m := c.Request.Method; m != http.MethodGet && m != http.MethodHead {
		c.Writer.Header().Set("Allow", "GET, HEAD")
		writeProblem(c.Writer, newProblem(http.StatusMethodNotAllowed, "method-not-allowed", "This can only be read.", ""))
		return
	}
	if f.Public() {
		c.Writer.Header().Set("Access-Control-Allow-Origin", "*")
	}
	switch rest {
	case "mjpeg":
		a.serveMotionJPEG(c.Writer, c.Request, name, f)
	case "still.jpg":
		a.serveStill(c.Writer, c.Request, f)
	case "state":
		a.serveState(c.Writer, c.Request, f)
	case "time":
		serveTime(c.Writer)
	default:
		writeProblem(c.Writer, newProblem(http.StatusNotFound, "delivery-unknown", "There is nothing under that address.",
			"A feed has whep, hls/"+hls.MultivariantName+", mjpeg and still.jpg."))
	}
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
	signedIn := account(c.Request.Context()) != nil
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
