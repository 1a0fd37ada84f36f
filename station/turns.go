package station

import (
	"context"
	"errors"
	"slices"
	"time"

	"webostrum/core/fault"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/turns"
	"webostrum/ingest/source"
	"webostrum/station/pipeline"
)

// The kinds of feeds that are made of others.
const (
	KindTurns  = "turns"
	KindMosaic = "mosaic"
)

const (
	usualDwell   = 10 * time.Second
	turnTick     = 40 * time.Millisecond
	keyWithin    = 8 * time.Second // of a source whose turn it is
	silentFor    = 3 * time.Second // before a source is left that sends nothing
	leftAlone    = 10 * time.Second
	usualTurnsW  = 1280
	usualTurnsH  = 720
	turnsRate    = 25
	startsWithin = 10 * time.Second // of sources, when the service starts
	knownWithin  = 10 * time.Second
	turnsEarlier = 200 * time.Millisecond

	// callsAhead is how long before its turn a source that is idle is connected: sign-in, the
	// answers of a slow camera, and its next keyframe.
	callsAhead = 8 * time.Second
)

// combined is what is known of a feed that is made of others.
type combined struct {
	kind  string
	track func() *media.Track
}

// Facts implements source.Session.
func (c combined) Facts() source.Facts {
	facts := source.Facts{Transport: c.kind}
	if t := c.track(); t != nil {
		facts.Codec, facts.Width, facts.Height = t.Codec, t.Width, t.Height
		if t.Video != nil {
			facts.Profile, facts.Level = t.Video.Profile, t.Video.Level
		}
	}
	return facts
}

// onAir is a source that is on, or is to be.
type onAir struct {
	feed   string
	free   func() // of being needed
	stream *pipeline.Stream
	video  *hub.Reader
	audio  *hub.Reader
	opened time.Time
	last   time.Time // when something came
}

func (a *onAir) close() {
	if a == nil {
		return
	}
	a.video.Close()
	if a.audio != nil {
		a.audio.Close()
	}
	a.stream.Release()
	a.free()
}

// turner takes turns for one run of a feed.
type turner struct {
	run     *run
	cfg     source.Config
	list    []turns.Source
	line    *turns.Line
	made    bool // sources are transcoded
	on      *onAir
	next    *onAir
	away    map[string]time.Time // sources that were left, until then
	awaited turns.Turn           // who is not connected yet, though it is its turn
	audio   *media.Track
	begun   bool
	since   time.Time // of the session
}

// takeTurns plays other feeds in turn. It returns when none of them is live.
func (r *run) takeTurns(ctx context.Context, cfg source.Config) (uint64, error) {
	c := r.record.Combined
	if way := turns.Circle(r.record.Name, r.feed.station.sources); way != "" { // the API refuses such records
		return cfg.FirstEpoch, fault.New(fault.SourcesAway, nil, "It is made of itself: %s.", way)
	}
	t := &turner{run: r, cfg: cfg, list: sourcesOf(c), line: turns.NewLine(cfg.FirstEpoch), away: make(map[string]time.Time), since: time.Now()}
	defer func() { t.on.close(); t.next.close() }()
	err := t.loop(ctx)
	return t.line.NextEpoch(), err
}

func (t *turner) loop(ctx context.Context) error {
	for ctx.Err() == nil {
		if err := t.choose(ctx); err != nil {
			return err
		}
		t.goOver()
		if !t.pass(ctx) {
			continue
		}
	}
	return ctx.Err()
}

// open opens a source, as it sends or transcoded.
func (t *turner) open(ctx context.Context, name string) (*onAir, error) {
	f, err := t.run.feed.station.Get(name)
	if err != nil {
		return nil, err
	}
	free := f.Need()
	s, err := t.stream(ctx, f)
	if err != nil {
		free()
		return nil, err
	}
	now := time.Now()
	return &onAir{feed: name, free: free, stream: s, video: s.Hub.NewReader(), opened: now, last: now}, nil
}

func (t *turner) stream(ctx context.Context, f *Feed) (*pipeline.Stream, error) {
	ctx, cancel := context.WithTimeout(ctx, keyWithin)
	defer cancel()
	p, err := f.present()
	if err != nil {
		return nil, err
	}
	video, audio := p.Input()
	s := &pipeline.Stream{Hub: video, Codec: p.Codec(), Release: func() {}}
	if t.made {
		if s, err = p.Padded(ctx, t.size(), turnsRate); err != nil {
			return nil, err
		}
	}
	if track := p.AudioTrackNow(); track != nil {
		s.Audio = &pipeline.Audio{Hub: audio, Track: track}
	}
	return s, nil
}

func (t *turner) size() rendition.Size {
	if s, err := rendition.ParseSize(t.run.record.Combined.Size); err == nil && s.Width > 0 && s.Height > 0 {
		return s
	}
	return rendition.Size{Width: usualTurnsW, Height: usualTurnsH}
}

// goOver puts the next source on as soon as there is a new keyframe of it.
func (t *turner) goOver() {
	if t.next == nil {
		return
	}
	var first *media.Sample
	for s := t.next.video.Try(); s != nil; s = t.next.video.Try() {
		if s.Key && s.Captured.After(t.next.opened.Add(-keyFresh)) {
			first = s
			break
		}
	}
	if first == nil {
		return
	}
	if !t.made && t.line.NextEpoch() > t.cfg.FirstEpoch && !t.line.Fits(first) && t.run.feed.station.cfg.Codecs != "" {
		t.made = true // they are not alike any more: from here on all are transcoded
		t.next.close()
		t.next = nil
		return
	}
	t.on.close()
	t.on, t.next = t.next, nil
	t.on.last = time.Now()
	tf := &t.run.feed.turn
	tf.mu.Lock()
	tf.on, tf.made = turns.Turn{Feed: t.on.feed, Since: time.Now()}, t.made
	tf.skipped = slices.DeleteFunc(tf.skipped, func(s string) bool { return s == t.on.feed })
	tf.mu.Unlock()
	t.line.Switch(first)
	t.sound(first)
	t.publish(first)
	t.run.feed.station.changed()
}

const keyFresh = 2 * time.Second // a keyframe that is older is the past

// sound opens the audio of the source that is on.
func (t *turner) sound(first *media.Sample) {
	a := t.on.stream.Audio
	if a == nil {
		return // silence takes its place
	}
	t.on.audio = a.Hub.NewReaderFrom(first.Captured.Add(-turnsEarlier))
	if !media.SameAudio(t.audio, a.Track) {
		t.audio = a.Track
		t.cfg.AudioTrack(a.Track)
	}
}

func (t *turner) publish(s *media.Sample) {
	out := t.line.Sample(s)
	if out == nil {
		return
	}
	t.on.last = time.Now()
	t.cfg.Publish(out)
	if !t.begun {
		t.begun = true
		t.cfg.Started(combined{KindTurns, t.run.pipelineTrack})
	}
}

// pipelineTrack is the track of what is published.
func (r *run) pipelineTrack() *media.Track {
	video, _ := r.pipeline.Input()
	if s := video.Latest(); s != nil {
		return s.Track
	}
	return nil
}

// pass passes on what has come of the source that is on, and waits a moment for more.
func (t *turner) pass(ctx context.Context) bool {
	ctx, cancel := context.WithTimeout(ctx, turnTick)
	defer cancel()
	if t.on == nil {
		<-ctx.Done()
		return false
	}
	s, _, err := t.on.video.Next(ctx)
	if errors.Is(err, hub.ErrClosed) {
		t.away[t.on.feed] = time.Now().Add(silentFor)
		<-ctx.Done()
		return false
	}
	if err != nil {
		return false
	}
	if t.on.audio != nil {
		for unit := t.on.audio.Try(); unit != nil; unit = t.on.audio.Try() {
			if media.SameAudio(unit.Track, t.audio) {
				t.cfg.Audio(unit)
			}
		}
	}
	t.publish(s)
	return true
}
