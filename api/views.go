package api

import (
	"time"

	"webostrum/station"
	"webostrum/store"
)

// Feed is a feed as the API shows it. Credentials are never in it.
type Feed struct {
	Name        string `json:"name" doc:"Name in addresses"`
	Title       string `json:"title" doc:"Name for people"`
	URL         string `json:"url" doc:"The camera's address, without credentials"`
	Credentials bool   `json:"credentials" doc:"Whether a user and password are kept"`
	Transport   string `json:"transport" enum:"auto,tcp,udp"`
	Fingerprint string `json:"fingerprint,omitempty" doc:"SHA-256 of the certificate that is trusted"`

	SegmentSeconds float64 `json:"segmentSeconds" doc:"Wanted length of an HLS segment"`
	ListSize       int     `json:"listSize" doc:"Segments in the HLS list"`
	Public         bool    `json:"public" doc:"Whether everybody may watch without signing in"`
	Enabled        bool    `json:"enabled" doc:"Whether the feed is switched on"`

	State   string     `json:"state" enum:"off,connecting,live,stalled,retrying,refused"`
	Since   time.Time  `json:"since" doc:"When the state changed last"`
	Reason  string     `json:"reason" doc:"Why it is in that state, in a sentence"`
	Code    string     `json:"code,omitempty" doc:"Kind of fault"`
	Remedy  string     `json:"remedy,omitempty" doc:"What to do next"`
	Tries   int        `json:"tries,omitempty" doc:"Failed tries in a row"`
	NextTry *time.Time `json:"nextTry,omitempty"`

	Run       string  `json:"run,omitempty" doc:"Changes whenever the feed is started anew"`
	Width     int     `json:"width,omitempty" doc:"Pixels"`
	Height    int     `json:"height,omitempty" doc:"Pixels"`
	BitRate   float64 `json:"bitRate" doc:"Bits a second coming in, over the last seconds"`
	FrameRate float64 `json:"frameRate" doc:"Pictures a second coming in, over the last seconds"`
	Keyframe  float64 `json:"keyframeSeconds,omitempty" doc:"Seconds between the last two keyframes"`
	Target    float64 `json:"targetSeconds,omitempty" doc:"Target duration of the HLS list"`
	Viewers   int     `json:"viewers" doc:"Who watches now"`

	Session *Session `json:"session,omitempty" doc:"What is known of the connection to the camera"`
}

// Session is what is known of a connection to a camera.
type Session struct {
	Transport     string  `json:"transport"`
	Server        string  `json:"server,omitempty"`
	Codec         string  `json:"codec"`
	Profile       string  `json:"profile"`
	Level         string  `json:"level"`
	BFrames       bool    `json:"bFrames"`
	Slices        int     `json:"slices"`
	Packets       uint64  `json:"packets"`
	Lost          uint64  `json:"lost" doc:"Packets that never came"`
	Dropped       uint64  `json:"dropped" doc:"Pictures left out because something of them, or of what they refer to, was missing"`
	ClockJumps    uint64  `json:"clockJumps" doc:"Times the camera set its clock anew"`
	SenderReports bool    `json:"senderReports" doc:"Whether capture times come from the camera"`
	ClockOffset   float64 `json:"clockOffsetSeconds"`
}

func (a *API) feedView(f *station.Feed, viewers map[string]int) Feed {
	s := f.Status()
	r, c := s.Record, s.Condition
	v := Feed{
		Name: r.Name, Title: r.Title, URL: r.URL, Credentials: r.User != "", Transport: r.Transport, Fingerprint: r.Fingerprint,
		SegmentSeconds: float64(r.SegmentMillis) / 1000, ListSize: r.ListSize, Public: r.Public, Enabled: r.Enabled,
		State: string(c.State), Since: c.Since.UTC(), Reason: c.Reason(), Tries: c.Tries,
		Run: s.Run, Width: s.Width, Height: s.Height, BitRate: s.BitRate, FrameRate: s.FrameRate,
		Keyframe: s.KeyEvery.Seconds(), Target: s.Target.Seconds(), Viewers: viewers[r.Name],
	}
	if c.Fault != nil {
		v.Code, v.Remedy = string(c.Fault.Kind.Code), c.Fault.Kind.Remedy
	}
	if !c.NextTry.IsZero() {
		next := c.NextTry.UTC()
		v.NextTry = &next
	}
	if s.Facts != nil {
		v.Session = sessionView(s)
	}
	return v
}

func sessionView(s station.Status) *Session {
	f := s.Facts
	st := f.Stats
	return &Session{
		Transport: string(f.Transport), Server: f.Server, Codec: "H264", Profile: f.Profile, Level: f.Level,
		BFrames: f.B, Slices: f.Slices, Packets: st.Packets, Lost: st.Lost, Dropped: st.Dropped, ClockJumps: st.Jumps,
		SenderReports: f.FromReports, ClockOffset: f.WallOffset.Seconds(),
	}
}

// Event is one line of what happened.
type Event struct {
	ID   int64     `json:"id"`
	At   time.Time `json:"at"`
	Feed string    `json:"feed,omitempty" doc:"Empty for the service itself"`
	Kind string    `json:"kind" enum:"state,change,warning,sign-in,service"`
	Code string    `json:"code,omitempty"`
	Text string    `json:"text"`
}

func eventView(e store.Event) Event { return Event(e) }

// Point is one second of a feed.
type Point struct {
	At        time.Time `json:"at"`
	BitRate   float64   `json:"bitRate" doc:"Bits that came in in that second"`
	FrameRate float64   `json:"frameRate" doc:"Pictures that came in in that second"`
}
