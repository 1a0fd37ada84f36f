package api

import (
	"fmt"

	"webostrum/core/turns"
	"webostrum/outlet"
	"webostrum/store"
)

// references is what feeds refer to: the feeds that they are made of, and where their files
// are put.
type references struct {
	sources map[string][]string // by feed; all feeds are in it
	outlets map[string]string   // by feed; empty for nowhere
	folder  string              // that outlets' folders are in
}

func (a *API) newReferences() *references {
	r := &references{sources: make(map[string][]string), outlets: make(map[string]string)}
	if a.cfg.Outlet != nil {
		r.folder = a.cfg.Outlet.Folder()
	}
	return r
}

// references are those of all feeds as they are now.
func (a *API) references() *references {
	r := a.newReferences()
	for _, f := range a.station.List() {
		name := f.Rules().Name
		r.sources[name], r.outlets[name] = f.Sources(), f.Outlet().To
	}
	return r
}

// add notes a feed as it is to be.
func (r *references) add(f store.Feed) {
	r.sources[f.Name], r.outlets[f.Name] = f.Combined.Feeds(), f.OutletTo
}

// check says whether what a feed refers to is there, it is not made of itself, and no other
// feed's files are put where its own are.
func (r *references) check(name string) error {
	for _, s := range r.sources[name] {
		if _, ok := r.sources[s]; !ok {
			return refused("combined.sources", "there is no feed called "+s)
		}
	}
	if way := turns.Circle(name, func(feed string) []string { return r.sources[feed] }); way != "" {
		return refused("combined.sources", "it would be made of itself: "+way)
	}
	to := r.outlets[name]
	if to == "" {
		return nil
	}
	if err := outlet.Parse(to, r.folder); err != nil {
		return refused("outlet.to", err.Error())
	}
	for other, there := range r.outlets {
		if other != name && outlet.Overlap(to, there) {
			return refused("outlet.to", fmt.Sprintf("the files of %s are put to %s, and each would remove the other's: choose another place", other, there))
		}
	}
	return nil
}

// fits says whether what a feed is to refer to is there.
func (a *API) fits(f store.Feed) error {
	r := a.references()
	r.add(f)
	return r.check(f.Name)
}
