package api

import (
	"context"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/night"
	"webostrum/core/uptime"
	"webostrum/station"
	"webostrum/store"
)

const (
	dayLength   = 24 * time.Hour
	monthLength = 30 * 24 * time.Hour
	stripsFresh = 30 * time.Second
	usualNight  = 18 // hour of the evening that a morning looks back to
	mostNight   = 100
)

// letters are what cells are written with.
var letters = map[uptime.Kind]byte{uptime.Unknown: '.', uptime.Off: 'o', uptime.Idle: 'o', uptime.Waiting: 'w', uptime.Down: 'd', uptime.Degraded: 'g', uptime.Live: 'l'}

func (a *API) recordOperations(h huma.API) {
	huma.Register(h, operation("GET", "/feeds/{name}/availability", "feed-availability", "How a feed was: 24 hours, 30 days, outages", needsReader, 200), a.feedAvailability)
	huma.Register(h, operation("GET", "/availability", "list-availability", "The last 24 hours of all feeds", needsReader, 200), a.listAvailability)
	huma.Register(h, operation("GET", "/morning", "morning", "What happened overnight, and what is still wrong", needsReader, 200), a.morning)
}

// grid is the cells of a strip that ends with the present one.
type grid struct {
	begins time.Time
	cell   time.Duration
	n      int
}

func gridOf(length, cell time.Duration, now time.Time) grid {
	n := int(length / cell)
	last := now.UTC().Truncate(cell)
	return grid{last.Add(-time.Duration(n-1) * cell), cell, n}
}

func (g grid) index(unix int64) (int, bool) {
	i := int((unix - g.begins.Unix()) / int64(g.cell/time.Second))
	return i, i >= 0 && i < g.n
}

func (g grid) ends() time.Time { return g.begins.Add(time.Duration(g.n) * g.cell) }

// strip writes cells, and sums them up.
func (g grid) strip(sums []uptime.Sums) (text string, all uptime.Sums) {
	var b strings.Builder
	for _, s := range sums {
		b.WriteByte(letters[s.Worst()])
		all = all.Plus(s)
	}
	return b.String(), all
}

// percent is a share in per cent; nil where there is none.
func percent(s uptime.Sums) *float64 {
	share, ok := s.Availability()
	if !ok {
		return nil
	}
	share *= 100
	return &share
}

func (a *API) feedStrip(feed int64, length, cell time.Duration, now time.Time) (apitypes.Strip, *float64, error) {
	g := gridOf(length, cell, now)
	records, err := a.store.Stretches(feed, cell, g.begins, g.ends())
	if err != nil {
		return apitypes.Strip{}, nil, err
	}
	sums := make([]uptime.Sums, g.n)
	for _, r := range records {
		if i, ok := g.index(r.Begins); ok {
			sums[i] = station.SumsOf(r)
		}
	}
	text, all := g.strip(sums)
	return apitypes.Strip{Begins: g.begins, Cell: int(cell / time.Second), Cells: text}, percent(all), nil
}

func (a *API) feedAvailability(ctx context.Context, in *feedPath) (*struct{ Body apitypes.Availability }, error) {
	f, err := a.seen(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	id, now, health := f.Rules().ID, time.Now(), f.Health()
	out := apitypes.Availability{Feed: in.Name, Now: health.Kind.String(), Why: health.Why, Outages: []apitypes.Outage{}}
	if out.Day, out.DayUp, err = a.feedStrip(id, dayLength, store.ShortStretch, now); err != nil {
		return nil, answerFor(err)
	}
	if out.Month, out.MonthUp, err = a.feedStrip(id, monthLength, store.LongStretch, now); err != nil {
		return nil, answerFor(err)
	}
	outages, err := a.store.Outages(id, now.Add(-monthLength))
	if err != nil {
		return nil, answerFor(err)
	}
	for _, o := range outages {
		out.Outages = append(out.Outages, apitypes.Outage{Began: o.Began, Seconds: o.Lasted().Seconds(), Over: o.Over, Code: o.Code, Reason: o.Reason})
	}
	return &struct{ Body apitypes.Availability }{out}, nil
}

// strips keeps the last day of all feeds for a while: lists ask for it again and again.
type strips struct {
	mu   sync.Mutex
	list apitypes.StripList // guarded by mu
	at   time.Time          // guarded by mu
}

func (a *API) listAvailability(context.Context, *struct{}) (*struct{ Body apitypes.StripList }, error) {
	now := time.Now()
	a.strips.mu.Lock()
	defer a.strips.mu.Unlock()
	if age := now.Sub(a.strips.at); age < 0 || age > stripsFresh {
		list, err := a.allStrips(now)
		if err != nil {
			return nil, answerFor(err)
		}
		a.strips.list, a.strips.at = list, now
	}
	return &struct{ Body apitypes.StripList }{a.strips.list}, nil
}

func (a *API) allStrips(now time.Time) (apitypes.StripList, error) {
	g := gridOf(dayLength, store.ShortStretch, now)
	records, err := a.store.Stretches(0, store.ShortStretch, g.begins, g.ends())
	if err != nil {
		return apitypes.StripList{}, err
	}
	sums := make(map[int64][]uptime.Sums)
	for _, r := range records {
		if i, ok := g.index(r.Begins); ok {
			if sums[r.FeedID] == nil {
				sums[r.FeedID] = make([]uptime.Sums, g.n)
			}
			sums[r.FeedID][i] = station.SumsOf(r)
		}
	}
	out := apitypes.StripList{Begins: g.begins, Cell: int(g.cell / time.Second), Strips: []apitypes.FeedStrip{}}
	for _, f := range a.station.List() {
		r := f.Rules()
		of := sums[r.ID]
		if of == nil {
			of = make([]uptime.Sums, g.n)
		}
		text, all := g.strip(of)
		out.Strips = append(out.Strips, apitypes.FeedStrip{Feed: r.Name, Cells: text, Up: percent(all)})
	}
	return out, nil
}

func (a *API) morning(ctx context.Context, in *struct {
	Since time.Time `query:"since" doc:"From this time on; from 18:00 of the evening before when left out"`
}) (*struct{ Body apitypes.Morning }, error) {
	now := time.Now()
	since := in.Since
	switch {
	case since.IsZero():
		evening := now.AddDate(0, 0, -1)
		since = time.Date(evening.Year(), evening.Month(), evening.Day(), usualNight, 0, 0, 0, now.Location())
	case since.After(now):
		return nil, refusedQuery("since", "since lies in the future")
	case since.Before(now.Add(-monthLength)):
		since = now.Add(-monthLength)
	}
	wait, cancel := context.WithTimeout(ctx, flushWait)
	defer cancel()
	a.station.FlushEvents(wait)
	input, err := a.nightOf(since, now)
	if err != nil {
		return nil, answerFor(err)
	}
	return &struct{ Body apitypes.Morning }{morningView(night.Write(input), since, now)}, nil
}

func (a *API) nightOf(since, now time.Time) (in night.Input, err error) {
	in = night.Input{Since: since, Until: now, Zone: now.Location()}
	outages, err := a.store.Outages(0, since)
	if err != nil {
		return in, err
	}
	byFeed := make(map[int64][]uptime.Outage)
	for _, o := range outages {
		byFeed[o.FeedID] = append(byFeed[o.FeedID], uptime.Outage{Began: o.Began, Lasted: o.Lasted(), Over: o.Over, Code: o.Code, Reason: o.Reason})
	}
	length := store.LongStretch
	if now.Sub(since) <= dayLength {
		length = store.ShortStretch
	}
	stretches, err := a.store.Stretches(0, length, since.Truncate(length), now)
	if err != nil {
		return in, err
	}
	sums := make(map[int64]uptime.Sums)
	for _, s := range stretches {
		sums[s.FeedID] = sums[s.FeedID].Plus(station.SumsOf(s))
	}
	for _, f := range a.station.List() {
		r, health, c := f.Rules(), f.Health(), f.Condition()
		x := night.Feed{Name: r.Name, Now: health.Kind, Why: health.Why, Outages: byFeed[r.ID], Sums: sums[r.ID]}
		if c.Fault != nil {
			x.Remedy = c.Fault.Kind.Remedy
		}
		in.Feeds = append(in.Feeds, x)
	}
	return in, a.nightEvents(&in)
}

// nightEvents are the service's own: when it stopped and started, and what it warned of.
func (a *API) nightEvents(in *night.Input) error {
	for _, q := range []store.EventQuery{{Kind: station.EventService}, {Kind: station.EventWarning}, {Kind: station.EventAlert}} {
		q.Since, q.Limit = in.Since, mostNight
		events, err := a.store.Events(q)
		if err != nil {
			return err
		}
		for _, e := range events {
			if e.Feed == "" {
				in.Events = append(in.Events, night.Event{At: e.At, Text: e.Text})
			}
		}
	}
	return nil
}

func morningView(n night.Note, since, until time.Time) apitypes.Morning {
	v := apitypes.Morning{
		Since: since.UTC(), Until: until.UTC(), Headline: n.Headline, Quiet: n.Quiet, Off: n.Off, Idle: n.Idle, Waiting: n.Waiting,
		Wrong: morningItems(n.Wrong), Was: morningItems(n.Was), Poor: morningItems(n.Poor), Service: []apitypes.MorningEvent{},
	}
	for _, e := range n.Service {
		v.Service = append(v.Service, apitypes.MorningEvent{At: e.At.UTC(), Text: e.Text})
	}
	return v
}

func morningItems(list []night.Item) []apitypes.MorningItem {
	out := []apitypes.MorningItem{}
	for _, i := range list {
		out = append(out, apitypes.MorningItem{Feeds: i.Feeds, Text: i.Text, Remedy: i.Remedy, Began: i.Began.UTC(), Seconds: i.Lasted.Seconds(), Times: i.Times})
	}
	return out
}
