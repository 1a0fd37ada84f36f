package api

import (
	"context"
	"fmt"
	"net/url"
	"strings"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/snippet"
	"webostrum/store"
)

type embedInput struct {
	ownBase
	Name      string  `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Link      string  `query:"link" maxLength:"40" doc:"Name of a link that opens it; engineers only"`
	Address   string  `query:"address" maxLength:"300" doc:"Of the service, as viewers reach it; when left out the one that viewers outside come by, or else the one asked by" example:"https://cams.example.org"`
	Prefer    string  `query:"prefer" enum:"delay,reach,simple" doc:"What is tried first: the least delay, what plays everywhere, or Motion JPEG"`
	Within    float64 `query:"within" minimum:"0" maximum:"3600" doc:"Seconds that the picture may be behind; 0 for what there is"`
	Rendition string  `query:"rendition" maxLength:"40" doc:"Name of a rendition"`
	Audio     bool    `query:"audio" doc:"Whether it starts with audio, where the browser lets it"`
	Start     string  `query:"start" enum:"visible,press" doc:"Starts when it is seen, or when it is pressed; at once when left out"`
	Controls  string  `query:"controls" enum:"none" doc:"Hides the controls"`
	Fit       string  `query:"fit" enum:"contain,cover,fill" doc:"How the picture fills its place"`
	Poster    string  `query:"poster" enum:"still" doc:"Shows a still before it starts"`
	Width     int     `query:"width" minimum:"0" maximum:"7680" doc:"Pixels; 0 fills what there is"`
	Height    int     `query:"height" minimum:"0" maximum:"4320" doc:"Pixels; 0 follows the picture"`
}

func (a *API) embedFeed(ctx context.Context, in *embedInput) (*struct{ Body apitypes.Embedding }, error) {
	f, err := a.seen(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	base, err := a.embedBase(in)
	if err != nil {
		return nil, err
	}
	s := f.Status()
	o := snippet.Options{
		Base: base, Feed: in.Name, Title: s.Record.Title, Prefer: in.Prefer, Within: in.Within, Rendition: in.Rendition, Audio: in.Audio,
		Start: in.Start, Controls: in.Controls, Fit: in.Fit, Poster: in.Poster, Width: in.Width, Height: in.Height, Ratio: ratio(s.Width, s.Height),
	}
	m := admission{caller: callerOf(ctx), feed: f}
	if in.Link != "" {
		if m.link, err = a.linkNamed(ctx, in.Name, in.Link); err != nil {
			return nil, err
		}
		o.Link = a.links.Text(m.link)
	}
	return &struct{ Body apitypes.Embedding }{a.embedding(o, m)}, nil
}

// embedBase is the service's address that a snippet uses.
func (a *API) embedBase(in *embedInput) (string, error) {
	if in.Address == "" {
		if outside := a.outside(); outside != "" {
			return outside, nil
		}
		return a.baseOf(in.request), nil
	}
	u, err := url.Parse(in.Address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || u.RawQuery != "" || u.Fragment != "" {
		return "", refused("address", "an address is like https://cams.example.org or http://192.0.2.10:7600")
	}
	return strings.TrimSuffix(u.String(), "/"), nil
}

// linkNamed returns a feed's link whose text can be shown.
func (a *API) linkNamed(ctx context.Context, feed, name string) (*access.Link, error) {
	if err := permitted(callerOf(ctx), needsEngineer); err != nil {
		return nil, answerFor(err)
	}
	r, err := a.store.Link(feed, name)
	if err != nil {
		return nil, a.answerForLink(feed, err)
	}
	l := a.links.Get(r.ID)
	if l == nil || a.links.Text(l) == "" {
		return nil, answerFor(fault.New(fault.LinkUnknown, store.ErrNotFound, "The text of this link is not kept: it is from before texts were signed, and was shown once."))
	}
	return l, nil
}

// ratio is a picture's, in the smallest numbers.
func ratio(w, h int) [2]int {
	a, b := w, h
	for b > 0 {
		a, b = b, a%b
	}
	if a == 0 {
		return [2]int{}
	}
	return [2]int{w / a, h / a}
}

func (a *API) embedding(o snippet.Options, m admission) apitypes.Embedding {
	e := apitypes.Embedding{Address: o.Page(), Iframe: o.Iframe(), Element: o.Element(), Script: o.Script()}
	gives := map[access.Delivery]bool{}
	for _, d := range m.deliveries() {
		gives[d] = true
	}
	switch {
	case gives[access.MotionJPEG]:
		e.Image = o.Image(false)
	case gives[access.Still]:
		e.Image = o.Image(true)
	}
	if gives[access.HLS] {
		e.Video = o.Video()
	}
	u, err := url.Parse(o.Base)
	if err == nil {
		e.Reach = reachOf(u.Hostname())
	}
	e.ReachNote, e.Notes = a.reachNote(o.Base, e.Reach), embedNotes(o, m, e.Reach)
	return e
}

// reachNote says who does not get to an address; empty where everybody may, as far as it
// tells.
func (a *API) reachNote(base, reach string) string {
	switch reach {
	case reachMachine:
		note := "Only this machine gets to " + base + "."
		if others := a.others(); len(others) > 0 && reachOfURL(others[0]) != reachMachine {
			return note + " Viewers elsewhere reach " + strings.Join(others, " or ") + "."
		}
		return note + " Choose an address that your viewers reach."
	case reachNetwork:
		return "Only this machine's network gets to " + base + ". For viewers elsewhere choose an address that they reach."
	}
	return ""
}

// embedNotes say what else to know before something is put into a page.
func embedNotes(o snippet.Options, m admission, reach string) []string {
	notes := []string{}
	add := func(format string, args ...any) { notes = append(notes, fmt.Sprintf(format, args...)) }
	if strings.HasPrefix(o.Base, "http://") && reach != reachMachine {
		add("A page on https:// cannot show what comes from http://: reach the service over HTTPS for that.")
	}
	rules := m.feed.Rules()
	switch {
	case m.link != nil && !m.link.Ends.IsZero():
		add("Whoever sees the page can watch, by link %s, until %s.", m.link.Name, m.link.Ends.UTC().Format("2 January 2006, 15:04 UTC"))
	case m.link != nil:
		add("Whoever sees the page can watch, by link %s.", m.link.Name)
	case rules.Audience != access.Everyone:
		add("In pages of other sites nobody is signed in here, so they show nothing of this feed: use a link, or let everyone watch.")
	}
	if sites := m.sites(); len(sites) > 0 {
		add("Only pages of %s may show it.", strings.Join(sites.Strings(), ", "))
	}
	return notes
}
