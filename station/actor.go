package station

import (
	"context"
	"slices"
	"time"

	"webostrum/core/fault"
	"webostrum/store"
)

// Actor changes feeds in somebody's name, which the events of it tell.
type Actor struct {
	st               *Station
	account, address string
}

// By returns what changes feeds in the name of an account, from an address; empty
// strings stand for the service itself.
func (st *Station) By(account, address string) Actor { return Actor{st, account, address} }

// Note writes an event; feed is empty for one of the service itself.
func (a Actor) Note(feed, kind, text string) {
	a.st.event(store.Event{At: time.Now(), Feed: feed, Kind: kind, Text: text, Account: a.account, Address: a.address})
}

// Warn writes an event of a fault.
func (a Actor) Warn(feed string, code fault.Code, text string) {
	a.st.event(store.Event{At: time.Now(), Feed: feed, Kind: EventWarning, Code: string(code), Text: text, Account: a.account, Address: a.address})
}

// Add records a feed and runs it if it is switched on.
func (a Actor) Add(r store.Feed) (*Feed, error) {
	return a.AddFitting(r, func(store.Feed) error { return nil })
}

// AddFitting is Add of a feed that has to fit the others, which nobody changes meanwhile.
func (a Actor) AddFitting(r store.Feed, fits func(store.Feed) error) (*Feed, error) {
	st := a.st
	st.editing.Lock()
	defer st.editing.Unlock()
	if st.ctx.Err() != nil {
		return nil, ErrClosed
	}
	if err := fits(r); err != nil {
		return nil, err
	}
	if err := st.store.AddFeed(&r); err != nil {
		return nil, err
	}
	a.Note(r.Name, EventChange, "the feed was added")
	return st.putOpening(r), nil
}

// Edit changes a feed's record. change gets the present one and may refuse.
func (a Actor) Edit(name, what string, change func(*store.Feed) error) (*Feed, error) {
	return a.EditTelling(name, func(_, _ store.Feed) string { return what }, change)
}

// EditTelling is Edit with an event that tells the record before and after.
func (a Actor) EditTelling(name string, tell func(before, after store.Feed) string, change func(*store.Feed) error) (*Feed, error) {
	st := a.st
	st.editing.Lock()
	defer st.editing.Unlock()
	r, err := st.store.Feed(name)
	if err != nil {
		return nil, err
	}
	before := r
	before.Renditions, before.Requests = slices.Clone(r.Renditions), slices.Clone(r.Requests)
	if err := change(&r); err != nil {
		return nil, err
	}
	if err := st.store.SaveFeed(&r); err != nil {
		return nil, err
	}
	a.Note(name, EventChange, tell(before, r))
	return a.renewed(before, r)
}

// Remove stops a feed and removes its record.
func (a Actor) Remove(name string) error {
	st := a.st
	st.editing.Lock()
	defer st.editing.Unlock()
	if _, err := st.Get(name); err != nil {
		return err
	}
	if err := st.store.RemoveFeed(name); err != nil {
		return err
	}
	a.forget(name)
	return nil
}

// Apply makes changes of many feeds, all or none. plan gets the present records and says
// what to change; what it returns with none to change is only looked at.
func (a Actor) Apply(plan func(present []store.Feed) (store.Changes, error), tell func(before, after store.Feed) string) error {
	st := a.st
	st.editing.Lock()
	defer st.editing.Unlock()
	if st.ctx.Err() != nil {
		return ErrClosed
	}
	present, err := st.store.Feeds()
	if err != nil {
		return err
	}
	before := make(map[string]store.Feed, len(present))
	for _, r := range present {
		r.Renditions, r.Requests = slices.Clone(r.Renditions), slices.Clone(r.Requests)
		before[r.Name] = r
	}
	changes, err := plan(present)
	if err != nil {
		return err
	}
	if err := st.store.Apply(changes); err != nil {
		return err
	}
	for _, name := range changes.Remove {
		a.forget(name)
	}
	for _, r := range changes.Add {
		a.Note(r.Name, EventChange, "the feed was added")
		st.putOpening(*r)
	}
	for _, r := range changes.Save {
		a.Note(r.Name, EventChange, tell(before[r.Name], *r))
		a.renewed(before[r.Name], *r)
	}
	return nil
}

// renewed has a feed go on with a changed record.
func (a Actor) renewed(before, r store.Feed) (*Feed, error) {
	if needsRestart(before, r) {
		return a.st.putOpening(r), nil
	}
	f, err := a.st.Get(r.Name)
	if err == nil {
		f.renew(before, r)
		a.st.changed()
	}
	return f, err
}

// forget stops a feed whose record is gone.
func (a Actor) forget(name string) {
	st := a.st
	f, err := st.Get(name)
	if err != nil {
		return
	}
	st.halt(f)
	st.aside(func(context.Context) { f.device.close() }) // it may be about to answer
	st.mu.Lock()
	delete(st.feeds, name)
	st.mu.Unlock()
	a.Note(name, EventChange, "the feed was removed")
}
