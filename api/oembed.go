package api

import (
	"encoding/json"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/core/snippet"
	"webostrum/deliver/problem"
	"webostrum/station"
)

// oEmbed is the answer to an editor that was given a page's address (oembed.com, 2.3.4).
type oEmbed struct {
	Version      string `json:"version"`
	Type         string `json:"type"`
	Title        string `json:"title"`
	ProviderName string `json:"provider_name"`
	ProviderURL  string `json:"provider_url"`
	CacheAge     int    `json:"cache_age"`
	HTML         string `json:"html"`
	Width        int    `json:"width"`
	Height       int    `json:"height"`

	ThumbnailURL    string `json:"thumbnail_url,omitempty"`
	ThumbnailWidth  int    `json:"thumbnail_width,omitempty"`
	ThumbnailHeight int    `json:"thumbnail_height,omitempty"`
}

const (
	oEmbedWidth = 640 // pixels, where nothing is said
	oEmbedFresh = 300 // seconds
	stillWide   = 640 // pixels of a preview
	previewAge  = 60  // seconds
)

// serveOEmbed answers /oembed?url=…: what puts a watch or embed page into another.
func (a *API) serveOEmbed(c *gin.Context) {
	w := c.Writer
	allowOrigins(w.Header())
	if format := c.DefaultQuery("format", "json"); format != "json" {
		problem.Write(w, fault.New(fault.FormatUnknown, nil, ""))
		return
	}
	o, m, err := a.embedded(c)
	if err != nil {
		problem.Write(w, err)
		return
	}
	body := oEmbed{
		Version: "1.0", Type: "video", Title: o.Title, ProviderName: "Webostrum", ProviderURL: o.Base + "/", CacheAge: oEmbedFresh,
		HTML: o.Iframe(), Width: o.Width, Height: o.Height,
	}
	if m.link == nil && m.feed.Rules().Gives(access.Still) {
		body.ThumbnailURL, body.ThumbnailWidth, body.ThumbnailHeight = preview(o, m.feed.Status())
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-cache")
	_ = json.NewEncoder(w).Encode(body) // an editor that has gone is no error
}

// embedded reads what is asked for. Only what needs no sign-in can be put into a page so.
func (a *API) embedded(c *gin.Context) (o snippet.Options, m admission, err error) {
	unknown := fault.New(fault.OEmbedUnknown, nil, "")
	u, err := url.Parse(c.Query("url"))
	if err != nil || !strings.EqualFold(u.Host, c.Request.Host) {
		return o, m, unknown
	}
	parts := strings.Split(strings.Trim(strings.TrimPrefix(u.Path, a.cfg.Front.Base), "/"), "/")
	if len(parts) != 2 && (len(parts) != 4 || parts[2] != "link") || parts[0] != "watch" && parts[0] != "embed" {
		return o, m, unknown
	}
	link := ""
	if len(parts) == 4 {
		link = parts[3]
	}
	m, err = a.enterFeed(c.Request, parts[1], link)
	if err != nil {
		return o, m, err
	}
	if !m.shared() {
		return o, m, fault.New(fault.FeedSignInNeeded, nil, "")
	}
	s := m.feed.Status()
	q := u.Query()
	o = snippet.Options{
		Base: a.baseOf(c.Request), Feed: parts[1], Link: link, Title: s.Record.Title,
		Prefer: oneOf(q.Get("prefer"), "delay", "reach", "simple"), Start: oneOf(q.Get("start"), "visible", "press"), Poster: oneOf(q.Get("poster"), "still"),
	}
	o.Width, o.Height = within(s.Width, s.Height, limit(c.Query("maxwidth")), limit(c.Query("maxheight")))
	return o, m, nil
}

// limit reads a number of pixels; 0 for none.
func limit(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 {
		return 0
	}
	return n
}

// within is the largest size of a picture's shape, no wider than usual, within limits.
func within(w, h, mostWide, mostHigh int) (int, int) {
	if w <= 0 || h <= 0 {
		w, h = 16, 9
	}
	wide := oEmbedWidth
	if mostWide > 0 {
		wide = min(wide, mostWide)
	}
	high := max(wide*h/w, 1)
	if mostHigh > 0 && high > mostHigh {
		high = mostHigh
		wide = max(high*w/h, 1)
	}
	return wide, high
}

// preview is the address and size of a small still that caches may keep.
func preview(o snippet.Options, s station.Status) (address string, w, h int) {
	query := "?max-age=" + strconv.Itoa(previewAge)
	w, h = s.Width, s.Height
	if w > stillWide {
		query += "&size=" + strconv.Itoa(stillWide) + "x"
		w, h = stillWide, h*stillWide/w
	}
	return o.Media("still.jpg" + query), w, h
}

func openGraphOf(o snippet.Options, m admission) *openGraph {
	s := m.feed.Status()
	g := &openGraph{URL: o.Watch(), Player: o.Page()}
	g.Width, g.Height = within(s.Width, s.Height, 0, 0)
	if m.feed.Rules().Gives(access.Still) {
		g.Image, _, _ = preview(o, s)
	}
	return g
}
