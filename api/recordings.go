package api

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/motion"
	"webostrum/core/recording"
	"webostrum/record"
	"webostrum/station"
	"webostrum/store"
)

const (
	mostSpans = 2000
)

func (a *API) recordingOperations(h huma.API) {
	const path, now = "/feeds/{name}/recordings", "/feeds/{name}/recording"
	huma.Register(h, operation("GET", "/recordings", "show-recordings", "How much recordings take, feed by feed", needsReader, 200), a.showRecordings)
	huma.Register(h, operation("GET", path, "list-recordings", "What was recorded of a feed", needsViewer, 200), a.listRecordings)
	huma.Register(h, operation("PUT", path+"/keep", "keep-recordings", "Mark what was recorded as to be kept, or no longer so", needsEngineer, 200), a.keepRecordings)
	huma.Register(h, operation("DELETE", path, "remove-recordings", "Remove what lies wholly between two times", needsEngineer, 200), a.removeRecordings)
	huma.Register(h, operation("POST", now, "start-recording", "Record a feed now", needsEngineer, 200), a.startRecording)
	huma.Register(h, operation("DELETE", now, "stop-recording", "End what was begun by hand", needsEngineer, 200), a.stopRecording)
	huma.Register(h, operation("GET", "/feeds/{name}/motion", "show-motion", "How much of a feed's picture changes", needsEngineer, 200), a.showMotion)
}

func recordingOf(r store.Recording) apitypes.RecordingSettings {
	s := apitypes.RecordingSettings{
		Mode: r.Mode, Timetable: r.Timetable, Zone: r.Zone, Minutes: r.Minutes, Before: r.Before, After: r.After,
		Threshold: r.Threshold, Mask: r.Mask, Days: r.Days, Bytes: r.Bytes, GoBack: r.GoBack,
	}
	if s.Mode == "" {
		s.Mode = record.WhyHand
	}
	return s
}

// applyRecording turns settings into what is recorded of them, or says what is wrong.
func applyRecording(s apitypes.RecordingSettings) (r store.Recording, err error) {
	if s.Timetable != "" || s.Mode == record.WhyTimetable {
		if _, err := recording.ParseTimetable(s.Timetable); err != nil {
			return r, refused("recording.timetable", err.Error())
		}
	}
	if s.Zone != "" {
		if _, err := time.LoadLocation(s.Zone); err != nil {
			return r, refused("recording.zone", fmt.Sprintf("%q is no time zone: write it like Europe/Zurich, or leave it out", s.Zone))
		}
	}
	if _, err := motion.ParseMask(s.Mask); err != nil {
		return r, refused("recording.mask", err.Error())
	}
	r = store.Recording{
		Mode: s.Mode, Timetable: s.Timetable, Zone: s.Zone, Minutes: s.Minutes, Before: s.Before, After: s.After,
		Threshold: s.Threshold, Mask: s.Mask, Days: s.Days, Bytes: s.Bytes, GoBack: s.GoBack,
	}
	if r.Mode == record.WhyHand {
		r.Mode = ""
	}
	return r, nil
}

func recordingState(s record.State) apitypes.RecordingState {
	out := apitypes.RecordingState{Recording: s.Recording, Why: s.Why, Left: s.Left}
	if !s.Since.IsZero() && s.Recording {
		out.Since = &s.Since
	}
	if !s.Until.IsZero() {
		out.Until = &s.Until
	}
	if s.Problem != nil {
		out.Problem, out.Remedy, out.Code = s.Problem.Error(), s.Problem.Kind.Remedy, string(s.Problem.Kind.Code)
	}
	return out
}

// library is what was recorded; the error says that nothing can be.
func (a *API) library() (*record.Library, error) {
	if a.cfg.Recordings == nil {
		return nil, fault.New(fault.RecordingFolder, nil, "There is none here.")
	}
	return a.cfg.Recordings, nil
}

func (a *API) showRecordings(context.Context, *struct{}) (*struct{ Body apitypes.RecordingRoom }, error) {
	l, err := a.library()
	if err != nil {
		return nil, answerFor(err)
	}
	room, err := l.Room()
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.RecordingRoom{
		Folder: l.Folder(), Files: room.Files, Bytes: room.Bytes, Kept: room.Kept, Free: room.Free, Disk: room.Disk, Most: room.Most, Spare: room.Keep,
		Feeds: []apitypes.RecordedFeed{},
	}
	if room.Problem != nil {
		out.Problem, out.Remedy = room.Problem.Error(), room.Problem.Kind.Remedy
	}
	if out.Copies = copiesOf(l); out.Copies != nil {
		out.Copies.Files, out.Copies.Bytes = room.Away, room.AwayBytes
	}
	files, err := l.Files("", time.Time{}, time.Time{})
	if err != nil {
		return nil, answerFor(err)
	}
	byName := make(map[string][]recording.File)
	for _, f := range files {
		byName[f.Feed] = append(byName[f.Feed], f)
	}
	for _, f := range a.station.List() {
		name := f.Rules().Name
		state := l.State(name)
		if list := byName[name]; len(list) > 0 || state.Recording {
			out.Feeds = append(out.Feeds, recordedFeed(name, list, state))
		}
		delete(byName, name)
	}
	for name, list := range byName {
		gone := recordedFeed(name, list, record.State{})
		gone.Gone = true
		out.Feeds = append(out.Feeds, gone)
	}
	return &struct{ Body apitypes.RecordingRoom }{out}, nil
}

func copiesOf(l *record.Library) *apitypes.RecordingCopies {
	to, waiting, problem := l.Copying()
	if to == "" {
		return nil
	}
	c := &apitypes.RecordingCopies{To: to, Waiting: waiting}
	if problem != nil {
		c.Problem, c.Remedy = problem.Error(), problem.Kind.Remedy
	}
	return c
}

func recordedFeed(name string, files []recording.File, s record.State) apitypes.RecordedFeed {
	r := apitypes.RecordedFeed{Feed: name, Files: len(files), State: recordingState(s)}
	r.Oldest, r.Newest, r.Bytes, r.Away = ends(files)
	return r
}

// ends are when the oldest of files begins and the newest ends, the bytes of all, and those in
// the object store alone.
func ends(files []recording.File) (oldest, newest *time.Time, bytes, away int64) {
	for i := range files {
		f := &files[i]
		bytes += f.Bytes
		if f.Away {
			away += f.Bytes
		}
		if oldest == nil || f.Begins.Before(*oldest) {
			oldest = &f.Begins
		}
		if newest == nil || f.Ends.After(*newest) {
			newest = &f.Ends
		}
	}
	return oldest, newest, bytes, away
}

// past is what was recorded of a feed, for somebody who may see it: engineers, and where the
// feed lets viewers go back, those who may watch it. Engineers see what is left of feeds
// that are gone.
func (a *API) past(ctx context.Context, name string) (*record.Library, error) {
	l, err := a.library()
	if err != nil {
		return nil, answerFor(err)
	}
	f, err := a.seen(ctx, name)
	who := callerOf(ctx)
	switch {
	case err == nil && !who.reader() && !f.Recording().GoBack:
		return nil, fault.New(fault.RecordingOff, nil, "")
	case errors.Is(err, store.ErrNotFound) && who.reader():
		if files, err := l.Files(name, time.Time{}, time.Time{}); err == nil && len(files) > 0 {
			return l, nil
		}
		return nil, fault.New(fault.FeedUnknown, err, "")
	case errors.Is(err, store.ErrNotFound):
		return nil, fault.New(fault.FeedUnknown, err, "")
	}
	return l, err
}

type spanInput struct {
	Name string    `path:"name" maxLength:"63" doc:"The feed's name"`
	From time.Time `query:"from" doc:"Beginning; 24 hours before the end when left out" example:"2026-11-26T08:00:00Z"`
	To   time.Time `query:"to" doc:"End; now when left out" example:"2026-11-26T09:00:00Z"`
}

func (in *spanInput) span(now time.Time) (from, to time.Time, err error) {
	from, to = in.From, in.To
	if to.IsZero() {
		to = now
	}
	if from.IsZero() {
		from = to.Add(-dayLength)
	}
	if !from.Before(to) {
		return from, to, refusedQuery("from", "from is to be before to")
	}
	return from, to, nil
}

func (a *API) listRecordings(ctx context.Context, in *spanInput) (*struct{ Body apitypes.Recordings }, error) {
	l, err := a.past(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	from, to, err := in.span(time.Now())
	if err != nil {
		return nil, answerFor(err)
	}
	all, err := l.Files(in.Name, time.Time{}, time.Time{})
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.Recordings{Feed: in.Name, State: recordingState(l.State(in.Name)), Files: len(all), Spans: []apitypes.RecordedSpan{}}
	out.Oldest, out.Newest, out.Bytes, out.Away = ends(all)
	if !callerOf(ctx).reader() {
		out.State.Problem, out.State.Remedy, out.State.Code = "", "", ""
	}
	var asked []recording.File
	for _, f := range all {
		if f.Ends.After(from) && f.Begins.Before(to) {
			asked = append(asked, f)
		}
	}
	spans := recording.Spans(asked)
	out.More = len(spans) > mostSpans
	for _, s := range spans[:min(len(spans), mostSpans)] {
		out.Spans = append(out.Spans, apitypes.RecordedSpan{Begins: s.Begins, Ends: s.Ends, Bytes: s.Bytes, Width: s.Width, Height: s.Height, Codec: s.Codec, Audio: s.Audio, Keep: s.Keep, Away: s.Away, Why: s.Why})
	}
	return &struct{ Body apitypes.Recordings }{out}, nil
}

func (a *API) keepRecordings(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63"`
	Body apitypes.KeepRecordings
}) (*struct{ Body apitypes.RecordingsChanged }, error) {
	l, err := a.past(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	if !in.Body.From.Before(in.Body.To) {
		return nil, refused("from", "from is to be before to")
	}
	n, err := l.Keep(in.Name, in.Body.From, in.Body.To, in.Body.Keep)
	if err != nil {
		return nil, answerFor(err)
	}
	what := "marked to be kept"
	if !in.Body.Keep {
		what = "no longer marked to be kept"
	}
	if n > 0 {
		a.by(ctx).Note(in.Name, station.EventChange, fmt.Sprintf("%d files of recordings are %s", n, what))
	}
	return &struct{ Body apitypes.RecordingsChanged }{apitypes.RecordingsChanged{Files: n}}, nil
}

func (a *API) removeRecordings(ctx context.Context, in *struct {
	Name string    `path:"name" maxLength:"63"`
	From time.Time `query:"from" required:"true" example:"2026-11-26T08:00:00Z"`
	To   time.Time `query:"to" required:"true" example:"2026-11-26T09:00:00Z"`
}) (*struct{ Body apitypes.RecordingsChanged }, error) {
	l, err := a.past(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	if !in.From.Before(in.To) {
		return nil, answerFor(refusedQuery("from", "from is to be before to"))
	}
	n, bytes, err := l.Remove(in.Name, in.From, in.To)
	if err != nil {
		return nil, answerFor(err)
	}
	if n > 0 {
		a.by(ctx).Note(in.Name, station.EventChange, fmt.Sprintf("%d files of recordings were removed, from %s to %s", n, in.From.UTC().Format(time.RFC3339), in.To.UTC().Format(time.RFC3339)))
	}
	return &struct{ Body apitypes.RecordingsChanged }{apitypes.RecordingsChanged{Files: n, Bytes: bytes}}, nil
}

func (a *API) startRecording(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63"`
	Body apitypes.RecordNow
}) (*struct{ Body apitypes.RecordingState }, error) {
	l, err := a.library()
	if err != nil {
		return nil, answerFor(err)
	}
	if _, err := a.station.Get(in.Name); err != nil {
		return nil, answerFor(err)
	}
	length, text := time.Duration(in.Body.Minutes*float64(time.Minute)), "recording was begun"
	if length > 0 {
		text += fmt.Sprintf(", for %v", length)
	}
	l.Begin(in.Name, length)
	a.by(ctx).Note(in.Name, station.EventChange, text)
	return &struct{ Body apitypes.RecordingState }{recordingState(l.State(in.Name))}, nil
}

func (a *API) stopRecording(ctx context.Context, in *feedPath) (*struct{ Body apitypes.RecordingState }, error) {
	l, err := a.library()
	if err != nil {
		return nil, answerFor(err)
	}
	if _, err := a.station.Get(in.Name); err != nil {
		return nil, answerFor(err)
	}
	l.Stop(in.Name)
	a.by(ctx).Note(in.Name, station.EventChange, "recording was ended")
	return &struct{ Body apitypes.RecordingState }{recordingState(l.State(in.Name))}, nil
}

func (a *API) showMotion(_ context.Context, in *feedPath) (*struct{ Body apitypes.Motion }, error) {
	l, err := a.library()
	if err != nil {
		return nil, answerFor(err)
	}
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	history, cells, trouble := l.Motion(in.Name)
	out := apitypes.Motion{Threshold: record.Threshold(f.Recording()), Points: []apitypes.MotionPoint{}, Cells: make([][]float64, motion.Rows), Problem: trouble}
	for _, p := range history {
		out.Points = append(out.Points, apitypes.MotionPoint{At: p.At, Changed: p.Changed})
	}
	for y := range cells {
		out.Cells[y] = cells[y][:]
	}
	return &struct{ Body apitypes.Motion }{out}, nil
}
