// Package night writes the records of a night that never was: many feeds, and what happened
// to them while nobody looked, for tests and pictures of what is shown of it.
package night

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"webostrum/core/uptime"
	"webostrum/station"
	"webostrum/store"
)

// Config says what night it was.
type Config struct {
	Feeds  int
	Until  time.Time // the morning; the night begins 13 hours before
	Seed   uint64
	Good   func(name string) string // address of a feed's camera
	Broken string                   // address at which no camera is
	User   string
	Pass   string
}

const (
	length = 13 * time.Hour
	look   = 10 * time.Second // from one look to the next
)

// places are where the cameras of the Morrow Crag Funicular are.
var places = []struct{ name, title, tag string }{
	{"line-km", "Line, kilometre", "line"}, {"car-cabin", "Car cabin", "cars"}, {"depot-bay", "Depot, bay", "depot"},
	{"station-hall", "Station hall", "stations"}, {"winch", "Winch", "machinery"}, {"summit-view", "Summit view", "visitors"},
}

// Feed is what happened to one feed.
type Feed struct {
	Name   string
	Record store.Feed
	Down   []Stretch // when it was down, and why
	Poor   []Stretch
}

// Stretch is a part of the night, from its beginning on.
type Stretch struct {
	From, For time.Duration
	Code      string
	Reason    string
}

const (
	away   = "camera-no-answer"
	awayIs = "Nothing answers at the camera's address."
	hung   = "camera-hung-up"
	hungIs = "The camera ended the connection."
	port   = "camera-port-closed"
	portIs = "The camera's address answers, but nothing listens on that port."
)

// Plan says what happens: a switch fails and takes the depot with it, one camera comes and
// goes, two have been down since, one had poor pictures, and others blinked.
func Plan(cfg Config) []Feed {
	chance := rand.New(rand.NewPCG(cfg.Seed, 1))
	var list []Feed
	for i := range cfg.Feeds {
		p := places[i%len(places)]
		name := fmt.Sprintf("%s-%d", p.name, i/len(places)+1)
		f := Feed{Name: name, Record: store.Feed{
			Name: name, Title: fmt.Sprintf("%s %d", p.title, i/len(places)+1), Tags: p.tag, URL: cfg.Good(name), User: cfg.User, Password: cfg.Pass, Enabled: true,
			Transport: "auto", Fetch: "auto", PollMillis: 2000, AnswerMillis: 5000, FirstMillis: 10000, StallMillis: 5000, WithinMillis: 2000, Audience: "signed-in", Audio: "automatic", AudioHLS: "as-feed", AudioWebRTC: "as-feed",
		}}
		if p.tag == "depot" {
			f.Down = append(f.Down, Stretch{8*time.Hour + 13*time.Minute + time.Duration(chance.IntN(20))*time.Second, 14 * time.Minute, away, awayIs})
		}
		if chance.IntN(8) == 0 {
			f.Down = append(f.Down, Stretch{time.Duration(chance.IntN(46000)) * time.Second, time.Duration(20+chance.IntN(200)) * time.Second, hung, hungIs})
		}
		list = append(list, f)
	}
	special(list, cfg)
	return list
}

// special is what happens to the first few.
func special(list []Feed, cfg Config) {
	if len(list) < 8 {
		return
	}
	for k := range 12 {
		list[0].Down = append(list[0].Down, Stretch{7*time.Hour + time.Duration(k)*14*time.Minute, time.Duration(30+5*k) * time.Second, hung, hungIs})
	}
	list[1].Down = []Stretch{{9*time.Hour + 20*time.Minute, length, port, portIs}}
	list[1].Record.URL = cfg.Broken
	list[4].Down = []Stretch{{12*time.Hour + 10*time.Minute, length, port, portIs}}
	list[4].Record.URL = cfg.Broken
	list[5].Poor = []Stretch{{5 * time.Hour, 2*time.Hour + 6*time.Minute, "", "packets are lost"}}
}

// Write writes the night into records, by the same accounts that a station keeps.
func Write(records *store.Store, cfg Config) error {
	begin := cfg.Until.Add(-length)
	events := []store.Event{
		{At: begin.Add(7 * time.Hour), Kind: station.EventService, Text: "the service stopped"}, {At: begin.Add(7*time.Hour + time.Minute), Kind: station.EventService, Text: "the service started"},
	}
	for _, f := range Plan(cfg) {
		events = append(events, f.events(begin, cfg.Until)...)
		r := f.Record
		if err := records.AddFeed(&r); err != nil {
			return err
		}
		if err := f.write(records, r.ID, begin, cfg.Until); err != nil {
			return err
		}
	}
	slices.SortFunc(events, func(a, b store.Event) int { return a.At.Compare(b.At) })
	for _, e := range events {
		if err := records.AddEvent(&e); err != nil {
			return err
		}
	}
	return nil
}

// events are what a station would have told of the night.
func (f Feed) events(begin, until time.Time) (list []store.Event) {
	for _, d := range f.Down {
		from := begin.Add(d.From)
		list = append(list, store.Event{At: from, Feed: f.Name, Kind: station.EventState, Code: d.Code, Text: "retrying: " + d.Reason, Severity: store.Warning})
		if to := from.Add(d.For); to.Before(until) {
			list = append(list, store.Event{At: to, Feed: f.Name, Kind: station.EventState, Text: "live: Pictures are coming in."})
		}
	}
	return list
}

func (f Feed) write(records *store.Store, id int64, from, until time.Time) error {
	var tracker uptime.Tracker
	var sums uptime.Sums
	save := func(o *uptime.Outage) error {
		return records.SaveOutage(&store.Outage{FeedID: id, Began: o.Began, LastedMillis: o.Lasted.Milliseconds(), Over: o.Over, Code: o.Code, Reason: o.Reason})
	}
	begin := from.Truncate(store.ShortStretch)
	for t := from; t.Before(until); t = t.Add(look) {
		if ended := tracker.Observe(t, f.at(t.Sub(from))); ended != nil {
			if err := save(ended); err != nil {
				return err
			}
		}
		if t.Sub(begin) >= store.ShortStretch {
			sums = tracker.Take()
			if err := records.AddStretches([]store.Stretch{stretchOf(id, sums)}, begin); err != nil {
				return err
			}
			begin = t.Truncate(store.ShortStretch)
		}
	}
	if o := tracker.Outage(); o != nil {
		return save(o)
	}
	return nil
}

func (f Feed) at(after time.Duration) uptime.Look {
	for _, d := range f.Down {
		if after >= d.From && after < d.From+d.For {
			return uptime.Look{Kind: uptime.Down, Code: d.Code, Reason: d.Reason}
		}
	}
	for _, p := range f.Poor {
		if after >= p.From && after < p.From+p.For {
			return uptime.Look{Kind: uptime.Degraded}
		}
	}
	return uptime.Look{Kind: uptime.Live}
}

func stretchOf(id int64, s uptime.Sums) store.Stretch {
	n := func(d time.Duration) int64 { return int64(d.Round(time.Second) / time.Second) }
	return store.Stretch{FeedID: id, Live: n(s.Live), Degraded: n(s.Degraded), Down: n(s.Down), Waiting: n(s.Waiting), Off: n(s.Off)}
}
