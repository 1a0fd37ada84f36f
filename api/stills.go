package api

import (
	"context"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/rendition"
	"webostrum/deliver/problem"
	"webostrum/film"
	"webostrum/station"
	"webostrum/stills"
	"webostrum/store"
)

const (
	mostStillsListed = 2000
	noFilm           = "none"
)

func (a *API) stillOperations(h huma.API) {
	const films = "/feeds/{name}/films"
	huma.Register(h, operation("GET", "/feeds/{name}/stills", "list-stills", "A feed's schedules of stills, and what they have taken", needsViewer, 200), a.listStills)
	huma.Register(h, operation("GET", films, "list-films", "A feed's films", needsViewer, 200), a.listFilms)
	huma.Register(h, operation("POST", films, "make-film", "Make a film of stills or of a recording", needsEngineer, 201), a.makeFilm)
	huma.Register(h, operation("DELETE", films+"/{source}/{file}", "remove-film", "Remove a film", needsEngineer, 204), a.removeFilm)
	huma.Register(h, operation("DELETE", "/feeds/{name}/film-jobs/{id}", "cancel-film", "End making a film", needsEngineer, 204), a.cancelFilm)
}

func schedulesOf(list []store.StillSchedule) []apitypes.StillSchedule {
	out := []apitypes.StillSchedule{}
	for _, s := range list {
		out = append(out, apitypes.StillSchedule(s))
	}
	return out
}

// applySchedules turns settings into what is recorded of them, or says what is wrong.
func applySchedules(list []apitypes.StillSchedule, requests []store.CameraRequest) (out []store.StillSchedule, err error) {
	names := make(map[string]bool)
	for _, s := range list {
		switch {
		case names[s.Name]:
			return nil, refused("stills", "two schedules are called "+s.Name+": their stills would lie in one folder; give each a name of its own")
		case s.Name == stills.Recording:
			return nil, refused("stills", `"recording" is what films of recordings are called: choose another name`)
		case (s.Seconds == 0) == (len(s.At) == 0):
			return nil, refused("stills", s.Name+": say either how many seconds lie between stills, or at which times of day they are taken")
		case s.Seconds != 0 && s.Seconds < 1:
			return nil, refused("stills", s.Name+": a still a second is the most that can be had; a recording has more")
		case s.Sun && len(s.At) > 0:
			return nil, refused("stills", s.Name+": the sun decides about stills that are taken every so often, not at times of day")
		}
		names[s.Name] = true
		if _, err := stills.ScheduleOf(store.StillSchedule(s)); err != nil {
			return nil, refused("stills", s.Name+": "+err.Error())
		}
		if _, err := rendition.ParseSize(s.Size); err != nil {
			return nil, refused("stills", s.Name+": "+err.Error())
		}
		for _, q := range s.Requests {
			if !slices.ContainsFunc(requests, func(r store.CameraRequest) bool { return r.Name == q }) {
				return nil, refused("stills", s.Name+": the feed has no camera request called "+q+"; add it first")
			}
		}
		if s.Film == noFilm {
			s.Film = ""
		}
		out = append(out, store.StillSchedule(s))
	}
	return out, nil
}

// kept is the stills and films of a feed; the error says why the caller may not know of them.
func (a *API) kept(ctx context.Context, name string) (*stills.Library, *station.Feed, error) {
	f, err := a.seen(ctx, name)
	if err != nil {
		return nil, nil, answerFor(err)
	}
	if a.cfg.Stills == nil {
		return nil, nil, answerFor(fault.New(fault.StillNone, nil, "None are taken here."))
	}
	return a.cfg.Stills, f, nil
}

// shows says whether a feed's viewers see what comes of a schedule, or of recordings.
func shows(f *station.Feed, source string) bool {
	if source == stills.Recording {
		return f.Recording().GoBack
	}
	i := slices.IndexFunc(f.Stills(), func(s store.StillSchedule) bool { return s.Name == source })
	return i >= 0 && f.Stills()[i].Show
}

func keptAddress(feed, folder string, parts ...string) string {
	for i, p := range parts {
		parts[i] = (&url.URL{Path: p}).EscapedPath()
	}
	return "/media/" + url.PathEscape(feed) + "/" + folder + "/" + path.Join(parts...)
}

type stillsInput struct {
	Name     string    `path:"name" maxLength:"63" doc:"The feed's name"`
	Schedule string    `query:"schedule" maxLength:"40" doc:"Whose stills are listed; none without"`
	From     time.Time `query:"from" doc:"Beginning; 24 hours before the end when left out" example:"2026-11-26T08:00:00Z"`
	To       time.Time `query:"to" doc:"End; now when left out" example:"2026-11-26T09:00:00Z"`
}

func (a *API) listStills(ctx context.Context, in *stillsInput) (*struct{ Body apitypes.StillList }, error) {
	l, f, err := a.kept(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	span := spanInput{From: in.From, To: in.To}
	from, to, err := span.span(time.Now())
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.StillList{Schedules: []apitypes.ScheduleState{}, Stills: []apitypes.KeptStill{}}
	reader := callerOf(ctx).reader()
	for _, s := range f.Stills() {
		if !reader && !s.Show {
			continue
		}
		all, err := l.Stills(in.Name, s.Name, time.Time{}, time.Now().Add(dayLength))
		if err != nil {
			return nil, answerFor(err)
		}
		out.Schedules = append(out.Schedules, scheduleState(in.Name, s.Name, l.State(in.Name, s.Name), all, reader))
		if s.Name != in.Schedule {
			continue
		}
		for _, x := range all {
			if !x.At.Before(from) && x.At.Before(to) && len(out.Stills) < mostStillsListed {
				out.Stills = append(out.Stills, apitypes.KeptStill{At: x.At, Bytes: x.Bytes, Address: keptAddress(in.Name, "stills", s.Name, x.Name)})
			}
		}
	}
	return &struct{ Body apitypes.StillList }{out}, nil
}

func scheduleState(feed, name string, s stills.State, all []stills.File, reader bool) apitypes.ScheduleState {
	out := apitypes.ScheduleState{Name: name, Files: len(all), Latest: keptAddress(feed, "stills", name, "latest.jpg")}
	for _, f := range all {
		out.Bytes += f.Bytes
	}
	if n := len(all); n > 0 {
		out.Oldest, out.Newest = &all[0].At, &all[n-1].At
	}
	if !s.Next.IsZero() {
		out.Next = &s.Next
	}
	if s.Problem != nil && reader {
		out.Problem, out.Remedy = s.Problem.Error(), s.Problem.Kind.Remedy
	}
	return out
}

func (a *API) listFilms(ctx context.Context, in *feedPath) (*struct{ Body apitypes.FilmList }, error) {
	l, f, err := a.kept(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	list, err := l.Films(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	reader := callerOf(ctx).reader()
	out := apitypes.FilmList{Films: []apitypes.Film{}, Jobs: []apitypes.FilmJob{}}
	for _, x := range list {
		if reader || shows(f, x.Source) {
			out.Films = append(out.Films, apitypes.Film{
				Source: x.Source, Name: x.Name, Format: x.Format, From: x.From, To: x.To, Bytes: x.Bytes,
				Address: keptAddress(in.Name, "films", x.Source, x.Name), Latest: keptAddress(in.Name, "films", x.Source, "latest."+x.Format),
			})
		}
	}
	if reader {
		for _, j := range l.Jobs(in.Name) {
			out.Jobs = append(out.Jobs, filmJob(j))
		}
	}
	return &struct{ Body apitypes.FilmList }{out}, nil
}

func filmJob(j stills.Job) apitypes.FilmJob {
	out := apitypes.FilmJob{ID: j.ID, Source: j.Source, From: j.From, To: j.To, Format: string(j.Format), Done: j.Done, All: j.All}
	if !j.Ended.IsZero() {
		out.Ended = &j.Ended
	}
	if j.Problem != nil {
		out.Problem, out.Remedy = j.Problem.Error(), j.Problem.Kind.Remedy
	}
	if j.Name != "" {
		out.Address = keptAddress(j.Feed, "films", j.Source, j.Name)
	}
	return out
}

func (a *API) makeFilm(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63"`
	Body apitypes.NewFilm
}) (*struct{ Body apitypes.FilmJob }, error) {
	l, f, err := a.kept(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	b := in.Body
	if !b.From.Before(b.To) {
		return nil, refused("from", "from is to be before to")
	}
	if b.Source != stills.Recording && !slices.ContainsFunc(f.Stills(), func(s store.StillSchedule) bool { return s.Name == b.Source }) {
		return nil, refused("source", "the feed has no schedule called "+b.Source+`; "recording" is what was recorded`)
	}
	if b.Source == stills.Recording && b.Removes {
		return nil, refused("removes", "pictures are removed of stills alone: a recording has its own days")
	}
	if _, err := rendition.ParseSize(b.Size); err != nil {
		return nil, refused("size", err.Error())
	}
	j, err := l.Order(stills.Order{
		Feed: in.Name, Source: b.Source, From: b.From, To: b.To, Length: time.Duration(b.Seconds * float64(time.Second)),
		Format: film.Format(b.Format), Size: b.Size, Even: b.Even, Removes: b.Removes,
	})
	if err != nil {
		return nil, answerFor(err)
	}
	return &struct{ Body apitypes.FilmJob }{filmJob(j)}, nil
}

func (a *API) removeFilm(ctx context.Context, in *struct {
	Name   string `path:"name" maxLength:"63"`
	Source string `path:"source" maxLength:"40"`
	File   string `path:"file" maxLength:"160"`
}) (*struct{}, error) {
	l, _, err := a.kept(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	if err := l.RemoveFilm(in.Name, in.Source, in.File); err != nil {
		return nil, answerFor(err)
	}
	a.by(ctx).Note(in.Name, station.EventChange, "the film "+in.File+" was removed")
	return nil, nil
}

func (a *API) cancelFilm(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63"`
	ID   int    `path:"id" minimum:"1"`
}) (*struct{}, error) {
	l, _, err := a.kept(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	return nil, answerFor(l.Cancel(in.Name, in.ID))
}

// serveKept answers what is under /media/{feed}/stills/ and /media/{feed}/films/.
func (a *API) serveKept(w http.ResponseWriter, r *http.Request, name string, m admission, isFilm bool, file string) {
	source, _, _ := strings.Cut(file, "/")
	sees := func() bool { return m.reader() || shows(m.feed, source) }
	if a.cfg.Stills == nil || !sees() {
		problem.Write(w, fault.New(fault.StillNone, nil, ""))
		return
	}
	f, err := a.cfg.Stills.Open(isFilm, name, file)
	if err != nil {
		problem.Write(w, err)
		return
	}
	defer func() { _ = f.Close() }()
	info, err := f.Stat()
	if err != nil {
		problem.Write(w, err)
		return
	}
	if strings.HasPrefix(path.Base(file), "latest.") {
		w.Header().Set("Cache-Control", "no-cache")
	} else {
		w.Header().Set("Cache-Control", "private, max-age=3600")
	}
	a.sendFile(w, r, sentFile{name: path.Base(file), modified: info.ModTime(), content: f, within: pastSendWithin, until: m.until(), may: func() bool {
		return a.still(m, r) && sees()
	}})
}
