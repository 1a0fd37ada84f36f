package stills

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"os"
	"path"
	"time"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/still"
	"webostrum/film"
	"webostrum/record"
	"webostrum/station"
	"webostrum/store"
	"webostrum/transcode"
)

// Recording is the source of films that are made of what was recorded.
const Recording = "recording"

const (
	mostWaiting = 20 // films
	mostJobs    = 50 // that are remembered
)

// Order says what film is made.
type Order struct {
	Feed     string
	Source   string // a schedule's name, or Recording
	From, To time.Time
	Length   time.Duration
	Format   film.Format
	Size     string
	Even     bool
	Removes  bool
}

// Job is a film in the making, or one that was made.
type Job struct {
	ID int
	Order
	Done, All int
	Ended     time.Time    // zero while it is made, or waits
	Problem   *fault.Error // why nothing came of it
	Name      string       // of the file, once it is there
	cancel    context.CancelFunc
}

// filmMissed orders the film of the period before, where the service was not there when that
// ended.
func (l *Library) filmMissed(k key, s store.StillSchedule, p *periods) {
	if p.kind == "" {
		return
	}
	from, to := p.before()
	format := s.FilmFormat
	if format == "" {
		format = string(film.MP4)
	}
	if _, err := os.Stat(l.full(filmsFolder, still.FilmName(k.feed, k.schedule, format, from, to))); err == nil {
		return
	}
	if list, err := l.Stills(k.feed, k.schedule, from, to); err == nil && len(list) > 0 {
		l.filmOf(k, s, from, to)
	}
}

// filmOf orders the film of a schedule's hour or day.
func (l *Library) filmOf(k key, s store.StillSchedule, from, to time.Time) {
	o := Order{Feed: k.feed, Source: k.schedule, From: from, To: to, Length: time.Duration(s.FilmSeconds * float64(time.Second)), Format: film.Format(s.FilmFormat), Even: s.FilmEven, Removes: s.FilmRemoves}
	if _, err := l.Order(o); err != nil {
		l.cfg.Station.By("", "").Note(k.feed, station.EventWarning, "the film of "+k.schedule+" is not made: "+err.Error())
	}
}

// Order has a film made when those before it are.
func (l *Library) Order(o Order) (Job, error) {
	if o.Format == "" {
		o.Format = film.MP4
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	waiting := 0
	for _, j := range l.jobs {
		if j.Ended.IsZero() {
			waiting++
		}
	}
	if waiting >= mostWaiting {
		return Job{}, fault.New(fault.FilmsFull, nil, "")
	}
	l.next++
	j := &Job{ID: l.next, Order: o}
	l.jobs = append(l.jobs, j)
	if n := len(l.jobs); n > mostJobs {
		l.jobs = append([]*Job(nil), l.jobs[n-mostJobs:]...)
	}
	select {
	case l.kick <- struct{}{}:
	default:
	}
	return *j, nil
}

// Jobs are the films of a feed that are made, wait, or were made since the start; the newest
// first.
func (l *Library) Jobs(feed string) (list []Job) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for i := len(l.jobs) - 1; i >= 0; i-- {
		if l.jobs[i].Feed == feed {
			list = append(list, *l.jobs[i])
		}
	}
	return list
}

// Cancel ends making a film, or takes it out of those that wait.
func (l *Library) Cancel(feed string, id int) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, j := range l.jobs {
		if j.ID == id && j.Feed == feed && j.Ended.IsZero() {
			j.Ended, j.Problem = time.Now(), fault.New(fault.FilmCancelled, nil, "")
			if j.cancel != nil {
				j.cancel()
			}
			return nil
		}
	}
	return fault.New(fault.StillNone, nil, "No film of that number is being made.")
}

// makeFilms makes one film after the other.
func (l *Library) makeFilms(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-l.kick:
		}
		for j := l.waiting(); j != nil && ctx.Err() == nil; j = l.waiting() {
			l.makeOne(ctx, j)
		}
	}
}

func (l *Library) waiting() *Job {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, j := range l.jobs {
		if j.Ended.IsZero() {
			return j
		}
	}
	return nil
}

func (l *Library) makeOne(ctx context.Context, j *Job) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	l.mu.Lock()
	j.cancel = cancel
	order, over := j.Order, !j.Ended.IsZero()
	l.mu.Unlock()
	if over {
		return // somebody has just taken it back
	}
	var name string
	var made film.Film
	err := barrier.Do(func() (err error) { name, made, err = l.make(ctx, order, j); return err })
	l.mu.Lock()
	if j.Ended.IsZero() {
		j.Ended = time.Now()
		if err != nil {
			j.Problem = filmFault(err)
		} else {
			j.Name = path.Base(name)
		}
	}
	problem := j.Problem
	l.mu.Unlock()
	by := l.cfg.Station.By("", "")
	switch {
	case problem == nil:
		by.Note(order.Feed, station.EventChange, fmt.Sprintf("a film of %s was made: %d pictures in %v", order.Source, made.Pictures, made.Length.Round(100*time.Millisecond)))
	case problem.Kind.Code != fault.FilmCancelled && ctx.Err() == nil:
		by.Warn(order.Feed, problem.Kind.Code, "no film of "+order.Source+" was made: "+problem.Error())
	}
	l.cfg.Station.Changed()
}

func filmFault(err error) *fault.Error {
	if f := record.DiskFault(err); f.Kind.Code != fault.Failed {
		return f
	}
	return fault.New(fault.FilmFailed, err, "%v", err)
}

// make makes the film of an order and returns its name.
func (l *Library) make(ctx context.Context, o Order, j *Job) (string, film.Film, error) {
	size, err := rendition.ParseSize(o.Size)
	if err != nil {
		return "", film.Film{}, err
	}
	cfg := film.Config{Worker: l.cfg.Worker, Format: o.Format, Size: size, Length: o.Length, Progress: func(done, all int) {
		l.mu.Lock()
		j.Done, j.All = done, all
		l.mu.Unlock()
	}}
	var used []File
	if o.Source == Recording {
		done, err := l.ofRecording(ctx, &cfg, o)
		if err != nil {
			return "", film.Film{}, err
		}
		defer done()
	} else if used, err = l.ofStills(&cfg, o); err != nil {
		return "", film.Film{}, err
	}
	name := still.FilmName(o.Feed, o.Source, string(o.Format), o.From, o.To)
	var made film.Film
	err = l.put(filmsFolder, name, func(f *os.File) (err error) {
		made, err = film.Make(ctx, cfg, f)
		return err
	})
	if err == nil && o.Removes {
		l.removeStills(o.Feed, o.Source, used, o.To)
	}
	return name, made, err
}

// ofStills has a film made of a schedule's stills.
func (l *Library) ofStills(cfg *film.Config, o Order) ([]File, error) {
	list, err := l.Stills(o.Feed, o.Source, o.From, o.To)
	if err != nil {
		return nil, err
	}
	if len(list) == 0 {
		return nil, fault.New(fault.FilmEmpty, nil, "")
	}
	read := func(i int) ([]byte, error) {
		return os.ReadFile(l.full(stillsFolder, path.Join(o.Feed, o.Source, list[i].Name)))
	}
	cfg.Count, cfg.Picture = len(list), func(i int) (film.Picture, error) { return pictureOf(read(i)) }
	if o.Even {
		evened(cfg, read)
	}
	return list, nil
}

// evened has the pictures of a film evened out: those that are shown, among each other.
func evened(cfg *film.Config, read func(i int) ([]byte, error)) {
	all := cfg.Count
	shown := film.Shown(all, cfg.Length)
	even := &evener{read: func(i int) ([]byte, error) { return read(i * all / shown) }, count: shown}
	cfg.Count, cfg.Picture = shown, func(i int) (film.Picture, error) { return pictureOf(even.out(i)) }
}

// pictureOf is a picture of JPEG.
func pictureOf(data []byte, err error) (film.Picture, error) {
	if err != nil {
		return film.Picture{}, err
	}
	c, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return film.Picture{}, err
	}
	return film.Picture{Track: jpegTrack(c.Width, c.Height), Data: data}, nil
}

func jpegTrack(width, height int) *media.Track {
	return media.VideoTrack(1, 90_000, &media.VideoConfig{Codec: media.JPEG, Width: width, Height: height})
}

// ofRecording has a film made of the keyframes of a recording. Call done behind it.
func (l *Library) ofRecording(ctx context.Context, cfg *film.Config, o Order) (done func(), err error) {
	if l.cfg.Recordings == nil {
		return nil, fault.New(fault.FilmEmpty, nil, "")
	}
	keyframes, err := l.cfg.Recordings.Keyframes(o.Feed, o.From, o.To)
	if err != nil {
		return nil, err
	}
	if len(keyframes) == 0 {
		return nil, fault.New(fault.FilmEmpty, nil, "")
	}
	cfg.Count = len(keyframes)
	cfg.Picture = func(i int) (film.Picture, error) {
		s, err := keyframes[i].Read()
		if err != nil {
			return film.Picture{}, err
		}
		return film.Picture{Track: s.Track, Data: s.Data}, nil
	}
	if !o.Even {
		return func() {}, nil
	}
	made := &transcode.Stills{Program: l.cfg.Worker, Quality: evenQuality}
	evened(cfg, func(i int) ([]byte, error) {
		s, err := keyframes[i].Read()
		if err != nil {
			return nil, err
		}
		return made.Of(ctx, s)
	})
	return made.Close, nil
}
