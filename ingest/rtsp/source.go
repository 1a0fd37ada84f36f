// Package rtsp takes in cameras that speak RTSP (RFC 2326, and RFC 7826 as far
// as cameras use it): it opens a session, receives H.264 and audio over RTP
// (RFC 3550, RFC 6184 and those of the audio), and keeps the session alive. It
// plays one track of video and one of audio, and leaves all other media alone.
//
// Limits: one connection, four UDP sockets and six goroutines a session; what the
// packages it stands on bound besides.
package rtsp

import (
	"context"
	"net/url"
	"time"

	"webostrum/core/fault"
	"webostrum/ingest/source"
)

const (
	// reorderWait is how long a packet waits for one before it that the network holds up.
	reorderWait = 150 * time.Millisecond

	// mixedWait is that within a connection, which keeps the order: some cameras put packets
	// of a picture into it in another one.
	mixedWait = 50 * time.Millisecond
)

// Play opens the camera and publishes its pictures until ctx ends or the
// session does. The error is a *fault.Error unless it is the context's. next
// is the number for the first epoch of the session that comes after.
//
// With Auto, a camera that does not offer TCP, or sends nothing over it, is
// tried over UDP.
func Play(ctx context.Context, cfg source.Config) (next uint64, err error) {
	u, err := cfg.Validate("rtsp", "rtsps")
	if err != nil {
		return cfg.FirstEpoch, err
	}
	ways := []source.Transport{cfg.Transport}
	if cfg.Transport == source.Auto {
		ways = []source.Transport{source.TCP, source.UDP}
	}
	var first error
	for _, way := range ways {
		cfg.FirstEpoch, err = playOnce(ctx, cfg, u, way)
		if ctx.Err() != nil || !worthAnotherWay(err) {
			return cfg.FirstEpoch, err
		}
		if first == nil {
			first = err
		}
	}
	return cfg.FirstEpoch, first
}

func worthAnotherWay(err error) bool {
	code := fault.As(err).Kind.Code
	return code == fault.TransportNo || code == fault.Silent
}

func playOnce(ctx context.Context, cfg source.Config, u *url.URL, way source.Transport) (uint64, error) {
	cfg.Connecting(ctx)
	s, err := open(ctx, cfg, u, way)
	if err != nil {
		return cfg.FirstEpoch, err
	}
	defer s.close()
	err = s.run(ctx)
	return s.nextEpoch(), err
}

// Facts implements source.Session.
func (s *Session) Facts() source.Facts {
	s.mu.Lock()
	defer s.mu.Unlock()
	stats := s.recv.Stats()
	f := source.Facts{
		Transport: string(s.way), Server: s.server, Tracks: s.tracks, Codec: s.recv.Codec(),
		B: s.recv.HasB(), Slices: s.recv.SlicesPerPicture(),
		FromCamera: s.recv.FromReports(), WallOffset: s.recv.WallOffset(),
		Stats: source.Stats{Packets: stats.Packets, Lost: stats.Lost, Late: stats.Late, Other: uint64(s.other.Load()), Dropped: stats.Dropped, Jumps: stats.Jumps, Keyframes: stats.Keyframes, WithSets: stats.WithSets},
	}
	if s.requested != nil {
		f.Transport, f.From = "rtsp/"+f.Transport, s.control.conn.RemoteAddr().String()
	}
	if s.audio != nil {
		audio := s.audio.Stats()
		f.Audio, f.Stats.AudioLost = s.audio.Track(), audio.Lost+audio.Dropped
	}
	if c := s.recv.Config(); c != nil {
		f.Profile, f.Level, f.Width, f.Height, f.Interlaced = c.Profile, c.Level, c.Width, c.Height, c.Interlaced
	}
	return f
}

func (s *Session) nextEpoch() uint64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	next := s.recv.NextEpoch()
	if s.audio != nil {
		next = max(next, s.audio.NextEpoch())
	}
	return next
}
