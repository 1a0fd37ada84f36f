package api

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/deliver/hls"
	"webostrum/deliver/problem"
	"webostrum/deliver/viewers"
)

// visitor is who watches, as viewers are counted.
func visitor(r *http.Request, feed string, m admission) viewers.Visitor {
	v := viewers.Visitor{Feed: feed, Address: access.HostOf(r.RemoteAddr), Client: access.ClientOf(r.RemoteAddr), Browser: r.UserAgent(), LetIn: !m.stranger()}
	switch {
	case m.link != nil:
		v.By, v.Link, v.MostByLink = "link "+m.link.Name, m.link.ID, m.link.Most
	case m.signedIn():
		v.By = m.account.Name
	}
	return v
}

// deliveryOf is what a path under /media/{feed}/ is of; empty for what belongs to all.
func deliveryOf(rest string) access.Delivery {
	first, _, _ := strings.Cut(rest, "/")
	return map[string]access.Delivery{"hls": access.HLS, "whep": access.WebRTC, "mjpeg": access.MotionJPEG, "still.jpg": access.Still, "live.mp4": access.Fragments, "dash.mpd": access.HLS}[first]
}

// serveMedia answers everything under /media/{feed}/.
func (a *API) serveMedia(c *gin.Context) {
	w, r, name := c.Writer, c.Request, c.Param("feed")
	rest, link := viaLink(strings.TrimPrefix(c.Param("rest"), "/"))
	w.Header().Set("Cross-Origin-Resource-Policy", "cross-origin") // for pages that isolate themselves (Fetch, 3.7)
	delivery := deliveryOf(rest)
	if r.Method == http.MethodOptions {
		a.preflight(w, name, delivery, strings.TrimPrefix(rest, "whep"))
		return
	}
	m, ok := a.watchable(w, r, name, link, delivery, rest)
	if !ok {
		return
	}
	allowSites(w.Header(), m)
	switch {
	case delivery == access.WebRTC:
		a.serveWHEP(w, r, name, strings.TrimPrefix(strings.TrimPrefix(rest, "whep"), "/"), m)
	case delivery == access.HLS:
		a.serveHLS(w, r, name, m, rest)
	case rest == reportName && r.Method == http.MethodPost:
		a.serveReport(w, r, m)
	case r.Method != http.MethodGet && r.Method != http.MethodHead:
		w.Header().Set("Allow", "GET, HEAD, OPTIONS")
		problem.Write(w, fault.New(fault.MethodNotAllowed, nil, ""))
	default:
		a.serveRest(w, r, name, m, rest)
	}
}

// preflight answers what browsers ask before they send something to another origin
// (Fetch, 4.8). It is the same whether there is such a feed or not, and whoever may show
// it: what is sent then is judged.
func (a *API) preflight(w http.ResponseWriter, name string, delivery access.Delivery, session string) {
	h := w.Header()
	allowOrigins(h)
	h.Set("Access-Control-Max-Age", "600")
	if delivery == access.WebRTC {
		a.optionsWHEP(w, name, session)
		return
	}
	h.Set("Access-Control-Allow-Methods", "GET, HEAD, OPTIONS")
	h.Set("Access-Control-Allow-Headers", "Authorization, Range, If-None-Match, Last-Event-ID")
	w.WriteHeader(http.StatusNoContent)
}

// allowOrigins lets pages of all origins read an answer; cookies do not come with their
// requests.
func allowOrigins(h http.Header) { h.Set("Access-Control-Allow-Origin", "*") }

// allowSites lets pages of the sites that may show a feed read an answer.
func allowSites(h http.Header, m admission) {
	h.Set("Access-Control-Expose-Headers", "Content-Length, Content-Range, Date, Age, Location, Link, Etag")
	sites := m.sites()
	if len(sites) == 0 {
		allowOrigins(h)
		return
	}
	h.Add("Vary", "Origin")
	if m.asker.Origin != "" && sites.Has(m.asker.Origin) {
		h.Set("Access-Control-Allow-Origin", m.asker.Origin)
	}
}

func (a *API) serveRest(w http.ResponseWriter, r *http.Request, name string, m admission, rest string) {
	if file, ok := strings.CutPrefix(rest, "past/"); ok {
		a.servePast(w, r, name, m, file)
		return
	}
	for _, folder := range []string{"stills/", "films/"} {
		if file, ok := strings.CutPrefix(rest, folder); ok {
			a.serveKept(w, r, name, m, folder == "films/", file)
			return
		}
	}
	switch rest {
	case "mjpeg":
		a.serveMotionJPEG(w, r, name, m)
	case "live.mp4":
		a.serveFragments(w, r, name, m)
	case "still.jpg":
		a.serveStill(w, r, m)
	case "state":
		a.serveState(w, r, m)
	case "time":
		serveTime(w, r)
	default:
		problem.Write(w, fault.New(fault.DeliveryUnknown, nil, ""))
	}
}

func (a *API) serveHLS(w http.ResponseWriter, r *http.Request, name string, m admission, file string) {
	who := visitor(r, name, m)
	h := &hls.Handler{
		Wait: a.cfg.PlaylistWait, Shared: m.shared(),
		Watched: func(_ *http.Request, rendition string, target time.Duration) error {
			const fewest = 8 * time.Second
			return full(a.viewers.Saw(who, rendition, time.Now(), max(3*target, fewest)))
		},
		Told: func(err error) error { return toldTo(m.caller, err) },
		Sent: func(_ *http.Request, n int64) { a.viewers.Sent(who, n) },
	}
	if m.link != nil {
		h.SegmentAge = linkSegmentAge
	}
	if mayWait(file) {
		asked := r // r becomes another one below, while the grants are looked after
		ctx, cancel := context.WithCancel(r.Context())
		defer cancel()
		done, err := a.grants.hold(m.until(), func() bool { return a.still(m, asked) }, cancel)
		if err != nil {
			problem.Write(w, err)
			return
		}
		defer done()
		r = r.WithContext(ctx)
	}
	if file == dashName {
		h.ServeDASH(w, r, m.feed, a.at(strings.TrimSuffix(r.URL.Path, dashName)+"time?as=iso"))
		return
	}
	h.ServeFile(w, r, m.feed, strings.TrimPrefix(file, "hls/"))
}

const dashName = "dash.mpd"

// mayWait says whether an answer may be waited for: a list, a part, or a segment by number.
func mayWait(file string) bool {
	name := file[strings.LastIndex(file, "/")+1:]
	return !strings.HasSuffix(name, ".mp4") && (!strings.HasSuffix(name, ".m4s") || hls.IsAlias(name) || strings.Count(name, ".") > 1)
}

// linkSegmentAge is how long a cache may keep segments behind a link: when the link ends,
// it goes on giving them to whoever has their addresses for as long.
const linkSegmentAge = time.Minute

// serveTime lets players compare their clock with ours; as=iso is for those by DASH.
func serveTime(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cache-Control", "no-store")
	if r.URL.Query().Get("as") == "iso" {
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		_, _ = io.WriteString(w, time.Now().UTC().Format("2006-01-02T15:04:05.000Z"))
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]int64{"now": time.Now().UnixMilli()})
}
