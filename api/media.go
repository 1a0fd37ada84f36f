package api

import (
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
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
func (a *API) watchable(w http.ResponseWriter, r *http.Request, name string) *station.Feed {
	f, err := a.station.Get(name)
	signedIn := account(r.Context()) != nil
	if err == nil && (f.Public() || signedIn) {
		return f
	}
	var p *Problem
	if signedIn && errors.As(answerFor(err), &p) {
		writeProblem(w, p)
		return nil
	}
	// Strangers are not told which feeds there are.
	w.Header().Set("WWW-Authenticate", `Bearer realm="webostrum"`)
	writeProblem(w, newProblem(http.StatusUnauthorized, codeSignIn, "This feed is for people who have signed in.", "Sign in first, or ask for the feed to be made public."))
	return nil
}

// serveMedia answers everything under /media/{feed}/.
func (a *API) serveMedia(c *gin.Context) {
	f := a.watchable(c.Writer, c.Request, c.Param("feed"))
	if f == nil {
		return
	}
	rest := strings.TrimPrefix(c.Param("rest"), "/")
	if file, ok := strings.CutPrefix(rest, "hls/"); ok {
		h := &hls.Handler{Wait: a.cfg.PlaylistWait, Watched: func(r *http.Request, target time.Duration) {
			const fewest = 8 * time.Second
			a.viewers.Saw(r, c.Param("feed"), time.Now(), max(3*target, fewest))
		}}
		h.ServeFile(c.Writer, c.Request, f, file)
		return
	}
	if m := c.Request.Method; m != http.MethodGet && m != http.MethodHead {
		c.Writer.Header().Set("Allow", "GET, HEAD")
		writeProblem(c.Writer, newProblem(http.StatusMethodNotAllowed, "method-not-allowed", "This can only be read.", ""))
		return
	}
	switch rest {
	case "state":
		a.serveState(c.Writer, c.Request, f)
	case "time":
		serveTime(c.Writer)
	default:
		writeProblem(c.Writer, newProblem(http.StatusNotFound, "delivery-unknown", "There is nothing under that address.", "A feed's HLS is at hls/"+hls.MultivariantName+"."))
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
	a.page(c.Writer, http.StatusOK, watchPage{Title: f.Status().Record.Title, Feed: name, SignedIn: signedIn})
}
