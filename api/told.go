package api

import (
	"encoding/json"
	"time"

	"webostrum/apitypes"
)

const (
	fewFeeds  = 40              // whose rates are told as they change
	ratesOnce = 5 * time.Second // from one telling of rates to the next, of more feeds
)

// told is what a console was told of the feeds: after the first time it is told of what has
// changed alone.
type told struct {
	feeds map[string]toldFeed // nil before the first time
}

type toldFeed struct {
	whole string // as it was told
	lasts string // without what changes all the time
	at    time.Time
}

func (t *told) send(s *stream, feeds []apitypes.Feed, now time.Time) error {
	if t.feeds == nil {
		t.feeds = make(map[string]toldFeed, len(feeds))
		for _, f := range feeds {
			t.feeds[f.Name] = tellingOf(f, now)
		}
		return s.send("feeds", apitypes.LiveFeeds{Now: now.UnixMilli(), Feeds: feeds})
	}
	out := apitypes.ChangedFeeds{LiveFeeds: apitypes.LiveFeeds{Now: now.UnixMilli(), Feeds: []apitypes.Feed{}}, Gone: []string{}}
	here := make(map[string]bool, len(feeds))
	for _, f := range feeds {
		here[f.Name] = true
		before, fresh := t.feeds[f.Name], tellingOf(f, now)
		rates := len(feeds) <= fewFeeds || now.Sub(before.at) >= ratesOnce
		if fresh.lasts != before.lasts || rates && fresh.whole != before.whole {
			t.feeds[f.Name] = fresh
			out.Feeds = append(out.Feeds, f)
		}
	}
	for name := range t.feeds {
		if !here[name] {
			delete(t.feeds, name)
			out.Gone = append(out.Gone, name)
		}
	}
	return s.send("changed", out)
}

func tellingOf(f apitypes.Feed, now time.Time) toldFeed {
	whole, _ := json.Marshal(f) // it is made for that
	f.BitRate, f.FrameRate, f.Session, f.Transcoding = 0, 0, nil, apitypes.Transcoding{Running: f.Transcoding.Running}
	f.AudioStatus.Processor, f.AudioStatus.Memory, f.AudioStatus.Lost = 0, 0, 0
	lasts, _ := json.Marshal(f)
	return toldFeed{string(whole), string(lasts), now}
}
