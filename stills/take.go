package stills

import (
	"context"
	"os"
	"reflect"
	"time"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/rendition"
	"webostrum/core/still"
	"webostrum/record"
	"webostrum/station"
	"webostrum/station/pipeline"
	"webostrum/store"
	"webostrum/tend"
	"webostrum/wait"
)

const (
	lookEvery  = time.Second
	takeWithin = 20 * time.Second
	longestNap = time.Minute // so that a clock that is set is seen
)

// taking is a feed, and a schedule by which its stills are taken.
type taking struct {
	feed     *station.Feed
	schedule store.StillSchedule
}

// supervise has stills be taken as the feeds' settings say.
func (l *Library) supervise(ctx context.Context) {
	set := tend.Set[key, taking]{
		Tend: func(ctx context.Context, _ key, t taking) { l.keep(ctx, t.feed, t.schedule) },
		Same: func(before, now taking) bool {
			return reflect.DeepEqual(before.schedule, now.schedule) && before.feed == now.feed
		},
	}
	defer set.Close()
	for {
		wanted := make(map[key]taking)
		for _, f := range l.cfg.Station.List() {
			for _, s := range f.Stills() {
				wanted[key{f.Rules().Name, s.Name}] = taking{f, s}
			}
		}
		set.Want(ctx, wanted)
		l.forgetOthers(wanted)
		if !wait.For(ctx, lookEvery) {
			return
		}
	}
}

// forgetOthers drops how schedules went that are no more.
func (l *Library) forgetOthers(wanted map[key]taking) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for k := range l.state {
		if _, there := wanted[k]; !there {
			delete(l.state, k)
		}
	}
}

// ScheduleOf reads a schedule as it is recorded; the error says what is wrong with it.
func ScheduleOf(s store.StillSchedule) (out still.Schedule, err error) {
	out = still.Schedule{Every: time.Duration(s.Seconds * float64(time.Second)), Sun: s.Sun, Latitude: s.Latitude, Longitude: s.Longitude, Zone: time.Local}
	if s.Zone != "" {
		if out.Zone, err = time.LoadLocation(s.Zone); err != nil {
			return out, err
		}
	}
	for _, text := range s.At {
		minute, err := still.ParseClock(text)
		if err != nil {
			return out, err
		}
		out.At = append(out.At, minute)
	}
	return out, nil
}

// keep takes stills, and has films made, until ctx ends.
func (l *Library) keep(ctx context.Context, f *station.Feed, s store.StillSchedule) {
	when, err := ScheduleOf(s)
	if err != nil {
		return // the API refuses such settings
	}
	k := key{f.Rules().Name, s.Name}
	next := when.Next(time.Now())
	films := newPeriods(s.Film, when.Zone, time.Now())
	l.filmMissed(k, s, films)
	for {
		l.change(k, func(st *State) { st.Next = next })
		nap := longestNap
		if !next.IsZero() {
			nap = min(max(0, time.Until(next)), longestNap)
		}
		if !wait.For(ctx, nap) {
			return
		}
		now := time.Now()
		if from, to, ok := films.over(now); ok {
			l.filmOf(k, s, from, to)
		}
		if next.IsZero() || now.Before(next) {
			if ahead := when.Next(now); next.IsZero() || ahead.Before(next) {
				next = ahead // the clock was set back
			}
			continue
		}
		err := barrier.Do(func() error { return l.take(ctx, f, s, k) })
		if ctx.Err() != nil {
			return
		}
		l.taken(k, err)
		next = when.Next(time.Now())
	}
}

func (l *Library) change(k key, what func(*State)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	s := l.state[k]
	if s == nil {
		s = &State{}
		l.state[k] = s
	}
	what(s)
}

// taken notes how taking a still went; what goes on going wrong is told once.
func (l *Library) taken(k key, err error) {
	var f *fault.Error
	if err != nil {
		f = record.DiskFault(err)
	}
	var news, again bool
	l.change(k, func(s *State) {
		news, again = fault.Changed(s.Problem, f)
		s.Problem = f
	})
	by := l.cfg.Station.By("", "")
	switch {
	case news:
		by.Warn(k.feed, f.Kind.Code, "stills of "+k.schedule+" are not taken: "+f.Error())
	case again:
		by.Note(k.feed, station.EventChange, "stills of "+k.schedule+" are taken again")
	}
}

// take takes one still.
func (l *Library) take(ctx context.Context, f *station.Feed, s store.StillSchedule, k key) error {
	ctx, cancel := context.WithTimeout(ctx, takeWithin)
	defer cancel()
	for _, request := range s.Requests { // small cameras forget their settings
		if _, err := l.cfg.Station.RunRequest(ctx, k.feed, request); err != nil {
			return err
		}
	}
	size, err := rendition.ParseSize(s.Size)
	if err != nil {
		return err
	}
	picture, err := f.Still(ctx, pipeline.JPEGRequest{Size: size, Quality: s.Quality, Text: s.Text}, 0)
	if err != nil {
		return err
	}
	old := false
	l.change(k, func(st *State) { old, st.Newest = st.Newest.Equal(picture.Captured), picture.Captured })
	if old {
		return nil // a camera that sends few pictures: it is there already
	}
	return l.put(stillsFolder, still.Name(k.feed, k.schedule, picture.Captured), func(file *os.File) error {
		_, err := file.Write(picture.Data)
		return err
	})
}
