// Package snippet writes what puts a feed into a page: HTML of an iframe, of the player's
// element, of a plain image or video, and the addresses in it.
package snippet

import (
	"fmt"
	"html"
	"net/url"
	"strconv"
	"strings"
)

// Options say what is put into a page, and how. Empty strings and zeros leave it to the
// player.
type Options struct {
	Base  string // of the service, such as https://cams.example.org
	Feed  string // its name
	Link  string // text of a link; empty for none
	Title string // for people, and for those who hear the page

	Prefer    string  // delay, reach or simple
	Within    float64 // seconds that the picture may be behind
	Rendition string  // its name
	Audio     bool    // starts with audio where the browser lets it
	Start     string  // visible (at once, when it is seen) or press
	Controls  string  // none hides them
	Fit       string  // contain, cover or fill
	Poster    string  // still, before it starts

	Width, Height int // pixels of the place in the page; 0 fills what there is
	Ratio         [2]int
}

// linkPart stands before a link's text in addresses.
const linkPart = "/link/"

// path is a path of the feed's under a room of the service, with the link if there is one.
func (o Options) path(room string) string {
	p := o.Base + room + url.PathEscape(o.Feed)
	if o.Link != "" {
		p += linkPart + url.PathEscape(o.Link)
	}
	return p
}

// settings are what differs from what the player does by itself, by name.
func (o Options) settings() (list [][2]string) {
	add := func(name, value string) {
		if value != "" {
			list = append(list, [2]string{name, value})
		}
	}
	add("prefer", o.Prefer)
	if o.Within > 0 {
		add("within", strconv.FormatFloat(o.Within, 'f', -1, 64))
	}
	add("rendition", o.Rendition)
	if o.Audio {
		add("audio", "on")
	}
	add("start", o.Start)
	add("controls", o.Controls)
	add("fit", o.Fit)
	add("poster", o.Poster)
	return list
}

// Page is the address of the page for iframes.
func (o Options) Page() string { return o.withSettings("/embed/") }

// Watch is the address of the page for people.
func (o Options) Watch() string { return o.withSettings("/watch/") }

func (o Options) withSettings(room string) string {
	q := url.Values{}
	for _, s := range o.settings() {
		q.Set(s[0], s[1])
	}
	if len(q) == 0 {
		return o.path(room)
	}
	return o.path(room) + "?" + q.Encode()
}

// Media is the address of something under the feed's media.
func (o Options) Media(rest string) string { return o.path("/media/") + "/" + rest }

// Script is the address of the player's script.
func (o Options) Script() string { return o.Base + "/player/player.js" }

// Iframe is the HTML of an iframe.
func (o Options) Iframe() string {
	return element("iframe", o.size(),
		attr("src", o.Page()), attr("title", o.Title), attr("allow", "autoplay; fullscreen; picture-in-picture"), attr("referrerpolicy", "origin"), attr("loading", "lazy")) + "</iframe>"
}

// Element is the HTML of the player's script and element.
func (o Options) Element() string {
	list := []string{attr("feed", o.Feed)}
	if o.Link != "" {
		list = append(list, attr("link", o.Link))
	}
	if o.Title != "" {
		list = append(list, attr("label", o.Title))
	}
	for _, s := range o.settings() {
		list = append(list, attr(s[0], s[1]))
	}
	return `<script src="` + html.EscapeString(o.Script()) + "\" async></script>\n" + element("webostrum-player", o.size(), list...) + "</webostrum-player>"
}

// Image is the HTML of an image that moves, or of a still.
func (o Options) Image(still bool) string {
	rest, q := "mjpeg", url.Values{}
	if still {
		rest = "still.jpg"
	}
	if o.Width > 0 {
		q.Set("size", strconv.Itoa(o.Width)+"x")
	}
	if len(q) > 0 {
		rest += "?" + q.Encode()
	}
	return element("img", o.size(), attr("src", o.Media(rest)), attr("alt", o.Title), attr("referrerpolicy", "origin"))
}

// Video is the HTML of a video for browsers that play HLS themselves.
func (o Options) Video() string {
	list := "index.m3u8"
	if o.Rendition != "" {
		list = url.PathEscape(o.Rendition) + ".m3u8"
	}
	return element("video", o.size(), attr("src", o.Media("hls/"+list)), attr("aria-label", o.Title), "autoplay", "muted", "playsinline", "controls") + "</video>"
}

// size is how large it is in the page.
func (o Options) size() string {
	if o.Width > 0 && o.Height > 0 {
		return fmt.Sprintf("display:block;width:%dpx;height:%dpx;max-width:100%%;border:0", o.Width, o.Height)
	}
	w, h := o.Ratio[0], o.Ratio[1]
	if w <= 0 || h <= 0 {
		w, h = 16, 9
	}
	width := "100%"
	if o.Width > 0 {
		width = fmt.Sprintf("min(%dpx, 100%%)", o.Width)
	}
	return fmt.Sprintf("display:block;width:%s;aspect-ratio:%d/%d;border:0", width, w, h)
}

func element(name, style string, attributes ...string) string {
	return "<" + name + " " + strings.Join(append(attributes, attr("style", style)), " ") + ">"
}

func attr(name, value string) string { return name + `="` + html.EscapeString(value) + `"` }
