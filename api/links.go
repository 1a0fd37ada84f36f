package api

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/snippet"
	"webostrum/station"
	"webostrum/store"
)

// mostLinks bounds the links of a feed.
const mostLinks = 20_000

// loadLinks puts the records of links where they are looked up.
func (a *API) loadLinks() error {
	keys, err := a.store.LinkKeys()
	if err != nil {
		return err
	}
	for _, k := range keys {
		a.links.AddKey(uint16(k.ID), k.Secret)
	}
	records, err := a.store.AllLinks()
	if err != nil {
		return err
	}
	for _, r := range records {
		l, err := linkOf(r)
		if err != nil {
			a.cfg.Log.Error("a link's record cannot be used", "link", r.Name, "error", err)
			continue
		}
		if r.UsedAt != nil {
			l.Use(*r.UsedAt)
		}
		a.links.Put(l)
	}
	return nil
}

func linkOf(r store.Link) (*access.Link, error) {
	l := &access.Link{ID: r.ID, Feed: r.FeedID, Name: r.Name, Key: uint16(r.KeyID), Sum: r.Sum, Most: r.MostViewers}
	if r.EndsAt != nil {
		l.Ends = *r.EndsAt
	}
	for _, d := range strings.Fields(r.Deliveries) {
		l.Deliveries = append(l.Deliveries, access.Delivery(d))
	}
	var err error
	l.Sites, err = access.ParseSites(strings.Fields(r.Sites))
	return l, err
}

// applyLink puts settings into a link's record.
func applyLink(s apitypes.LinkSettings, r *store.Link, now time.Time) error {
	sites, err := access.ParseSites(s.Sites)
	if err != nil {
		return refused("sites", err.Error())
	}
	r.EndsAt = nil
	if s.Ends != nil {
		if !s.Ends.After(now) {
			return refused("ends", fmt.Sprintf("%s has passed: a link ends in the future, or when somebody ends it", s.Ends.UTC().Format(time.RFC3339)))
		}
		ends := s.Ends.UTC()
		r.EndsAt = &ends
	}
	r.Sites, r.MostViewers = strings.Join(sites.Strings(), " "), s.Most
	r.Deliveries = strings.Join(slices.Compact(slices.Sorted(slices.Values(s.Deliveries))), " ")
	return nil
}

func (a *API) linkView(feed string, l *access.Link, created time.Time, watching map[int64]int) apitypes.Link {
	now := time.Now()
	v := apitypes.Link{Feed: feed, Created: created.UTC(), Viewers: watching[l.ID], Over: l.Over(now), Text: a.links.Text(l)}
	v.Name, v.Most, v.Sites, v.Deliveries = l.Name, l.Most, l.Sites.Strings(), []string{}
	for _, d := range l.Deliveries {
		v.Deliveries = append(v.Deliveries, string(d))
	}
	if !l.Ends.IsZero() {
		ends := l.Ends.UTC()
		v.Ends = &ends
	}
	if used := l.Used(); !used.IsZero() {
		v.Used = &used
	}
	if v.Text != "" {
		o := snippet.Options{Feed: feed, Link: v.Text}
		v.Watch, v.Embed, v.Media = o.Watch(), o.Page(), o.Media("")
	}
	return v
}

type linkOutput struct{ Body apitypes.Link }

func (a *API) listLinks(_ context.Context, in *feedPath) (*struct{ Body apitypes.LinkList }, error) {
	list, err := a.store.Links(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	watching := a.viewers.ByLink(time.Now())
	out := apitypes.LinkList{Links: []apitypes.Link{}}
	for _, r := range list {
		if l := a.links.Get(r.ID); l != nil { // else it has just been ended
			out.Links = append(out.Links, a.linkView(in.Name, l, r.CreatedAt, watching))
		}
	}
	return &struct{ Body apitypes.LinkList }{out}, nil
}

func (a *API) addLink(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Body apitypes.NewLink
}) (*linkOutput, error) {
	r := store.Link{Name: in.Body.Name}
	if err := applyLink(in.Body.LinkSettings, &r, time.Now()); err != nil {
		return nil, err
	}
	a.linking.Lock()
	defer a.linking.Unlock()
	feed, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	if a.linkCounts()[feed.Rules().ID] >= mostLinks {
		return nil, refused("name", fmt.Sprintf("a feed can have %d links; end some first", mostLinks))
	}
	keys, err := a.store.LinkKeys()
	if err != nil {
		return nil, answerFor(err)
	}
	r.KeyID = keys[len(keys)-1].ID
	if err := a.store.AddLink(in.Name, &r); err != nil {
		if errors.Is(err, store.ErrTaken) {
			return nil, taken("the feed has a link of that name")
		}
		return nil, answerFor(err)
	}
	l, err := linkOf(r)
	if err != nil {
		return nil, answerFor(err)
	}
	a.links.Put(l)
	a.by(ctx).Note(in.Name, station.EventChange, "link "+l.Name+" was made: "+linkTerms(l))
	return &linkOutput{a.linkView(in.Name, l, r.CreatedAt, nil)}, nil
}

// linkTerms says what a link lets its viewers do.
func linkTerms(l *access.Link) string {
	terms := []string{"without an end"}
	if !l.Ends.IsZero() {
		terms[0] = "until " + l.Ends.UTC().Format(time.RFC3339)
	}
	if len(l.Sites) > 0 {
		terms = append(terms, "on "+strings.Join(l.Sites.Strings(), ", "))
	}
	for _, d := range l.Deliveries {
		terms = append(terms, d.Name())
	}
	if l.Most > 0 {
		terms = append(terms, fmt.Sprintf("%d viewers at a time", l.Most))
	}
	return strings.Join(terms, ", ")
}

type linkName struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Link string `path:"link" maxLength:"40" doc:"Name of the link" example:"wall-panel"`
}

func (a *API) editLink(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Link string `path:"link" maxLength:"40" doc:"Name of the link" example:"wall-panel"`
	Body apitypes.LinkSettings
}) (*linkOutput, error) {
	a.linking.Lock()
	defer a.linking.Unlock()
	r, err := a.store.Link(in.Name, in.Link)
	if err != nil {
		return nil, a.answerForLink(in.Name, err)
	}
	before, err := linkOf(r)
	if err != nil {
		return nil, answerFor(err)
	}
	if err := applyLink(in.Body, &r, time.Now()); err != nil {
		return nil, err
	}
	if err := a.store.SaveLink(&r); err != nil {
		return nil, a.answerForLink(in.Name, err)
	}
	l, err := linkOf(r)
	if err != nil {
		return nil, answerFor(err)
	}
	a.links.Put(l)
	a.grants.changed()
	a.by(ctx).Note(in.Name, station.EventChange, "link "+l.Name+" was "+linkTerms(before)+" and is "+linkTerms(l))
	return &linkOutput{a.linkView(in.Name, l, r.CreatedAt, a.viewers.ByLink(time.Now()))}, nil
}

func (a *API) removeLink(ctx context.Context, in *linkName) (*struct{}, error) {
	a.linking.Lock()
	defer a.linking.Unlock()
	r, err := a.store.RemoveLink(in.Name, in.Link)
	if err != nil {
		return nil, a.answerForLink(in.Name, err)
	}
	a.links.Drop(func(l *access.Link) bool { return l.ID == r.ID })
	a.grants.changed()
	a.by(ctx).Note(in.Name, station.EventChange, "link "+in.Link+" was ended")
	return nil, nil
}

func (a *API) answerForLink(feed string, err error) error {
	if !errors.Is(err, store.ErrNotFound) {
		return answerFor(err)
	}
	if _, unknown := a.station.Get(feed); unknown != nil {
		return answerFor(unknown)
	}
	return answerFor(fault.New(fault.LinkUnknown, err, ""))
}

// renewLinkKey makes another key for links. Those of the keys before stay good, unless
// they are to end.
func (a *API) renewLinkKey(ctx context.Context, in *struct{ Body apitypes.NewLinkKey }) (*struct{ Body apitypes.LinkKey }, error) {
	a.linking.Lock()
	defer a.linking.Unlock()
	k, err := a.store.AddLinkKey()
	if err != nil {
		return nil, answerFor(err)
	}
	if k.ID > math.MaxUint16 {
		return nil, answerFor(fmt.Errorf("there have been as many keys as there can be: %d", k.ID))
	}
	a.links.AddKey(uint16(k.ID), k.Secret)
	what := "links are signed by another key from now on"
	ended := 0
	if in.Body.EndOthers {
		if err := a.store.EndLinksBefore(k.ID); err != nil {
			return nil, answerFor(err)
		}
		ended = a.links.Drop(func(l *access.Link) bool { return int64(l.Key) < k.ID })
		for number := range k.ID {
			a.links.DropKey(uint16(number))
		}
		a.grants.changed()
		what += fmt.Sprintf(", and %d links of the keys before ended", ended)
	}
	a.by(ctx).Note("", station.EventChange, what)
	return &struct{ Body apitypes.LinkKey }{apitypes.LinkKey{Key: k.ID, Ended: ended}}, nil
}

// linkCounts returns how many links each feed has, by its record's ID.
func (a *API) linkCounts() map[int64]int {
	counts := make(map[int64]int)
	a.links.All(func(l *access.Link) { counts[l.Feed]++ })
	return counts
}
