package api

import (
	"bytes"
	"cmp"
	"errors"
	"net/http"
	"strings"
	"time"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/station"
)

// admission is how somebody was let in to a feed's media.
type admission struct {
	caller
	feed     *station.Feed
	link     *access.Link // that opened it; nil for none
	text     string       // of that link
	delivery access.Delivery
	asker    access.Asker
}

// stranger says that nobody has let the caller in: the feed is for everyone.
func (m admission) stranger() bool { return !m.signedIn() && m.link == nil }

// sites are those that may show what was let in to.
func (m admission) sites() access.Sites {
	if m.link != nil && len(m.link.Sites) > 0 {
		return m.link.Sites
	}
	return m.feed.Rules().Sites
}

// until is when the admission ends by itself; zero for never.
func (m admission) until() time.Time {
	switch {
	case m.link != nil:
		return m.link.Ends
	case m.token != nil:
		return m.token.ExpiresAt
	}
	return time.Time{}
}

// shared says that whoever has the address may have what was sent, so that a cache in
// front may keep it.
func (m admission) shared() bool {
	return m.link != nil || m.feed.Rules().Audience == access.Everyone
}

// fits says why somebody who was let in does not get a delivery, or not on that site.
func (m admission) fits() error {
	switch {
	case !m.sites().Allow(m.asker):
		return fault.New(fault.SiteRefused, nil, "")
	case m.delivery == "":
		return nil
	case !m.feed.Rules().Gives(m.delivery):
		return fault.New(fault.DeliveryOff, nil, "%s is switched off for this feed.", m.delivery.Name())
	case m.link != nil && !m.link.Gives(m.delivery):
		return fault.New(fault.LinkDelivery, nil, "This link does not open %s.", m.delivery.Name())
	}
	return nil
}

// deliveries are those that whoever was let in may have.
func (m admission) deliveries() []access.Delivery {
	list := []access.Delivery{}
	for _, d := range access.Deliveries {
		if m.feed.Rules().Gives(d) && (m.link == nil || m.link.Gives(d)) {
			list = append(list, d)
		}
	}
	return list
}

// asker is what a request says of the page that makes it.
func asker(r *http.Request) access.Asker {
	return access.Asker{
		Host: r.Host, Origin: r.Header.Get("Origin"), Referer: r.Header.Get("Referer"),
		FetchSite: r.Header.Get("Sec-Fetch-Site"), FetchDest: r.Header.Get("Sec-Fetch-Dest"),
	}
}

// enterFeed lets somebody in to a feed, by a link's text or by who they are, without
// looking at sites and deliveries. Strangers are not told which feeds there are.
func (a *API) enterFeed(r *http.Request, name, link string) (m admission, err error) {
	feed, err := a.station.Get(name)
	m = admission{caller: callerOf(r.Context()), feed: feed, text: link, asker: asker(r)}
	if link != "" {
		return a.enterByLink(m, err)
	}
	switch {
	case err == nil && m.watches(feed.Rules()):
		return m, nil
	case !m.signedIn():
		return m, fault.New(fault.FeedSignInNeeded, nil, "")
	case err != nil && m.reader():
		return m, fault.New(fault.FeedUnknown, err, "")
	}
	return m, fault.New(fault.FeedRefused, nil, "")
}

func (a *API) enterByLink(m admission, unknown error) (admission, error) {
	now := time.Now()
	var err error
	if unknown != nil {
		_, err = a.links.Find(m.text, now)
		err = cmp.Or(err, access.ErrForeign)
	} else {
		m.link, err = a.links.Open(m.text, m.feed.Rules().ID, now)
	}
	switch {
	case errors.Is(err, access.ErrForged):
		return m, fault.New(fault.LinkForged, nil, "")
	case errors.Is(err, access.ErrEnded):
		return m, fault.New(fault.LinkEnded, nil, "")
	case err != nil:
		return m, fault.New(fault.LinkForeign, nil, "")
	}
	m.link.Use(now)
	return m, nil
}

// watchable lets somebody in to a delivery of a feed, or answers why not. link is the
// text of a link in the address, and rest what is asked for.
func (a *API) watchable(w http.ResponseWriter, r *http.Request, name, link string, delivery access.Delivery, rest string) (m admission, ok bool) {
	m, err := a.enterFeed(r, name, link)
	if err != nil && link == "" && !m.signedIn() { // the Authorization header may have a name and password
		p := a.plainSignIn(r)
		if p.who == nil {
			a.demand(w, r, p)
			return m, false
		}
		if m.account = p.who; m.feed == nil || !m.watches(m.feed.Rules()) {
			err = fault.New(fault.FeedRefused, nil, "")
		} else {
			err = nil
		}
	}
	if err == nil {
		m.delivery, m.asker.Part = delivery, delivery == access.HLS && !strings.HasSuffix(rest, ".m3u8")
		err = m.fits()
	}
	if err != nil {
		allowOrigins(w.Header())
		problem.Write(w, err)
		return m, false
	}
	return m, true
}

// still says whether somebody who was let in would be now. r is the request of then.
func (a *API) still(m admission, r *http.Request) bool {
	name := m.feed.Rules().Name
	if feed, err := a.station.Get(name); err != nil || feed != m.feed {
		return false
	}
	if m.link != nil {
		link, err := a.links.Open(m.text, m.feed.Rules().ID, time.Now())
		if err != nil {
			return false
		}
		m.link = link
		return m.fits() == nil
	}
	if now, ok := a.stillSignedIn(m.caller, r); ok {
		m.caller = now
	} else if m.feed.Rules().Audience != access.Everyone {
		return false
	}
	return m.watches(m.feed.Rules()) && m.fits() == nil
}

// stillSignedIn says whether what a request was signed in by is still good, and for what.
func (a *API) stillSignedIn(who caller, r *http.Request) (now caller, ok bool) {
	if !who.signedIn() {
		return caller{}, false
	}
	if token := credential(r); token != "" {
		now := a.byToken(token)
		return now, now.signedIn() && now.account.ID == who.account.ID && now.account.Role == who.account.Role
	}
	account, err := a.store.AccountByName(who.account.Name) // by name and password
	return caller{account: account}, err == nil && account.ID == who.account.ID && bytes.Equal(account.Hash, who.account.Hash)
}
