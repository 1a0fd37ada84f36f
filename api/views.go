package api

import (
	"time"

	"webostrum/core/plan"
	"webostrum/station"
	"webostrum/store"
)

// Feed is a feed as the API shows it. Credentials are never in it.
type Feed struct {
	Name        string `json:"name" doc:"Name in addresses"`
	Title       string `json:"title" doc:"Name for people"`
	URL         string `json:"url" doc:"The camera's address, without credentials"`
	Credentials bool   `json:"credentials" doc:"Whether a user and password are kept"`
	Transport   string `json:"transport" enum:"auto,tcp,udp" doc:"How RTP comes from an RTSP camera"`
	Fetch       string `json:"fetch" enum:"auto,stream,poll" doc:"How pictures are got from an HTTP camera"`
	Fingerprint string `json:"fingerprint,omitempty" doc:"SHA-256 of the certificate that is trusted"`

	SegmentSeconds float64 `json:"segmentSeconds" doc:"Wanted length of an HLS segment"`
	PlaylistLength int     `json:"playlistLength" doc:"Segments in the HLS list"`
	PollSeconds    float64 `json:"pollSeconds" doc:"From one polled picture to the next"`
	Public         bool    `json:"public" doc:"Whether everybody may watch without signing in"`
	Enabled        bool    `json:"enabled" doc:"Whether the feed is switched on"`

	PictureSize    string  `json:"pictureSize" doc:"Size of Motion JPEG and stills that go out; empty is the camera's"`
	PictureRate    float64 `json:"pictureRate" doc:"Frames a second of Motion JPEG at most; 0 is all"`
	PictureQuality int     `json:"pictureQuality" doc:"JPEG quality of what is transcoded; 0 is 80"`

	Audio       string `json:"audio" enum:"automatic,on,off" doc:"Whether audio is wanted"`
	AudioHLS    string `json:"audioHls" enum:"as-feed,automatic,on,off"`
	AudioWebRTC string `json:"audioWebrtc" enum:"as-feed,automatic,on,off"`

	State   string     `json:"state" enum:"off,connecting,live,stalled,retrying,refused"`
	Since   time.Time  `json:"since" doc:"When the state changed last"`
	Reason  string     `json:"reason" doc:"Why it is in that state, in a sentence"`
	Code    string     `json:"code,omitempty" doc:"Kind of fault"`
	Remedy  string     `json:"remedy,omitempty" doc:"What to do next"`
	Tries   int        `json:"tries,omitempty" doc:"Failed tries in a row"`
	NextTry *time.Time `json:"nextTry,omitempty"`

	Run       string  `json:"run,omitempty" doc:"Changes whenever the feed is started anew"`
	Codec     string  `json:"codec,omitempty" doc:"What the camera sends: H264 or JPEG"`
	Width     int     `json:"width,omitempty" doc:"Pixels"`
	Height    int     `json:"height,omitempty" doc:"Pixels"`
	BitRate   float64 `json:"bitRate" doc:"Bits a second coming in, over the last seconds"`
	FrameRate float64 `json:"frameRate" doc:"Frames a second coming in, over the last seconds"`
	Keyframe  float64 `json:"keyframeSeconds,omitempty" doc:"Seconds between the last two keyframes"`
	Target    float64 `json:"targetSeconds,omitempty" doc:"Target duration of the HLS list"`
	Viewers   int     `json:"viewers" doc:"Who watches now"`

	Session     *Session        `json:"session,omitempty" doc:"What is known of the connection to the camera"`
	Renditions  []Rendition     `json:"renditions" doc:"What the camera's pictures can be made into, besides its own"`
	Requests    []CameraRequest `json:"requests" doc:"Requests to the camera"`
	Transcoding Transcoding     `json:"transcoding"`
	AudioStatus AudioStatus     `json:"audioStatus"`
}

// AudioStatus is what becomes of a camera's audio.
type AudioStatus struct {
	Codec      string  `json:"codec,omitempty" doc:"What the camera sends, such as AAC; empty for no audio"`
	ClockRate  uint32  `json:"clockRate,omitempty" doc:"Samples a second, as a rule"`
	Channels   int     `json:"channels,omitempty"`
	Lost       uint64  `json:"lost" doc:"Packets that never came or made no sense"`
	Running    bool    `json:"running" doc:"Whether it is being transcoded"`
	Processor  float64 `json:"processor" doc:"What transcoding takes, as a share of one core"`
	Memory     int64   `json:"memoryBytes"`
	HLS        Carried `json:"hls"`
	WebRTC     Carried `json:"webrtc"`
	MotionJPEG Carried `json:"motionJpeg"`
}

// Carried is what becomes of audio in one delivery.
type Carried struct {
	Codec      string `json:"codec,omitempty" doc:"As it is delivered; empty for none"`
	Transcoded bool   `json:"transcoded"`
	Why        string `json:"why" doc:"In a sentence"`
}

func audioView(s station.Status) AudioStatus {
	carried := func(d plan.Delivery) Carried {
		p := s.Audio.Plans[d]
		v := Carried{Transcoded: p.Transcode, Why: p.Why}
		if p.Codec != "" {
			v.Codec = plan.Name(p.Codec)
		}
		return v
	}
	h := AudioStatus{HLS: carried(plan.HLS), WebRTC: carried(plan.WebRTC), MotionJPEG: carried(plan.MotionJPEG)}
	h.Running, h.Processor, h.Memory = s.Audio.Costs.Running, s.Audio.Costs.Processor, s.Audio.Costs.Memory
	if t := s.Audio.Track; t != nil {
		h.Codec, h.ClockRate, h.Channels = plan.Name(t.Codec), t.ClockRate, t.Channels
	}
	if s.Facts != nil {
		h.Lost = s.Facts.Stats.AudioLost
	}
	return h
}

// Session is what is known of a connection to a camera.
type Session struct {
	Transport     string  `json:"transport" doc:"tcp or udp for RTSP, stream or poll for HTTP"`
	Server        string  `json:"server,omitempty"`
	Codec         string  `json:"codec"`
	Profile       string  `json:"profile,omitempty"`
	Level         string  `json:"level,omitempty"`
	Sampling      string  `json:"sampling,omitempty" doc:"Of JPEG, such as 4:2:0"`
	BFrames       bool    `json:"bFrames"`
	Slices        int     `json:"slices"`
	Packets       uint64  `json:"packets"`
	Lost          uint64  `json:"lost" doc:"Packets that never came"`
	Dropped       uint64  `json:"dropped" doc:"Pictures left out because something of them, or of what they refer to, was missing"`
	ClockJumps    uint64  `json:"clockJumps" doc:"Times the camera set its clock anew"`
	Unchanged     uint64  `json:"unchanged" doc:"Polled pictures that were the same as before"`
	Reopened      uint64  `json:"reopened" doc:"Times an HTTP camera ended its answer and was asked again"`
	SenderReports bool    `json:"senderReports" doc:"Whether capture times come from the camera"`
	ClockOffset   float64 `json:"clockOffsetSeconds"`
}

func (a *API) feedView(f *station.Feed, viewers map[string]int) Feed {
	s := f.Status()
	r, c := s.Record, s.Condition
	v := Feed{
		Name: r.Name, Title: r.Title, URL: r.URL, Credentials: r.User != "", Transport: r.Transport, Fingerprint: r.Fingerprint,
		Fetch: r.Fetch, PollSeconds: float64(r.PollMillis) / 1000,
		PictureSize: r.PictureSize, PictureRate: r.PictureRate, PictureQuality: r.PictureQuality,
		SegmentSeconds: float64(r.SegmentMillis) / 1000, PlaylistLength: r.PlaylistLength, Public: r.Public, Enabled: r.Enabled,
		State: string(c.State), Since: c.Since.UTC(), Reason: c.Reason(), Tries: c.Tries,
		Run: s.Run, Codec: string(s.Codec), Width: s.Width, Height: s.Height, BitRate: s.BitRate, FrameRate: s.FrameRate,
		Keyframe: s.KeyEvery.Seconds(), Target: s.Target.Seconds(), Viewers: viewers[r.Name],
		Renditions: renditionViews(s), Requests: requestViews(r.Requests), Transcoding: transcodingView(s),
		Audio: r.Audio, AudioHLS: r.AudioHLS, AudioWebRTC: r.AudioWebRTC, AudioStatus: audioView(s),
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
		Transport: f.Way, Server: f.Server, Codec: string(f.Codec), Profile: f.Profile, Level: f.Level, Sampling: f.Sampling,
		BFrames: f.B, Slices: f.Slices, Packets: st.Packets, Lost: st.Lost, Dropped: st.Dropped, ClockJumps: st.Jumps,
		Unchanged: st.Unchanged, Reopened: st.Reopened, SenderReports: f.FromCamera, ClockOffset: f.WallOffset.Seconds(),
	}
}

// Event is one line of what happened.
type Event struct {
	ID   int64     `json:"id"`
	At   time.Time `json:"at"`
	Feed string    `json:"feed,omitempty" doc:"Empty for the service itself"`
	Kind string    `json:"kind" enum:"state,change,warning,sign-in,service,transcode,request"`
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
