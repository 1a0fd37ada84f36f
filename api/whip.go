package api

import (
	"context"
	"crypto/subtle"
	"errors"
	"net/http"
	"regexp"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/ingest/push"
	"webostrum/ingest/whip"
	"webostrum/store"
)

// WHIP (RFC 9725): a publisher posts an offer to /publish/{feed}/whip, with the feed's key or
// a pass as a bearer token, and ends its session with DELETE.

const whipMethods = "POST, DELETE, OPTIONS"

func (a *API) publishRoutes(g *gin.Engine) {
	g.GET("/publish/:feed", a.serveCameraPage)
	for _, path := range []string{"/publish/:feed/whip", "/publish/:feed/whip/:id"} {
		g.OPTIONS(path, func(c *gin.Context) { optionsWHIP(c.Writer) })
	}
	g.POST("/publish/:feed/stream", a.takeStream)
	g.POST("/publish/:feed/whip", a.openWHIP)
	g.DELETE("/publish/:feed/whip/:id", a.endWHIP)
}

// optionsWHIP answers what browsers ask before they post from another origin. Nobody is let in
// by cookies here.
func optionsWHIP(w http.ResponseWriter) {
	h := w.Header()
	allowOrigins(h)
	h.Set("Access-Control-Allow-Methods", whipMethods)
	h.Set("Access-Control-Allow-Headers", "Authorization, Content-Type")
	h.Set("Access-Control-Expose-Headers", "Location, Link, Etag")
	h.Set("Accept-Post", sdpType)
	w.WriteHeader(http.StatusNoContent)
}

// bearer is the token that a request carries in its header; no cookie counts.
func bearer(r *http.Request) string {
	scheme, token, _ := strings.Cut(r.Header.Get("Authorization"), " ")
	if !strings.EqualFold(scheme, "Bearer") {
		return ""
	}
	return strings.TrimSpace(token)
}

// publishRequest is what a request over HTTP asks the desk.
func publishRequest(r *http.Request, feed string, protocol push.Protocol) push.Request {
	q := push.Request{Feed: feed, Protocol: protocol, Address: r.RemoteAddr, Instance: short(r.URL.Query().Get("instance"))}
	token := bearer(r)
	if token == "" {
		return q
	}
	q.Until, _ = access.PassEnds(token)
	q.Knows = func(key string) bool {
		return subtle.ConstantTimeCompare([]byte(key), []byte(token)) == 1 || access.OpensPass(token, key, feed, time.Now())
	}
	return q
}

func (a *API) openWHIP(c *gin.Context) {
	w, r, feed := c.Writer, c.Request, c.Param("feed")
	allowOrigins(w.Header())
	w.Header().Set("Access-Control-Expose-Headers", "Location, Link, Etag")
	if a.cfg.Publishers == nil {
		problem.Write(w, fault.New(fault.WebRTCOff, nil, ""))
		return
	}
	offer, ok := a.readOffer(w, r)
	if !ok {
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), openWithin)
	defer cancel()
	place, err := a.station.Admit(ctx, publishRequest(r, feed, push.WHIP))
	if err != nil {
		refusePublisher(w, err)
		return
	}
	session, answer, err := a.cfg.Publishers.Open(ctx, place, whip.From{Feed: feed, Address: r.RemoteAddr, Agent: agentOf(r)}, offer)
	if err != nil {
		problem.Write(w, publishOfferFault(err))
		return
	}
	a.answerOffer(w, r, session.ID, session.ID, answer)
}

// engines are browsers by what they call themselves; the first that fits is meant, since most
// call themselves others, too.
var engines = []struct {
	name string
	as   *regexp.Regexp
}{
	{"Edge", regexp.MustCompile(`Edge?\w*/(\d+)`)}, {"Firefox", regexp.MustCompile(`(?:Firefox|FxiOS)/(\d+)`)}, {"Chrome", regexp.MustCompile(`(?:Chrome|CriOS)/(\d+)`)},
	{"Safari", regexp.MustCompile(`Version/(\d+)\S* .*Safari`)},
}

// refusePublisher answers who is not let in.
func refusePublisher(w http.ResponseWriter, err error) {
	if fault.As(err).Kind.Status == http.StatusUnauthorized {
		w.Header().Set("WWW-Authenticate", `Bearer realm="`+store.Realm+`"`)
	}
	problem.Write(w, err)
}

// agentOf is what a publisher calls itself, in short where it is a browser.
func agentOf(r *http.Request) string {
	agent := r.UserAgent()
	for _, e := range engines {
		if m := e.as.FindStringSubmatch(agent); m != nil {
			return e.name + " " + m[1]
		}
	}
	return agent[:min(len(agent), longestBrowser)]
}

func publishOfferFault(err error) error {
	switch {
	case errors.Is(err, whip.ErrFull):
		return fault.New(fault.PublishersFull, err, "")
	case errors.Is(err, whip.ErrCodec):
		return fault.New(fault.PublishCodec, err, "")
	case errors.Is(err, whip.ErrOffer):
		return fault.New(fault.OfferBroken, err, "%v", err)
	}
	return fault.New(fault.OfferUnanswered, err, "")
}

// endWHIP ends a session; its name is known to whoever opened it alone.
func (a *API) endWHIP(c *gin.Context) {
	allowOrigins(c.Writer.Header())
	if a.cfg.Publishers != nil {
		if session, err := a.cfg.Publishers.Session(c.Param("feed"), c.Param("id")); err == nil {
			session.End(fault.New(fault.PublisherLeft, nil, ""))
			c.Writer.WriteHeader(http.StatusOK)
			return
		}
	}
	problem.Write(c.Writer, fault.New(fault.SessionUnknown, nil, ""))
}

// cameraPage is the page by which a phone or a laptop becomes a camera.
type cameraPage struct{ Feed string }

// serveCameraPage answers /publish/{feed}. It is the same whether there is such a feed or not:
// the pass stands behind the # of its address, which no server sees.
func (a *API) serveCameraPage(c *gin.Context) {
	a.page(c.Writer, http.StatusOK, "camera.html", "'none'", cameraPage{c.Param("feed")})
}
