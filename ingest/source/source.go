// Package source says what every way in has in common: what a camera is opened
// with, and what is known of it while it plays.
package source

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"webostrum/core/media"
)

// Transport is how RTP comes from an RTSP camera.
type Transport string

// The transports.
const (
	Auto      Transport = "auto" // TCP, then UDP
	TCP       Transport = "tcp"  // interleaved in the RTSP connection
	UDP       Transport = "udp"
	Tunnel    Transport = "http"      // interleaved, in two HTTP connections
	Multicast Transport = "multicast" // UDP to a group that others may listen to, too
)

// Interleaved says whether RTP comes in the RTSP connection.
func (t Transport) Interleaved() bool { return t == TCP || t == Tunnel }

// ParseTransport reads a transport's name; empty means Auto.
func ParseTransport(s string) (Transport, error) {
	switch t := Transport(strings.ToLower(s)); t {
	case "":
		return Auto, nil
	case Auto, TCP, UDP, Tunnel, Multicast:
		return t, nil
	}
	return "", fmt.Errorf("transport %q is not one of auto, tcp, udp, http, multicast", s)
}

// Fetch is how pictures are got from an HTTP camera.
type Fetch string

// The ways to fetch.
const (
	FetchAuto   Fetch = "auto"   // by what the camera answers
	FetchStream Fetch = "stream" // one endless answer: Motion JPEG
	FetchPoll   Fetch = "poll"   // one picture an answer, asked for again and again
)

// ParseFetch reads a way's name; empty means FetchAuto.
func ParseFetch(s string) (Fetch, error) {
	switch f := Fetch(strings.ToLower(s)); f {
	case "":
		return FetchAuto, nil
	case FetchAuto, FetchStream, FetchPoll:
		return f, nil
	}
	return "", fmt.Errorf("fetch %q is not one of auto, stream, poll", s)
}

// The limits of polling.
const (
	DefaultPoll  = 2 * time.Second
	ShortestPoll = 100 * time.Millisecond
	LongestPoll  = time.Hour
)

// Config says which camera to open and how.
type Config struct {
	URL         string // without credentials
	User        string
	Password    string
	Transport   Transport     // RTSP; empty means Auto
	Fetch       Fetch         // HTTP; empty means FetchAuto
	Poll        time.Duration // HTTP: from one asked-for picture to the next; 0 means DefaultPoll
	DigestOnly  bool          // Basic challenges are not answered
	Fingerprint string        // SHA-256 of a certificate to trust, in hex; empty trusts the system's authorities
	FirstEpoch  uint64        // number of the first epoch

	// Publish is called with each sample, from one goroutine at a time. It must
	// not block.
	Publish func(*media.Sample)

	// Audio is called with each sample of audio, as Publish is, but not with both at
	// once. Nil leaves the camera's audio alone.
	Audio func(*media.Sample)

	// AudioTrack is called when it is known how the camera's audio is coded, or, with
	// nil, that it has none; in any case before the first picture. May be nil.
	AudioTrack func(*media.Track)

	// Started is called once when the first picture was published. May be nil.
	Started func(Session)

	// Waiting is called when a port is open and nobody has sent to it yet. May be nil.
	Waiting func()

	// Connecting is called before each connection, and when the camera seems to
	// have forgotten its settings. May be nil.
	Connecting func(context.Context)

	// KeepAlive remembers from one session to the next how the camera takes signs of life;
	// nil forgets it.
	KeepAlive *KeepAlive

	AnswerTimeout time.Duration // for each answer of the camera; 0 means 5 s
	FirstTimeout  time.Duration // until the first packet or frame after the camera has answered; 0 means 10 s
	StallAfter    time.Duration // without anything coming after that; 0 means 5 s
}

const (
	defaultAnswer = 5 * time.Second
	defaultFirst  = 10 * time.Second
	defaultStall  = 5 * time.Second
)

// Validate checks the configuration, fills in what is left to it, and returns
// the URL. Credentials in the URL are used when none are given.
func (c *Config) Validate(schemes ...string) (*url.URL, error) {
	u, user, password, err := ParseURL(c.URL)
	switch {
	case err != nil:
		return nil, err
	case !slices.Contains(schemes, u.Scheme):
		return nil, fmt.Errorf("a camera at %s:// cannot be opened in this way", u.Scheme)
	case c.Publish == nil:
		return nil, errors.New("no Publish given")
	}
	if c.User == "" {
		c.User, c.Password = user, password
	}
	c.Settle()
	return u, nil
}

// Settle fills in what is left to the configuration.
func (c *Config) Settle() {
	if c.Transport == "" {
		c.Transport = Auto
	}
	if c.Fetch == "" {
		c.Fetch = FetchAuto
	}
	if c.Poll <= 0 {
		c.Poll = DefaultPoll
	}
	c.Poll = min(max(c.Poll, ShortestPoll), LongestPoll)
	if c.AnswerTimeout <= 0 {
		c.AnswerTimeout = defaultAnswer
	}
	if c.FirstTimeout <= 0 {
		c.FirstTimeout = defaultFirst
	}
	if c.StallAfter <= 0 {
		c.StallAfter = defaultStall
	}
	if c.Started == nil {
		c.Started = func(Session) {}
	}
	if c.AudioTrack == nil {
		c.AudioTrack = func(*media.Track) {}
	}
	if c.Waiting == nil {
		c.Waiting = func() {}
	}
	if c.Connecting == nil {
		c.Connecting = func(context.Context) {}
	}
}

// Schemes are those that cameras can be opened with.
var Schemes = []string{"rtsp", "rtsps", "http", "https", "udp", "rtp", "tcp"}

// ParseURL checks a camera's URL and takes credentials out of it.
func ParseURL(raw string) (u *url.URL, user, password string, err error) {
	u, err = url.Parse(strings.TrimSpace(raw))
	if err != nil && !strings.Contains(raw, "://") { // 192.0.2.7:554/main: a port where a path may not be
		u, err = &url.URL{}, nil
	}
	if err != nil {
		return nil, "", "", errors.New("this is no URL; write it like rtsp://192.0.2.7:554/path or http://192.0.2.7/video")
	}
	switch {
	case !slices.Contains(Schemes, u.Scheme) && !strings.Contains(raw, "://"):
		bare := strings.TrimLeft(strings.TrimSpace(raw), "/")
		return nil, "", "", fmt.Errorf("the address does not say how the camera is asked: write rtsp://%[1]s or http://%[1]s", bare)
	case !slices.Contains(Schemes, u.Scheme):
		return nil, "", "", fmt.Errorf("the URL has to begin with rtsp://, rtsps://, http:// or https://, or for transport streams with udp://, rtp:// or tcp://, not %q", u.Scheme)
	case Listens(u):
		if _, err := netip.ParseAddr(u.Hostname()); err != nil && u.Hostname() != "" || u.Port() == "" {
			return nil, "", "", fmt.Errorf("a stream comes to an address and port of this machine, or to a group: write it like %[1]s://0.0.0.0:5004 or %[1]s://239.1.2.3:5004", u.Scheme)
		}
	case u.Hostname() == "":
		return nil, "", "", fmt.Errorf("the URL names no host; write it like %s://192.0.2.7/path", u.Scheme)
	}
	if u.User != nil {
		user = u.User.Username()
		password, _ = u.User.Password()
		u.User = nil
	}
	u.Fragment = ""
	return u, user, password, nil
}

// Listens says whether a URL names a port of this machine that somebody sends to.
func Listens(u *url.URL) bool { return u.Scheme == "udp" || u.Scheme == "rtp" }

// HTTP says whether a camera's URL is opened over HTTP.
func HTTP(u *url.URL) bool { return u.Scheme == "http" || u.Scheme == "https" }

// Session is a camera that plays.
type Session interface {
	// Facts returns what is known so far.
	Facts() Facts
}

// Facts is what is known of a session.
type Facts struct {
	Transport     string // "tcp" or "udp" for RTSP, "stream" or "poll" for HTTP, "rtmp" and the like of those who call us
	From          string // address of a publisher
	Server        string // what the camera calls itself
	Tracks        []TrackFacts
	Codec         media.Codec
	Profile       string // H.264
	Level         string // H.264
	Sampling      string // JPEG: "4:2:0" and the like
	Width         int
	Height        int
	B             bool
	Interlaced    bool          // fields may occur
	Slices        int           // the most NAL units of one picture
	FromCamera    bool          // capture times come from the camera's clock
	WallOffset    time.Duration // by how much the camera's clock differs
	ReceiveBuffer int           // bytes of datagrams that the system keeps; 0 where there are none

	Audio *media.Track // nil when there is none that can be used, or it is not known yet
	Stats Stats
}

// TrackFacts is one medium as the camera describes it.
type TrackFacts struct {
	Kind      string
	Codec     string
	ClockRate uint32
	Channels  int
	Used      bool
	Why       string // why it is not used, where there is something to say
}

// Stats counts since the session began.
type Stats struct {
	Packets   uint64 // RTP
	Lost      uint64 // RTP packets that never came
	Late      uint64 // RTP packets that came out of order, and too late
	Other     uint64 // RTP packets of payload types that were not announced
	Overflow  uint64 // datagrams that found no room in the receive buffer
	Dropped   uint64 // pictures not passed on: parts of them were missing, or they were cut short
	Jumps     uint64 // times the camera's clock was set anew
	Keyframes uint64 // of video over RTP
	WithSets  uint64 // of those, that parameter sets came with
	Unchanged uint64 // polled pictures that were the same as before
	Reopened  uint64 // times an HTTP camera ended the connection and was asked again
	AudioLost uint64 // RTP packets of audio that never came, and those that made no sense
}

// ClockRateOf is the clock rate of the track of a kind.
func (f Facts) ClockRateOf(kind string) uint32 {
	if kind == media.KindAudio.String() && f.Audio != nil {
		return f.Audio.ClockRate
	}
	const video = 90_000
	return video
}
