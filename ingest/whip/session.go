package whip

import (
	"context"
	"errors"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pion/rtcp"
	"github.com/pion/webrtc/v4"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/sdp"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

const (
	tick = 100 * time.Millisecond

	// reorderWait is how long a packet is held back for one that was asked for again.
	reorderWait = 200 * time.Millisecond

	// Browsers send keyframes when they are asked for; segments begin at them.
	keyframeEvery = 2 * time.Second
	keyframeAgain = 300 * time.Millisecond

	firstPicture = 15 * time.Second
)

// Session is one publisher.
type Session struct {
	ID   string
	from From
	pc   *webrtc.PeerConnection

	ctx        context.Context
	end        context.CancelCauseFunc
	negotiated chan error
	connected  chan struct{}
	once       sync.Once
	arrived    chan *webrtc.TrackRemote // tracks, once; see play
	tracks     sync.WaitGroup           // goroutines that read them
	control    control

	cfg     source.Config // of the run; set before any track is read
	packets atomic.Int64  // of video
	ssrc    atomic.Uint32 // of video
	started bool          // guarded by mu

	mu    sync.Mutex
	video *rtp.VideoReceiver  // guarded by mu; nil before the track
	audio *rtp.AudioReceiver  // guarded by mu; nil before both tracks
	heard *webrtc.TrackRemote // guarded by mu; the track of audio
}

func newSession(id string, pc *webrtc.PeerConnection, from From) *Session {
	const mostTracks = 8
	s := &Session{
		ID: id, pc: pc, from: from, negotiated: make(chan error, 1), connected: make(chan struct{}), arrived: make(chan *webrtc.TrackRemote, mostTracks),
	}
	s.ctx, s.end = context.WithCancelCause(context.Background())
	return s
}

// End ends the session.
func (s *Session) End(why error) { s.end(why) }

// negotiate answers the offer.
func (s *Session) negotiate(ctx context.Context, offer string) (string, error) {
	s.pc.OnConnectionStateChange(func(state webrtc.PeerConnectionState) {
		switch state {
		case webrtc.PeerConnectionStateConnected:
			s.once.Do(func() { close(s.connected) })
		case webrtc.PeerConnectionStateFailed, webrtc.PeerConnectionStateClosed:
			s.end(fault.New(fault.PublisherLeft, nil, ""))
		}
	})
	s.pc.OnTrack(func(t *webrtc.TrackRemote, _ *webrtc.RTPReceiver) {
		select {
		case s.arrived <- t:
		default: // more than anybody needs
		}
	})
	s.pc.OnDataChannel(s.control.open)
	if err := s.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeOffer, SDP: offer}); err != nil {
		return "", offerError(err)
	}
	answer, err := s.pc.CreateAnswer(nil)
	if err != nil {
		return "", offerError(err)
	}
	gathered := webrtc.GatheringCompletePromise(s.pc)
	if err := s.pc.SetLocalDescription(answer); err != nil {
		return "", offerError(err)
	}
	select {
	case <-gathered:
	case <-ctx.Done():
		return "", ctx.Err()
	}
	text := s.pc.LocalDescription().SDP
	if !takesVideo(text) {
		return "", ErrCodec
	}
	return tuned(text), nil
}

// takesVideo says whether an answer takes video (RFC 3264, 6: a refused medium has port 0).
func takesVideo(answer string) bool {
	for line := range strings.Lines(answer) {
		if rest, ok := strings.CutPrefix(line, "m=video "); ok && !strings.HasPrefix(rest, "0 ") {
			return true
		}
	}
	return false
}

// What is asked of browsers besides: to begin with a picture that can be looked at, and with
// sound in stereo.
const (
	startBitRate = ";x-google-start-bitrate=2500"
	stereo       = ";stereo=1;maxaveragebitrate=96000"
)

// tuned puts that into an answer.
func tuned(answer string) string {
	var b strings.Builder
	for line := range strings.Lines(answer) {
		text := strings.TrimRight(line, "\r\n")
		switch {
		case strings.HasPrefix(text, "a=fmtp:") && strings.Contains(text, "profile-level-id"):
			text += startBitRate
		case strings.HasPrefix(text, "a=fmtp:") && strings.Contains(text, "useinbandfec"):
			text += stereo
		}
		b.WriteString(text + "\r\n")
	}
	return b.String()
}

// live has the session played in the feed's run.
func (s *Session) live(place push.Place) {
	if err := <-s.negotiated; err != nil {
		return
	}
	select {
	case <-s.connected:
	case <-s.ctx.Done():
		return
	case <-time.After(connectWithin):
		return
	}
	err := place.Run(s.ctx, s.play)
	s.control.tell(message{Ended: fault.As(err).Error()})
	s.end(err)
}

// play implements push.Play.
func (s *Session) play(ctx context.Context, cfg source.Config) (uint64, error) {
	cfg.Settle()
	s.cfg = cfg
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	stop := context.AfterFunc(s.ctx, func() { cancel(context.Cause(s.ctx)) })
	defer stop()
	err := s.receive(ctx)
	_ = s.pc.Close() // ends what reads tracks
	s.tracks.Wait()
	if ctx.Err() != nil && context.Cause(ctx) != nil {
		err = context.Cause(ctx)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	next := cfg.FirstEpoch
	if s.video != nil {
		next = s.video.NextEpoch()
	}
	if s.audio != nil {
		next = max(next, s.audio.NextEpoch())
	}
	return next, err
}

// receive takes tracks as they arrive, asks for keyframes, and notices when nothing comes any
// more.
func (s *Session) receive(ctx context.Context) error {
	ticker := time.NewTicker(tick)
	defer ticker.Stop()
	keys := keyframes{}
	begun, moved, seen := time.Now(), time.Now(), int64(0)
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case t := <-s.arrived:
			if err := s.take(t); err != nil {
				return err
			}
		case now := <-ticker.C:
			if n := s.packets.Load(); n != seen {
				seen, moved = n, now
			}
			switch {
			case !s.playing() && now.Sub(begun) > firstPicture && seen == 0:
				return fault.New(fault.PublisherNoVideo, nil, "nothing in %v", firstPicture)
			case !s.playing() && now.Sub(begun) > 2*firstPicture:
				return fault.New(fault.PublisherKeyframe, nil, "none in %v", 2*firstPicture)
			case s.playing() && now.Sub(moved) > s.cfg.StallAfter:
				return fault.New(fault.PublisherStalled, nil, "nothing for %v", s.cfg.StallAfter)
			}
			if keys.due(s.videoStats(), now) {
				s.askKeyframe()
			}
			s.control.report(s, now)
		}
	}
}

func (s *Session) playing() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.started
}

func (s *Session) videoStats() rtp.Stats {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.video == nil {
		return rtp.Stats{}
	}
	return s.video.Stats()
}

// keyframes decides when one is asked for.
type keyframes struct {
	count, dropped uint64
	last, asked    time.Time
}

func (k *keyframes) due(s rtp.Stats, now time.Time) bool {
	if s.Keyframes != k.count {
		k.count, k.last = s.Keyframes, now
	}
	missing := s.Dropped != k.dropped || k.count == 0
	k.dropped = s.Dropped
	wait := keyframeEvery
	if missing {
		wait = keyframeAgain
	}
	if s.Packets == 0 || now.Sub(k.asked) < keyframeAgain || !missing && now.Sub(k.last) < wait {
		return false
	}
	k.asked = now
	return true
}

// askKeyframe asks for a picture that decoding can start with.
func (s *Session) askKeyframe() {
	if ssrc := s.ssrc.Load(); ssrc != 0 {
		_ = s.pc.WriteRTCP([]rtcp.Packet{&rtcp.PictureLossIndication{MediaSSRC: ssrc}}) // the connection tells whether it stands
	}
}

// take begins to receive a track.
func (s *Session) take(t *webrtc.TrackRemote) error {
	if t.Kind() == webrtc.RTPCodecTypeAudio {
		s.takeAudio(t)
		return nil
	}
	codec := codecOf(t.Codec().MimeType)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.video != nil {
		return nil // one is enough
	}
	v, err := rtp.NewVideoReceiver(rtp.ReceiverConfig{Codec: codec, ClockRate: t.Codec().ClockRate, Wait: reorderWait, FirstEpoch: s.cfg.FirstEpoch, Publish: s.publish})
	if err != nil {
		return fault.New(fault.PublisherCodec, err, "it sends %s", t.Codec().MimeType)
	}
	s.video = v
	s.openAudio()
	s.ssrc.Store(uint32(t.SSRC()))
	s.read(t, v.Report, func(p *packet) {
		s.packets.Add(1)
		v.Packet(p.Packet, p.now)
	})
	return nil
}

// publish hands a frame on; it is called under the lock.
func (s *Session) publish(m *media.Sample) {
	if s.started {
		s.cfg.Publish(m)
		return
	}
	s.started = true
	if s.audio == nil {
		s.cfg.AudioTrack(nil)
	}
	s.cfg.Publish(m)
	s.cfg.Started(s)
}

// takeAudio begins to receive audio. It keeps in step with the video, so what comes before
// that is left out.
func (s *Session) takeAudio(t *webrtc.TrackRemote) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.heard != nil || s.cfg.Audio == nil {
		return
	}
	s.heard = t
	s.openAudio()
	report := func(ntp uint64, ts uint32, now time.Time) {
		if s.audio != nil {
			s.audio.Report(ntp, ts, now)
		}
	}
	s.read(t, report, func(p *packet) {
		if s.audio != nil {
			s.audio.Packet(p.Packet, p.now)
		}
	})
}

// openAudio makes the receiver of audio once there are both tracks; it is called under the
// lock.
func (s *Session) openAudio() {
	if s.heard == nil || s.video == nil {
		return
	}
	codec := s.heard.Codec()
	a, err := rtp.NewAudioReceiver(rtp.AudioConfig{
		Format: sdp.Format{Encoding: string(media.Opus), ClockRate: codec.ClockRate, Channels: int(codec.Channels), Params: map[string]string{"sprop-stereo": "1"}},
		Wait:   reorderWait, Lead: s.video.Clock(), FirstEpoch: s.cfg.FirstEpoch, Publish: s.cfg.Audio,
	})
	if err != nil {
		return
	}
	s.audio = a
	a.OnTrack(s.cfg.AudioTrack)
	s.cfg.AudioTrack(a.Track())
}

// Facts implements source.Session.
func (s *Session) Facts() source.Facts {
	s.mu.Lock()
	defer s.mu.Unlock()
	f := source.Facts{Transport: "whip", From: s.from.Address, Server: s.from.Agent}
	if v := s.video; v != nil {
		stats := v.Stats()
		f.Codec, f.B, f.Slices, f.FromCamera, f.WallOffset = v.Codec(), v.HasB(), v.SlicesPerPicture(), v.FromReports(), v.WallOffset()
		f.Stats = source.Stats{Packets: stats.Packets, Lost: stats.Lost, Late: stats.Late, Dropped: stats.Dropped, Jumps: stats.Jumps, Keyframes: stats.Keyframes, WithSets: stats.WithSets}
		f.Tracks = append(f.Tracks, source.TrackFacts{Kind: "video", Codec: string(f.Codec), ClockRate: clockRate, Used: true})
		if c := v.Config(); c != nil {
			f.Profile, f.Level, f.Width, f.Height, f.Interlaced = c.Profile, c.Level, c.Width, c.Height, c.Interlaced
		}
	}
	if s.audio != nil {
		f.Audio = s.audio.Track()
		f.Stats.AudioLost = s.audio.Stats().Lost
		f.Tracks = append(f.Tracks, source.TrackFacts{Kind: "audio", Codec: string(media.Opus), ClockRate: f.Audio.ClockRate, Channels: f.Audio.Channels, Used: true})
	}
	return f
}

// read reads a track and its reports, until the connection closes.
func (s *Session) read(t *webrtc.TrackRemote, report func(ntp uint64, ts uint32, now time.Time), take func(*packet)) {
	guarded := func(what func() error) {
		s.tracks.Go(func() {
			var p *barrier.PanicError
			if err := barrier.Do(what); errors.As(err, &p) {
				s.end(fault.New(fault.Failed, err, "%v", p))
			}
		})
	}
	guarded(func() error {
		for {
			p, _, err := t.ReadRTP()
			if err != nil {
				return err
			}
			s.locked(func() { take(&packet{p, time.Now()}) })
		}
	})
	guarded(func() error { return s.reports(t, report) })
}

// locked does something under the lock, which a panic does not keep.
func (s *Session) locked(do func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	do()
}

// reports reads the sender reports of a track.
func (s *Session) reports(t *webrtc.TrackRemote, report func(ntp uint64, ts uint32, now time.Time)) error {
	for _, r := range s.pc.GetReceivers() {
		if r.Track() != t {
			continue
		}
		for {
			list, _, err := r.ReadRTCP()
			if err != nil {
				return err
			}
			for _, p := range list {
				if sr, ok := p.(*rtcp.SenderReport); ok {
					s.locked(func() { report(sr.NTPTime, sr.RTPTime, time.Now()) })
				}
			}
		}
	}
	return nil
}
