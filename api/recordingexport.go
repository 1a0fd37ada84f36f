package api

import (
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/core/recording"
	"webostrum/deliver/problem"
	"webostrum/record"
)

const exportWithin = 6 * time.Hour

// serveExport answers with one MP4 of a span.
func (a *API) serveExport(c *gin.Context) {
	r := c.Request
	c.Header("Cache-Control", "no-store")
	name, who := c.Param("name"), callerOf(r.Context())
	err := permitted(who, needsViewer)
	var l *record.Library
	if err == nil {
		l, err = a.past(r.Context(), name)
	}
	if err != nil {
		problem.Write(c.Writer, err)
		return
	}
	from, to, err := spanOf(r)
	cut := recording.Cut(r.URL.Query().Get("cut"))
	if cut == "" {
		cut = recording.AtKeyframes
	}
	if err == nil && cut != recording.AtKeyframes && cut != recording.Exactly {
		err = refusedQuery("cut", "cut is keyframe or exact")
	}
	if err != nil {
		problem.Write(c.Writer, err)
		return
	}
	e, err := l.Export(name, from, to, cut)
	if err != nil {
		problem.Write(c.Writer, err)
		return
	}
	defer e.Close()
	h := c.Writer.Header()
	h.Set("Content-Type", "video/mp4")
	h.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%s.mp4"`, name, e.Begins.UTC().Format("20060102T150405Z")))
	h.Set("Webostrum-Begins", e.Begins.UTC().Format(time.RFC3339Nano))
	h.Set("Webostrum-Ends", e.Ends.UTC().Format(time.RFC3339Nano))
	h.Set("Webostrum-Gaps", strconv.Itoa(len(e.Gaps)))
	a.sendFile(c.Writer, r, sentFile{content: e, within: exportWithin, until: admission{caller: who}.until(), may: func() bool {
		now, ok := a.stillSignedIn(who, r)
		if ok {
			_, err := a.past(asCaller(r.Context(), now), name)
			ok = err == nil
		}
		return ok
	}})
}

// spanOf reads from and to of a query.
func spanOf(r *http.Request) (from, to time.Time, err error) {
	q := r.URL.Query()
	if from, err = time.Parse(time.RFC3339Nano, q.Get("from")); err != nil {
		return from, to, refusedQuery("from", "from is a time such as 2026-11-26T08:00:00Z")
	}
	if to, err = time.Parse(time.RFC3339Nano, q.Get("to")); err != nil {
		return from, to, refusedQuery("to", "to is a time such as 2026-11-26T09:00:00Z")
	}
	if !from.Before(to) {
		return from, to, refusedQuery("from", "from is to be before to")
	}
	return from, to, nil
}
