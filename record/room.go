package record

import (
	"context"
	"math"
	"os"
	"time"

	"webostrum/core/fault"
	"webostrum/core/recording"
	"webostrum/store"
)

const (
	roomEvery     = 10 * time.Second
	settlesFor    = 10 * time.Minute // after a start, before ages are gone by
	distrustsFor  = 24 * time.Hour   // after the clock was set
	clockJump     = 10 * time.Minute
	removedAtOnce = 500
)

// clockWatch says whether the age of files can be trusted: a clock that was set forward by a
// year would have everything removed.
type clockWatch struct {
	begun, wall time.Time
	until       time.Time // of the monotonic clock
}

func (c *clockWatch) trusted(now time.Time) bool {
	if c.begun.IsZero() {
		c.begun, c.wall, c.until = now, now.Round(0), now.Add(settlesFor)
	}
	if off := now.Round(0).Sub(c.wall) - now.Sub(c.begun); off.Abs() > clockJump {
		c.begun, c.wall, c.until = now, now.Round(0), now.Add(distrustsFor)
	}
	return now.Sub(c.until) >= 0
}

// keepRoom removes what is to be kept no longer.
func (l *Library) keepRoom(ctx context.Context) {
	ticker := time.NewTicker(roomEvery)
	defer ticker.Stop()
	for {
		l.repair()
		if err := l.makeRoom(time.Now()); err != nil {
			l.cfg.Log.Warn("old recordings could not be removed; it is tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

// makeRoom removes once.
func (l *Library) makeRoom(now time.Time) error {
	aged := l.clock.trusted(now)
	if err := l.checkFolder(); err != nil {
		return nil // what is not there needs no room
	}
	files, err := l.Files("", time.Time{}, time.Time{})
	if err != nil {
		return err
	}
	free, _ := l.disk()
	gone := recording.Excess(files, l.policy(), recording.Policy{Most: l.cfg.Most, Free: l.cfg.Free}, free, now, aged)
	gone = gone[:min(len(gone), removedAtOnce)]
	for _, f := range gone {
		if err := l.unlessKept(f.ID, l.makeWay); err != nil {
			return err
		}
	}
	return nil
}

// disk is what may still be written to the recordings' disk, and how large that is; where that
// is not known, there is room enough.
func (l *Library) disk() (free, size int64) {
	f, s, ok := store.FreeBytes(l.cfg.Folder)
	if !ok {
		return math.MaxInt64, math.MaxInt64
	}
	return int64(f), int64(s)
}

// policy says how much of a feed is kept.
func (l *Library) policy() func(string) recording.Policy {
	settings := make(map[string]store.Recording)
	for _, f := range l.cfg.Station.List() {
		settings[f.Rules().Name] = f.Recording()
	}
	return func(feed string) recording.Policy {
		s := settings[feed]
		return recording.Policy{Age: time.Duration(s.Days * float64(24*time.Hour)), Bytes: s.Bytes}
	}
}

// Remove removes what lies wholly between two times, copies too, but what is kept and what is
// being written.
func (l *Library) Remove(feed string, from, to time.Time) (files int, bytes int64, err error) {
	l.removed.Lock()
	defer l.removed.Unlock()
	list, err := l.Files(feed, from, to)
	if err != nil {
		return 0, 0, err
	}
	for _, f := range list {
		if f.Keep || f.Open || f.Begins.Before(from) || f.Ends.After(to) {
			continue
		}
		row, err := l.store.RecordedFile(f.ID)
		if err != nil {
			continue // it is gone already
		}
		if err := l.erase(row); err != nil {
			return files, bytes, DiskFault(err)
		}
		files, bytes = files+1, bytes+f.Bytes
	}
	return files, bytes, nil
}

// Keep marks the files that have something between two times as to be kept, or no longer so.
func (l *Library) Keep(feed string, from, to time.Time, keep bool) (files int, err error) {
	l.removed.Lock()
	defer l.removed.Unlock()
	list, err := l.Files(feed, from, to)
	if err != nil {
		return 0, err
	}
	for _, f := range list {
		if f.Open || f.Keep == keep {
			continue
		}
		row, err := l.store.RecordedFile(f.ID)
		if err != nil {
			continue // removed meanwhile
		}
		if !row.Away {
			to := recording.Kept(row.Path, keep)
			if err := os.Rename(l.full(row.Path), l.full(to)); err != nil {
				return files, DiskFault(err)
			}
			row.Path = to
		}
		if err := l.store.KeepRecordedFile(row.ID, row.Path, keep); err != nil {
			return files, err
		}
		files++
	}
	if files == 0 && len(list) == 0 {
		return 0, fault.New(fault.RecordingNone, nil, "")
	}
	return files, nil
}

// Room is how much recordings take, and how much room there is.
type Room struct {
	Files      int // on the disk
	Bytes      int64
	Kept       int64 // bytes that are marked to be kept
	Away       int   // files that are in the object store alone
	AwayBytes  int64
	Free, Disk int64
	Most, Keep int64        // as in Config: Most, and Free as Keep
	Problem    *fault.Error // of the folder; nil for none
}

// Room looks how much recordings take.
func (l *Library) Room() (r Room, err error) {
	r = Room{Most: l.cfg.Most, Keep: l.cfg.Free}
	if err := l.checkFolder(); err != nil {
		r.Problem = fault.As(err)
		return r, nil
	}
	files, err := l.Files("", time.Time{}, time.Time{})
	if err != nil {
		return r, err
	}
	for _, f := range files {
		if f.Away {
			r.Away++
			r.AwayBytes += f.Bytes
			continue
		}
		r.Files++
		r.Bytes += f.Bytes
		if f.Keep {
			r.Kept += f.Bytes
		}
	}
	r.Free, r.Disk = l.disk()
	return r, nil
}
