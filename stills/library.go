// Package stills takes stills of feeds by schedules, and makes films of them or of
// recordings.
//
// Limits: 16 schedules a feed; one film is made at a time, 20 wait; a still is waited for 20 s.
package stills

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/core/still"
	"webostrum/record"
	"webostrum/station"
	"webostrum/store"
)

const (
	ownerOnly    = 0o600
	folderRights = 0o700
	stillsFolder = "stills"
	filmsFolder  = "films"
	makingPrefix = ".making-" // of files that are not whole yet

	// MostSchedules are a feed's at most.
	MostSchedules = 16
)

// Config says what a library works with.
type Config struct {
	Folder     string // that the folders of stills and films are in
	Worker     string // path of the codec worker; empty without
	Station    *station.Station
	Recordings *record.Library // films are made of, too; nil without
	Log        *slog.Logger
}

// Library is all stills and films. It is safe for concurrent use.
type Library struct {
	cfg Config

	mu    sync.Mutex
	state map[key]*State // guarded by mu
	jobs  []*Job         // guarded by mu
	next  int            // number of the next job; guarded by mu
	kick  chan struct{}
}

type key struct{ feed, schedule string }

// State is how a schedule goes.
type State struct {
	Next    time.Time    // when the next still is taken; zero for never
	Newest  time.Time    // when the newest was taken since the start; zero for none
	Problem *fault.Error // why the last one was not taken; nil when it was
}

// New makes a library. Run keeps it.
func New(cfg Config) *Library {
	return &Library{cfg: cfg, state: make(map[key]*State), kick: make(chan struct{}, 1)}
}

// Run takes stills and makes films until ctx ends.
func (l *Library) Run(ctx context.Context) {
	l.tidy()
	var going sync.WaitGroup
	going.Go(func() { l.makeFilms(ctx) })
	going.Go(func() { l.forget(ctx) })
	l.supervise(ctx)
	going.Wait()
}

// tidy removes what was being made when the service was killed.
func (l *Library) tidy() {
	for _, folder := range []string{stillsFolder, filmsFolder} {
		_ = filepath.WalkDir(l.full(folder, ""), func(full string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() && strings.HasPrefix(d.Name(), makingPrefix) {
				_ = os.Remove(full)
			}
			return nil // what cannot be looked at is left
		})
	}
}

// State returns how a schedule goes.
func (l *Library) State(feed, schedule string) State {
	l.mu.Lock()
	defer l.mu.Unlock()
	if s := l.state[key{feed, schedule}]; s != nil {
		return *s
	}
	return State{}
}

func (l *Library) full(folder, name string) string {
	return filepath.Join(l.cfg.Folder, folder, filepath.FromSlash(name))
}

// File is one still or film.
type File struct {
	Name  string // in its folder
	At    time.Time
	Bytes int64
}

// Stills lists what a schedule has taken between two times, the oldest first.
func (l *Library) Stills(feed, schedule string, from, to time.Time) (list []File, err error) {
	base := l.full(stillsFolder, path.Join(feed, schedule))
	days, err := os.ReadDir(base)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	for _, d := range days {
		day, err := time.Parse(time.DateOnly, d.Name())
		if err != nil || !d.IsDir() || day.AddDate(0, 0, 1).Before(from) || day.After(to) {
			continue
		}
		files, err := os.ReadDir(filepath.Join(base, d.Name()))
		if err != nil {
			return nil, err
		}
		for _, f := range files {
			at, ok := still.ParseName(f.Name())
			if !ok || at.Before(from) || !at.Before(to) {
				continue
			}
			if info, err := f.Info(); err == nil {
				list = append(list, File{d.Name() + "/" + f.Name(), at, info.Size()})
			}
		}
	}
	slices.SortFunc(list, func(a, b File) int { return a.At.Compare(b.At) })
	return list, nil
}

// Film is one film that was made.
type Film struct {
	Source   string // name of the schedule, or "recording"
	Name     string // of the file
	Format   string
	From, To time.Time
	Bytes    int64
}

// Films lists a feed's films, the newest first.
func (l *Library) Films(feed string) (list []Film, err error) {
	sources, err := os.ReadDir(l.full(filmsFolder, feed))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	for _, s := range sources {
		files, err := os.ReadDir(l.full(filmsFolder, path.Join(feed, s.Name())))
		if err != nil {
			continue // no folder
		}
		for _, f := range files {
			from, to, format, ok := still.ParseFilmName(f.Name())
			if info, err := f.Info(); ok && err == nil {
				list = append(list, Film{s.Name(), f.Name(), format, from, to, info.Size()})
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Film) int { return b.To.Compare(a.To) })
	return list, nil
}

// Open opens a still or a film by its path below the feed: SCHEDULE/latest.jpg, or another
// file's. The error is a fault of StillNone where there is none.
func (l *Library) Open(film bool, feed, name string) (*os.File, error) {
	folder := stillsFolder
	if film {
		folder = filmsFolder
	}
	if !fs.ValidPath(name) || strings.HasPrefix(path.Base(name), ".") {
		return nil, fault.New(fault.StillNone, nil, "")
	}
	root, err := os.OpenRoot(l.full(folder, feed))
	if err != nil {
		return nil, fault.New(fault.StillNone, err, "")
	}
	defer func() { _ = root.Close() }()
	f, err := root.Open(filepath.FromSlash(name))
	if err != nil {
		return nil, fault.New(fault.StillNone, err, "")
	}
	if info, err := f.Stat(); err != nil || !info.Mode().IsRegular() {
		_ = f.Close()
		return nil, fault.New(fault.StillNone, err, "")
	}
	return f, nil
}

// RemoveFilm removes a film.
func (l *Library) RemoveFilm(feed, source, name string) error {
	if _, _, _, ok := still.ParseFilmName(name); !ok || !fs.ValidPath(source) || strings.Contains(source, "/") {
		return fault.New(fault.StillNone, nil, "")
	}
	if err := os.Remove(l.full(filmsFolder, path.Join(feed, source, name))); err != nil {
		return fault.New(fault.StillNone, err, "")
	}
	return l.renewLatest(feed, source, path.Ext(name))
}

// renewLatest has the fixed name of a source's films lead to the newest that is left, or to
// nothing, when one was removed: what somebody removed is to be seen nowhere.
func (l *Library) renewLatest(feed, source, ext string) error {
	latest := l.full(filmsFolder, path.Join(feed, source, still.Newest+ext))
	list, err := l.Films(feed)
	if err != nil {
		return err
	}
	for _, f := range list {
		if f.Source == source && path.Ext(f.Name) == ext {
			return replace(l.full(filmsFolder, path.Join(feed, source, f.Name)), latest)
		}
	}
	if err := os.Remove(latest); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// put writes a file whole or not at all, and has a fixed name lead to it.
func (l *Library) put(folder, name string, write func(*os.File) error) error {
	full := l.full(folder, name)
	if err := os.MkdirAll(filepath.Dir(full), folderRights); err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(full), makingPrefix+"*")
	if err != nil {
		return err
	}
	defer func() { _ = os.Remove(f.Name()) }()
	err = write(f)
	if err == nil {
		err = f.Chmod(ownerOnly)
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	if err := os.Rename(f.Name(), full); err != nil {
		return err
	}
	newest := path.Join(latestFolder(folder, name), still.Newest+path.Ext(name))
	return replace(full, l.full(folder, newest))
}

// latestFolder is that of the schedule, or of the source of films.
func latestFolder(folder, name string) string {
	if folder == stillsFolder {
		return path.Dir(path.Dir(name))
	}
	return path.Dir(name)
}

// replace has a name lead to a file, from one moment to the next.
func replace(file, name string) error {
	making := name + ".making"
	_ = os.Remove(making)
	if err := os.Link(file, making); err != nil {
		body, err := os.ReadFile(file) // a disk without links
		if err != nil {
			return err
		}
		if err := os.WriteFile(making, body, ownerOnly); err != nil {
			return err
		}
	}
	return os.Rename(making, name)
}

const forgetEvery = 10 * time.Minute

// forget removes what is kept no longer. A clock that was set says nothing of ages, so nothing
// is removed that the newest still does not outlive, too.
func (l *Library) forget(ctx context.Context) {
	ticker := time.NewTicker(forgetEvery)
	defer ticker.Stop()
	for {
		for _, f := range l.cfg.Station.List() {
			for _, s := range f.Stills() {
				l.forgetOf(f.Rules().Name, s)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

func (l *Library) forgetOf(feed string, s store.StillSchedule) {
	long := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	if list, err := l.Stills(feed, s.Name, time.Time{}, long); err == nil && s.Days > 0 && len(list) > 0 {
		until := list[len(list)-1].At.Add(-time.Duration(s.Days * float64(24*time.Hour)))
		l.removeStills(feed, s.Name, list, until)
	}
	films, err := l.Films(feed)
	if err != nil || s.FilmDays == 0 {
		return
	}
	films = slices.DeleteFunc(films, func(x Film) bool { return x.Source != s.Name })
	for _, x := range films {
		if x.To.Before(films[0].To.Add(-time.Duration(s.FilmDays * float64(24*time.Hour)))) {
			_ = l.RemoveFilm(feed, x.Source, x.Name)
		}
	}
}

// removeStills removes those before a time, and folders that are empty then.
func (l *Library) removeStills(feed, schedule string, list []File, until time.Time) {
	for _, f := range list {
		if f.At.Before(until) {
			full := l.full(stillsFolder, path.Join(feed, schedule, f.Name))
			_ = os.Remove(full)
			_ = os.Remove(filepath.Dir(full)) // which fails while there is something in it
		}
	}
}
