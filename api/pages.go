package api

import (
	"embed"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/core/snippet"
	"webostrum/deliver/problem"
)

//go:embed pages
var pageFiles embed.FS

// parsePages reads the pages of a service that is under a base path.
func parsePages(base string) (*template.Template, error) {
	at := func(path string) string { return base + path }
	return template.New("pages").Funcs(template.FuncMap{"at": at}).ParseFS(pageFiles, "pages/*.html")
}

// playerPage is a page that is all player.
type playerPage struct {
	Title, Feed, Link string

	// What the player is asked for; see its attributes.
	Prefer, By, Within, Rendition, Audio, Start, Controls, Fit, Poster string

	OEmbed string // address of the page's oEmbed answer; empty for none
	Open   *openGraph
}

// openGraph describes a page to those who show a preview of it (ogp.me).
type openGraph struct {
	URL, Image, Player string
	Width, Height      int // of the player
}

// messagePage says why there is nothing to see.
type messagePage struct {
	Title, Sentence, Remedy string
	Link, LinkText          string
}

const (
	basePolicy = "default-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; style-src 'self' 'unsafe-inline'; " +
		"worker-src 'self' blob:; connect-src 'self'; base-uri 'none'; form-action 'self'"
	ownFrames = "'self'"
)

// secureHeaders sets what every answer carries.
func secureHeaders(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Content-Security-Policy", policy(ownFrames))
}

func (a *API) pageRoutes(g *gin.Engine) {
	g.GET("/watch/:feed", a.serveWatch)
	g.GET("/watch/:feed/link/:text", a.serveWatch)
	g.GET("/embed/:feed", a.serveEmbed)
	g.GET("/embed/:feed/link/:text", a.serveEmbed)
	g.GET("/wall", a.serveWall)
	g.GET("/oembed", a.serveOEmbed)
}

// policy is the content policy of a page that pages of ancestors may frame; empty for all.
func policy(ancestors string) string {
	if ancestors == "" {
		return basePolicy
	}
	return basePolicy + "; frame-ancestors " + ancestors
}

// page sends a page that pages of ancestors may frame; empty for all.
func (a *API) page(w http.ResponseWriter, status int, name, ancestors string, data any) {
	a.pageUnder(w, status, name, policy(ancestors), data)
}

// pageUnder sends a page with a content policy of its own.
func (a *API) pageUnder(w http.ResponseWriter, status int, name, content string, data any) {
	h := w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Security-Policy", content)
	w.WriteHeader(status)
	_ = a.pages.ExecuteTemplate(w, name, data) // a viewer that has gone is no error
}

// message sends a page that says why there is nothing to see. Nothing of a feed is on it,
// so every page may frame it.
func (a *API) message(w http.ResponseWriter, err error, link, text string) {
	p := problem.Of(err)
	a.page(w, p.Status, "message.html", "", messagePage{Title: "Nothing to see here", Sentence: p.Detail, Remedy: p.Remedy, Link: link, LinkText: text})
}

// serveWatch answers /watch/{feed}, and the same behind a link.
func (a *API) serveWatch(c *gin.Context) {
	w, name, link := c.Writer, c.Param("feed"), c.Param("text")
	m, err := a.enterFeed(c.Request, name, link)
	switch {
	case err != nil && viewersOnly(c.Request):
		a.message(w, shownElsewhere(err), "", "")
		return
	case err != nil && link == "" && !m.signedIn():
		a.askWho(c, "/watch/"+name)
		return
	case err != nil:
		a.message(w, err, a.at("/"), "See which feeds there are")
		return
	}
	p := a.playerPage(c, m)
	base := a.baseOf(c.Request)
	if m.shared() {
		p.OEmbed = base + "/oembed?url=" + url.QueryEscape(base+c.Request.URL.Path) // which is without the base by now
	}
	if m.stranger() && m.feed.Rules().Audience == access.Everyone {
		p.Open = openGraphOf(snippet.Options{Base: base, Feed: name}, m)
	}
	a.page(w, http.StatusOK, "watch.html", ownFrames, p)
}

// askWho has somebody sign in and come back to a path.
func (a *API) askWho(c *gin.Context, path string) {
	c.Redirect(http.StatusSeeOther, a.at("/?next="+url.QueryEscape(a.at(path))))
}

// shownElsewhere says to viewers of the address that is for them alone what they can do: there
// nobody signs in.
func shownElsewhere(err error) error {
	var f *fault.Error
	if errors.As(err, &f) && f.Kind.Code == fault.FeedSignInNeeded {
		return fault.New(fault.FeedNotShown, nil, "")
	}
	return err
}

// serveEmbed answers /embed/{feed}, and the same behind a link: the player alone, for
// frames of the sites that may show it.
func (a *API) serveEmbed(c *gin.Context) {
	w, r, name, link := c.Writer, c.Request, c.Param("feed"), c.Param("text")
	m, err := a.enterFeed(r, name, link)
	if err != nil && viewersOnly(r) {
		a.message(w, shownElsewhere(err), "", "")
		return
	}
	if err == nil {
		err = m.fits() // whatever frames it further up, the header below tells the browser
	}
	var f *fault.Error
	switch {
	case errors.As(err, &f) && (f.Kind.Code == fault.FeedSignInNeeded || f.Kind.Code == fault.SiteRefused):
		a.message(w, err, snippet.Options{Base: a.cfg.Front.Base, Feed: name, Link: link}.Watch(), "Open it on its own page")
		return
	case err != nil:
		a.message(w, err, "", "")
		return
	}
	a.page(w, http.StatusOK, "embed.html", m.sites().Ancestors(), a.playerPage(c, m))
}

func (a *API) playerPage(c *gin.Context, m admission) playerPage {
	title := m.feed.Status().Record.Title
	if t := c.Query("title"); t != "" && len(t) <= 120 {
		title = t
	}
	return playerPage{
		Title: title, Feed: m.feed.Rules().Name, Link: m.text,
		Prefer: oneOf(c.Query("prefer"), "delay", "reach", "simple"), By: oneOf(c.Query("by"), "webrtc", "fragments", "hls", "hls-plain", "motion-jpeg"), Within: short(c.Query("within")), Rendition: short(c.Query("rendition")),
		Audio: oneOf(c.Query("audio"), "on"), Start: oneOf(c.Query("start"), "visible", "press"), Controls: oneOf(c.Query("controls"), "none"),
		Fit: oneOf(c.Query("fit"), "contain", "cover", "fill"), Poster: oneOf(c.Query("poster"), "still"),
	}
}

// short returns a text that is no longer than names and numbers are.
func short(text string) string {
	const longest = 40
	if len(text) > longest {
		return ""
	}
	return text
}

// oneOf returns what was asked for if it is one of a list.
func oneOf(asked string, list ...string) string {
	if slices.Contains(list, asked) {
		return asked
	}
	return ""
}

// mostTiles bounds a wall.
const mostTiles = 64

// tile is a place on a wall.
type tile struct{ Feed, Link, Title, Refused string }

type wallPage struct {
	Tiles  []tile
	Prefer string
}

// serveWall answers /wall?feeds=a,b&links=TEXT,TEXT: many feeds on one screen; without
// either all that the caller may watch.
func (a *API) serveWall(c *gin.Context) {
	r := c.Request
	feeds, links := split(c.Query("feeds")), split(c.Query("links"))
	who := callerOf(r.Context())
	if len(feeds)+len(links) == 0 {
		for _, f := range a.station.List() {
			if who.watches(f.Rules()) {
				feeds = append(feeds, f.Rules().Name)
			}
		}
	}
	p := wallPage{Prefer: oneOf(c.Query("prefer"), "delay", "reach", "simple")}
	for _, name := range feeds {
		p.Tiles = append(p.Tiles, a.tile(r, name, ""))
	}
	for _, text := range links {
		p.Tiles = append(p.Tiles, a.tile(r, a.feedOfLink(text), text))
	}
	p.Tiles = p.Tiles[:min(len(p.Tiles), mostTiles)]
	seen := slices.ContainsFunc(p.Tiles, func(t tile) bool { return t.Refused == "" })
	if !seen && !who.signedIn() && len(links) == 0 && !viewersOnly(r) {
		a.askWho(c, r.URL.RequestURI())
		return
	}
	a.page(c.Writer, http.StatusOK, "wall.html", ownFrames, p)
}

func split(list string) []string {
	parts := strings.FieldsFunc(list, func(r rune) bool { return r == ',' || r == ' ' })
	return parts[:min(len(parts), mostTiles)]
}

func (a *API) tile(r *http.Request, feed, link string) tile {
	m, err := a.enterFeed(r, feed, link)
	if err != nil {
		return tile{Title: feed, Refused: problem.Of(err).Detail}
	}
	return tile{Feed: feed, Link: link, Title: m.feed.Status().Record.Title}
}

// feedOfLink is the name of the feed that a link opens; empty when it opens none.
func (a *API) feedOfLink(text string) string {
	l, err := a.links.Find(text, time.Now())
	if err != nil {
		return ""
	}
	for _, f := range a.station.List() {
		if rules := f.Rules(); rules.ID == l.Feed {
			return rules.Name
		}
	}
	return ""
}
