// Package rtsp takes in cameras that speak RTSP (RFC 2326, and RFC 7826 as far
// as cameras use it): it opens a session, receives H.264 over RTP (RFC 3550,
// RFC 6184), and keeps the session alive. It plays one video track and leaves
// all other media alone.
//
// Limits: one connection, two UDP sockets and three goroutines a session; what
// the packages it stands on bound besides.
package rtsp

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/rtp"
)

// Transport is how RTP comes.
type Transport string

// The transports.
const (
	Auto Transport = "auto" // TCP, then UDP
	TCP  Transport = "tcp"  // interleaved in the RTSP connection
	UDP  Transport = "udp"
)

// ParseTransport reads a transport's name; empty means Auto.
func ParseTransport(s string) (Transport, error) {
	switch t := Transport(strings.ToLower(s)); t {
	case "":
		return Auto, nil
	case Auto, TCP, UDP:
		return t, nil
	}
	return "", fmt.Errorf("transport %q is not one of auto, tcp, udp", s)
}

// Config says which camera to open and how.
type Config struct {
	URL         string // rtsp:// or rtsps://, without credentials
	User        string
	Password    string
	Transport   Transport // empty means Auto
	Fingerprint string    // SHA-256 of a certificate to trust, in hex; empty trusts the system's authorities
	FirstEpoch  uint64    // number of the first epoch

	// Publish is called with each sample, from one goroutine at a time. It must
	// not block.
	Publish func(*media.Sample)

	// Started is called once when the first picture was published. May be nil.
	Started func(*Session)

	AnswerTimeout time.Duration // for each answer of the camera; 0 means 5 s
	StallAfter    time.Duration // without any packet; 0 means 5 s
}

const (
	defaultAnswer = 5 * time.Second
	defaultStall  = 5 * time.Second
	reorderWait   = 150 * time.Millisecond
)

// ParseURL checks a camera's URL and takes credentials out of it.
func ParseURL(raw string) (u *url.URL, user, password string, err error) {
	u, err = url.Parse(strings.TrimSpace(raw))
	if err != nil {
		return nil, "", "", errors.New("this is no URL; write it like rtsp://192.0.2.7:554/path")
	}
	switch {
	case u.Scheme != "rtsp" && u.Scheme != "rtsps":
		return nil, "", "", fmt.Errorf("the URL has to begin with rtsp:// or rtsps://, not %q", u.Scheme)
	case u.Hostname() == "":
		return nil, "", "", errors.New("the URL names no host; write it like rtsp://192.0.2.7:554/path")
	}
	if u.User != nil {
		user = u.User.Username()
		password, _ = u.User.Password()
		u.User = nil
	}
	u.Fragment = ""
	return u, user, password, nil
}

func (c *Config) validate() (*url.URL, error) {
	u, user, password, err := ParseURL(c.URL)
	if err != nil {
		return nil, err
	}
	if c.User == "" {
		c.User, c.Password = user, password
	}
	if c.Publish == nil {
		return nil, errors.New("rtsp: no Publish given")
	}
	if c.Transport == "" {
		c.Transport = Auto
	}
	if c.AnswerTimeout <= 0 {
		c.AnswerTimeout = defaultAnswer
	}
	if c.StallAfter <= 0 {
		c.StallAfter = defaultStall
	}
	return u, nil
}

// Play opens the camera and publishes its pictures until ctx ends or the
// session does. The error is a *fault.Error unless it is the context's. next
// is the number for the first epoch of the session that comes after.
//
// With Auto, a camera that does not offer TCP, or sends nothing over it, is
// tried over UDP.
func Play(ctx context.Context, cfg Config) (next uint64, err error) {
	u, err := cfg.validate()
	if err != nil {
		return cfg.FirstEpoch, err
	}
	ways := []Transport{cfg.Transport}
	if cfg.Transport == Auto {
		ways = []Transport{TCP, UDP}
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

func playOnce(ctx context.Context, cfg Config, u *url.URL, way Transport) (uint64, error) {
	s, err := open(ctx, cfg, u, way)
	if err != nil {
		return cfg.FirstEpoch, err
	}
	defer s.close()
	err = s.run(ctx)
	return s.nextEpoch(), err
}

// Facts is what is known of a session.
type Facts struct {
	Transport   Transport
	Server      string // what the camera calls itself
	Tracks      []TrackFacts
	Profile     string
	Level       string
	Width       int
	Height      int
	B           bool
	Slices      int // the most NAL units of one picture
	FromReports bool
	WallOffset  time.Duration
	Stats       rtp.Stats
}

// TrackFacts is one medium as the session description has it.
type TrackFacts struct {
	Kind      string
	Codec     string
	ClockRate uint32
	Channels  int
	Used      bool
}

// Facts returns what is known so far.
func (s *Session) Facts() Facts {
	s.mu.Lock()
	defer s.mu.Unlock()
	f := Facts{
		Transport: s.way, Server: s.server, Tracks: s.tracks,
		B: s.recv.HasB(), Slices: s.recv.SlicesPerPicture(),
		FromReports: s.recv.FromReports(), WallOffset: s.recv.WallOffset(), Stats: s.recv.Stats(),
	}
	if sps := s.recv.SPS(); sps != nil {
		f.Profile, f.Level, f.Width, f.Height = sps.ProfileName(), sps.LevelName(), sps.Width, sps.Height
	}
	return f
}

func (s *Session) nextEpoch() uint64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.recv.NextEpoch()
}

// hostPort adds the scheme's default port (RFC 7826, 4.2).
func hostPort(u *url.URL) string {
	port := u.Port()
	if port == "" {
		port = "554"
		if u.Scheme == "rtsps" {
			port = "322"
		}
	}
	return net.JoinHostPort(u.Hostname(), port)
}
