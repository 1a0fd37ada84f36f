// Package inspect looks into a camera for a few seconds and reports what is
// inside, or the plain reason why not.
package inspect

import (
	"context"
	"fmt"
	"net/url"
	"sync"
	"time"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/ingest"
	"webostrum/ingest/source"
)

// Config says what to look into.
type Config struct {
	URL         string
	User        string
	Password    string
	Transport   source.Transport
	Fetch       source.Fetch
	Poll        time.Duration // 0 means once a second
	Fingerprint string
	For         time.Duration // how long to read once pictures come; 0 means 4 s
	Both        bool          // the other RTSP transport is tried, too
	Save        bool          // the elementary stream is kept

	// Play opens what is looked into; nil is ingest.Play.
	Play func(context.Context, source.Config) (next uint64, err error)
}

const (
	defaultFor  = 4 * time.Second
	defaultPoll = time.Second
	longestFor  = time.Minute
	patience    = 15 * time.Second // for the first picture
	longKey     = 4 * time.Second
	clockIsOff  = 10 * time.Second
	shownFrames = 2
)

// look gathers what is measured.
type look struct {
	mu         sync.Mutex
	session    source.Session // guarded by mu
	first      *media.Sample  // guarded by mu
	last       *media.Sample  // guarded by mu
	frames     int            // guarded by mu
	bytes      int            // guarded by mu
	keys       []int64        // PTS of keyframes; guarded by mu
	audioTicks int64          // ticks of audio; guarded by mu
	audioBytes int            // bytes of it; guarded by mu
	keyframe   *media.Sample  // the newest; guarded by mu
	timing     timing         // guarded by mu
	opened     time.Time
	url        string    // without credentials
	firstAt    time.Time // arrival of the first frame; guarded by mu
	saved      *saved    // guarded by mu; nil when nothing is to be saved
	begun      chan struct{}
	once       sync.Once // closes begun
}

// Result is what was found, and a keyframe of it.
type Result struct {
	apitypes.Report
	Keyframe *media.Sample // the newest
	Stream   []byte        // the elementary stream, where it was to be saved
}

// Run connects, reads, and reports. Errors are *fault.Error, or the context's.
func Run(ctx context.Context, cfg Config) (*Result, error) {
	if cfg.For <= 0 {
		cfg.For = defaultFor
	}
	cfg.For = min(cfg.For, longestFor)
	if cfg.Poll <= 0 {
		cfg.Poll = defaultPoll
	}
	if cfg.Play == nil {
		cfg.Play = ingest.Play
	}
	parent := ctx
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	l := &look{begun: make(chan struct{}), opened: time.Now(), url: bare(cfg.URL), saved: saving(cfg.Save)}
	ended := make(chan error, 1)
	var reading sync.WaitGroup
	reading.Go(func() {
		_, err := cfg.Play(ctx, source.Config{
			URL: cfg.URL, User: cfg.User, Password: cfg.Password, Transport: cfg.Transport, Fingerprint: cfg.Fingerprint,
			Fetch: cfg.Fetch, Poll: cfg.Poll,
			Publish: l.sample, Audio: l.audio, Started: l.started,
		})
		ended <- err
	})
	result, err := l.watch(ctx, cfg.For, ended)
	cancel()
	reading.Wait() // the camera's connection is closed when Run returns
	if err == nil && cfg.Both {
		result.Transports = l.bothWays(parent, cfg, result.Transport)
	}
	return result, err
}

// bare is an address without credentials and without what its query may hold.
func bare(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	u.User, u.RawQuery = nil, ""
	return u.String()
}

// watch waits for the first picture, then reads for a while.
func (l *look) watch(ctx context.Context, d time.Duration, ended <-chan error) (*Result, error) {
	wait := time.NewTimer(patience)
	defer wait.Stop()
	select {
	case err := <-ended:
		return nil, err
	case <-wait.C:
		return nil, fault.New(fault.NoKeyframe, nil, "none in %v", patience)
	case <-l.begun:
	}
	read := time.NewTimer(d)
	defer read.Stop()
	select {
	case err := <-ended:
		return nil, err
	case <-read.C:
	}
	report := l.report()
	report.URL = l.url
	l.mu.Lock()
	defer l.mu.Unlock()
	return &Result{*report, l.keyframe, l.saved.bytes()}, ctx.Err()
}

func (l *look) started(s source.Session) {
	l.mu.Lock()
	l.session = s
	l.mu.Unlock()
	l.once.Do(func() { close(l.begun) }) // a camera may go over to another way of sending
}

func (l *look) sample(s *media.Sample) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.first == nil || l.last.Epoch != s.Epoch {
		l.first, l.frames, l.bytes, l.keys, l.audioTicks, l.audioBytes = s, 0, 0, nil, 0, 0
		l.timing = timing{}
	}
	now := time.Now()
	if l.firstAt.IsZero() {
		l.firstAt = now
	}
	l.timing.frame(s, now)
	l.saved.frame(s)
	l.last = s
	l.frames++
	l.bytes += len(s.Data)
	if s.Key {
		l.keys = append(l.keys, s.PTS)
		l.keyframe = s
	}
}

func (l *look) audio(s *media.Sample) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.audioTicks += s.Length
	l.audioBytes += len(s.Data)
}

// audioLocked reports what came of a track.
func (l *look) audioLocked(t *media.Track, lost uint64) *apitypes.ReportAudio {
	if t == nil {
		return nil
	}
	s := &apitypes.ReportAudio{Codec: string(t.Codec), ClockRate: t.ClockRate, Channels: t.Channels, Seconds: t.Duration(l.audioTicks).Seconds(), Lost: lost}
	if s.Seconds > 0 {
		s.BitRate = float64(l.audioBytes) * 8 / s.Seconds
	}
	return s
}

func (l *look) report() *apitypes.Report {
	l.mu.Lock()
	session := l.session
	l.mu.Unlock()
	f := session.Facts() // outside of the lock: the session hands samples over under one of its own
	l.mu.Lock()
	defer l.mu.Unlock()
	r := &apitypes.Report{
		Transport: f.Transport, Server: f.Server, Codec: string(f.Codec), Profile: f.Profile, Level: f.Level, Sampling: f.Sampling,
		Width: f.Width, Height: f.Height, BFrames: f.B, Interlaced: f.Interlaced, Slices: f.Slices, Packets: f.Stats.Packets, Lost: f.Stats.Lost, Late: f.Stats.Late, Other: f.Stats.Other, From: f.From, Overflow: f.Stats.Overflow,
		Dropped: f.Stats.Dropped, Unchanged: f.Stats.Unchanged, Reports: f.FromCamera, ClockOffset: f.WallOffset.Seconds(),
	}
	for _, t := range f.Tracks {
		r.Tracks = append(r.Tracks, apitypes.ReportTrack(t))
	}
	r.Audio = l.audioLocked(f.Audio, f.Stats.AudioLost)
	track := l.first.Track
	r.Seconds = track.Duration(l.last.DTS - l.first.DTS).Seconds()
	if r.Seconds > 0 && l.frames >= shownFrames {
		r.FrameRate = float64(l.frames-1) / r.Seconds
		r.BitRate = float64(l.bytes) * 8 / r.Seconds
	}
	if n := len(l.keys); n > 1 && !f.Codec.Intra() {
		r.KeyframeEvery = track.Duration(l.keys[n-1]-l.keys[0]).Seconds() / float64(n-1)
	}
	l.timingLocked(r)
	r.RepeatsSets = f.Stats.Keyframes > 1 && f.Stats.WithSets == f.Stats.Keyframes
	r.Browsers = browsers(r)
	r.Notes = append(notes(r), audioNotes(r, f.Audio)...)
	r.Verdict = verdict(r)
	return r
}

func notes(r *apitypes.Report) []string {
	list := []string{}
	add := func(format string, args ...any) { list = append(list, fmt.Sprintf(format, args...)) }
	switch {
	case r.Codec == string(media.JPEG):
		jpegNotes(r, add)
	case r.KeyframeEvery == 0:
		add("Fewer than two keyframes came in %.0f s. Segments can only begin at a keyframe: set an interval of 1 to 2 s in the camera.", r.Seconds)
	case r.KeyframeEvery > longKey.Seconds():
		add("Keyframes are %.1f s apart. Segments cannot be shorter than that, so HLS runs at least three times as far behind; 1 to 2 s is a good interval.", r.KeyframeEvery)
	}
	if r.Codec == string(media.H265) {
		add("%s.", plan.VideoFor(plan.HLS, media.H265, r.BFrames, nil, plan.Transcoder{Present: true}).Why)
	}
	if r.Interlaced {
		add("The pictures are interlaced: moving edges look like combs in browsers, and nothing can be transcoded of them here. Set the camera to progressive.")
	}
	if r.BFrames {
		add("The pictures are reordered (B-frames). HLS plays them; WebRTC in browsers does not.")
	}
	if r.Lost > 0 {
		add("%d of %d packets were lost. Over UDP, try the transport tcp; otherwise look at the camera's Wi-Fi.", r.Lost, r.Packets+r.Lost)
	}
	if r.Overflow > 0 {
		add("%d datagrams found no room in this machine's receive buffer. Raise net.core.rmem_max, or the machine is too busy.", r.Overflow)
	}
	if r.Late > 0 && r.Transport == string(source.TCP) {
		add("%d packets came out of order over TCP and were dropped. The camera, or a relay before it, mixes them up: try the transport udp, or restart it.", r.Late)
	}
	if r.Other > 0 {
		add("%d packets were of a payload type that the camera's description does not announce, and were left out.", r.Other)
	}
	if off := time.Duration(r.ClockOffset * float64(time.Second)); off.Abs() > clockIsOff {
		add("The camera's clock is off by %v, so its times are not used. Set its time server.", off.Round(time.Second))
	}
	return list
}

// audioNotes say how each delivery gets the audio.
func audioNotes(r *apitypes.Report, t *media.Track) (list []string) {
	for _, offered := range r.Tracks {
		if offered.Kind == media.KindAudio.String() && !offered.Used && offered.Why != "" {
			list = append(list, "The camera's audio is left out: "+offered.Why+".")
		}
	}
	switch {
	case t == nil:
	case r.Audio.Seconds == 0:
		list = append(list, "The camera offers audio, but sent none. Its microphone may be switched off.")
	default:
		all := plan.Transcoder{Present: true, AAC: true}
		for _, d := range []plan.Delivery{plan.HLS, plan.WebRTC} {
			list = append(list, plan.AudioFor(d, plan.Automatic, t, all).Why)
		}
	}
	return list
}

func jpegNotes(r *apitypes.Report, add func(string, ...any)) {
	add("The camera sends JPEG pictures. Motion JPEG goes out as it comes; HLS needs H.264, so it is transcoded while somebody watches.")
	if r.Transport == string(source.FetchPoll) {
		add("The address holds one picture, which is asked for again and again: the feed's interval decides how often.")
	}
	if r.Dropped > 0 {
		add("%d pictures were not whole and were left out. Look at the camera's network.", r.Dropped)
	}
}
