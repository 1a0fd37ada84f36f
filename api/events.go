package api

import (
	"context"
	"strings"
	"time"
	"unicode"

	"webostrum/apitypes"
	"webostrum/store"
)

type eventsInput struct {
	Feed     string    `query:"feed" maxLength:"63" doc:"Only this feed's events"`
	Kind     string    `query:"kind" enum:"state,change,warning,sign-in,service,transcode,request,search,alert,motion" doc:"Only events of this kind"`
	Severity string    `query:"severity" enum:"info,warning,serious" doc:"Only events that matter so much, or more"`
	By       string    `query:"by" maxLength:"64" doc:"Only what this account did"`
	Search   string    `query:"search" maxLength:"200" doc:"Only events with this in their text, feed or code"`
	Since    time.Time `query:"since" doc:"Only events from this time on"`
	Until    time.Time `query:"until" doc:"Only events before this time"`
	Before   int64     `query:"before" minimum:"0" doc:"Only events older than this number"`
	After    int64     `query:"after" minimum:"0" doc:"Only events newer than this number"`
	Limit    int       `query:"limit" minimum:"1" maximum:"500" default:"100" doc:"How many at most; ask again with before for more"`
	Fold     bool      `query:"fold" doc:"Whether events that repeat in what is asked for come as one, with how often"`
}

var severities = []string{store.Info: "info", store.Warning: "warning", store.Serious: "serious"}

// severityOf is the one that a word is of.
func severityOf(word string) store.Severity {
	for s, w := range severities {
		if w == word {
			return store.Severity(s)
		}
	}
	return store.Info
}

const flushWait = time.Second

func (a *API) listEvents(ctx context.Context, in *eventsInput) (*struct{ Body apitypes.EventList }, error) {
	wait, cancel := context.WithTimeout(ctx, flushWait)
	defer cancel()
	a.station.FlushEvents(wait) // what the caller has just done is among them
	events, err := a.store.Events(store.EventQuery{
		Feed: in.Feed, Kind: in.Kind, Since: in.Since, Until: in.Until, Least: severityOf(in.Severity), By: in.By, Search: strings.TrimSpace(in.Search),
		Before: in.Before, After: in.After, Limit: in.Limit,
	})
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.EventList{Events: []apitypes.Event{}}
	for _, e := range events {
		out.Events = append(out.Events, eventView(e))
	}
	if len(events) == in.Limit {
		out.Before = events[len(events)-1].ID
	}
	if in.Fold {
		out.Events = fold(out.Events)
	}
	return &struct{ Body apitypes.EventList }{out}, nil
}

func eventView(e store.Event) apitypes.Event {
	return apitypes.Event{
		ID: e.ID, At: e.At, Feed: e.Feed, Kind: e.Kind, Code: e.Code, Text: e.Text, Severity: severities[min(max(e.Severity, store.Info), store.Serious)],
		Account: e.Account, Address: e.Address,
	}
}

// fewestFolded is how often something has to have happened to come as one.
const fewestFolded = 3

// fold has events that repeat come as one, where the newest of them was.
func fold(list []apitypes.Event) []apitypes.Event {
	type key struct{ feed, kind, code, text, account string }
	keyOf := func(e apitypes.Event) key { return key{e.Feed, e.Kind, e.Code, withoutNumbers(e.Text), e.Account} }
	times := make(map[key][]time.Time)
	for _, e := range list {
		times[keyOf(e)] = append(times[keyOf(e)], e.At)
	}
	folded := list[:0]
	told := make(map[key]bool)
	for _, e := range list {
		k := keyOf(e)
		all := times[k]
		if len(all) < fewestFolded {
			folded = append(folded, e)
			continue
		}
		if !told[k] {
			told[k] = true
			first := all[len(all)-1]
			e.Times, e.First = len(all), &first
			folded = append(folded, e)
		}
	}
	return folded
}

// withoutNumbers is a text as far as it is the same each time.
func withoutNumbers(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsDigit(r) {
			return -1
		}
		return r
	}, text)
}
