package apitypes

import "time"

// Event is one line of what happened.
type Event struct {
	ID   int64     `json:"id"`
	At   time.Time `json:"at"`
	Feed string    `json:"feed,omitempty" doc:"Empty for the service itself"`
	Kind string    `json:"kind" enum:"state,change,warning,sign-in,service,transcode,request,search,alert,motion"`
	Code string    `json:"code,omitempty"`
	Text string    `json:"text"`

	Severity string     `json:"severity" enum:"info,warning,serious" doc:"How much it matters; what is serious needs somebody"`
	Times    int        `json:"times,omitempty" doc:"How often it happened, where repeated ones come as one"`
	First    *time.Time `json:"first,omitempty" doc:"When it happened first, likewise"`

	Account string `json:"account,omitempty" doc:"Who did it; empty for nobody's doing"`
	Address string `json:"address,omitempty" doc:"Where from"`
}

// EventList is a part of what happened.
type EventList struct {
	Events []Event `json:"events" doc:"Newest first"`
	Before int64   `json:"before,omitempty" doc:"To ask for older ones with; missing when there are none"`
}

// LiveFeeds is the "feeds" event: the present state of all feeds.
type LiveFeeds struct {
	Now   int64  `json:"now" doc:"The service's clock, milliseconds since 1970"`
	Feeds []Feed `json:"feeds"`
}

// FeedState is the "state" event of one feed, for players.
type FeedState struct {
	Now    int64  `json:"now"`
	State  string `json:"state"`
	Reason string `json:"reason"`
	Remedy string `json:"remedy,omitempty"`
	Run    string `json:"run"`
	Ready  bool   `json:"ready" doc:"Whether there is a playlist"`
	Title  string `json:"title"`

	Lens       *LensSettings    `json:"lens,omitempty" doc:"How the picture is projected; left out where it is flat"`
	Coding     *Coding          `json:"coding,omitempty" doc:"Of the camera's video; left out as long as it is not known"`
	Play       PlayChoice       `json:"play" doc:"How a player is to play it"`
	Renditions []ShownRendition `json:"renditions" doc:"What a viewer can choose"`
	Sizes      []PlanSize       `json:"sizes" doc:"Sizes that Motion JPEG can be had in, besides the camera's"`
	Audio      AudioState       `json:"audio" doc:"Which deliveries have audio"`

	GoBack     bool     `json:"goBack" doc:"Whether whoever asks may go back in time"`
	Reports    bool     `json:"reports" doc:"Whether players are to tell how it plays"`
	Deliveries []string `json:"deliveries" doc:"That whoever asks may have: hls, fragments, webrtc, motion-jpeg, still"`

	ICEServers []ICEServer `json:"iceServers,omitempty" doc:"STUN and TURN servers for WebRTC"`
}

// Coding says how video is coded.
type Coding struct {
	Codec     string `json:"codec" doc:"RTP name, such as H264, H265 or JPEG" example:"H265"`
	Parameter string `json:"parameter" doc:"RFC 6381; empty where HLS does not carry it" example:"hvc1.1.6.L93.90"`
}

// ShownRendition is a rendition as viewers see it.
type ShownRendition struct {
	Name   string `json:"name"`
	Codec  string `json:"codec" enum:"H264,H265,JPEG"`
	Width  int    `json:"width" doc:"Pixels; 0 as long as it is not known"`
	Height int    `json:"height"`
	Flat   bool   `json:"flat,omitempty" doc:"Whether it is a flat view that was cut out of a picture of another projection"`
}

// PlayChoice says how a player is to play a feed. What the page asks for goes with the
// request for the state, as prefer and within.
type PlayChoice struct {
	Order  []string           `json:"order" doc:"Deliveries, in the order in which they are tried"`
	Why    string             `json:"why" doc:"Why the first is the first"`
	Within float64            `json:"within" doc:"How far behind the picture may be, seconds; 0 for no limit"`
	Ahead  map[string]float64 `json:"ahead" doc:"What a player keeps in store by a delivery, seconds"`
}

// AudioState says which deliveries of a feed have audio.
type AudioState struct {
	HLS       bool `json:"hls"`
	Fragments bool `json:"fragments"`
	WebRTC    bool `json:"webrtc"`
}

// ICEServer is a STUN or TURN server that viewers are told of (RFC 7064, RFC 7065).
type ICEServer struct {
	URL        string `json:"urls"`
	Username   string `json:"username,omitempty"`
	Credential string `json:"credential,omitempty"`
}

// Viewer is somebody who watches.
type Viewer struct {
	ID      string    `json:"id"`
	Feed    string    `json:"feed"`
	Method  string    `json:"method" enum:"hls,fragments,motion-jpeg,webrtc,rtsp"`
	Address string    `json:"address"`
	By      string    `json:"by,omitempty" doc:"What let the viewer in: a link or an account; empty for a feed that everyone may watch"`
	Variant string    `json:"variant,omitempty" doc:"Rendition or size that was asked for; empty for what suits the feed"`
	Since   time.Time `json:"since"`
	Bytes   uint64    `json:"bytes" doc:"Sent so far"`
	Loss    float64   `json:"loss" doc:"Share of packets lost on the way, those sent again among them, at the viewer's newest report; WebRTC only"`

	Estimate float64 `json:"estimate" doc:"Bits a second of bandwidth that the viewer has, by its own estimate; WebRTC only, 0 when not told"`
	Now      string  `json:"now,omitempty" doc:"The smaller rendition that is sent, over a poor connection; WebRTC only"`
}

// ViewerList is those who watch.
type ViewerList struct {
	Viewers []Viewer `json:"viewers" doc:"The longest first"`
}

// Delay is the part of a delivery's delay that cannot be avoided.
type Delay struct {
	Delivery string      `json:"delivery" enum:"webrtc,fragments,motion-jpeg,hls"`
	Seconds  float64     `json:"seconds" doc:"On average, all parts together"`
	Parts    []DelayPart `json:"parts"`
}

// DelayPart is one part of it.
type DelayPart struct {
	Name    string  `json:"name"`
	Seconds float64 `json:"seconds"`
	Why     string  `json:"why"`
}

// DelayList is the delays of a feed's deliveries.
type DelayList struct {
	Deliveries []Delay `json:"deliveries"`
}

// SessionState is what a player asks of its session.
type SessionState struct {
	RTPTime    uint32  `json:"rtpTime"`    // of the newest picture sent
	CapturedAt int64   `json:"capturedAt"` // when it was taken, milliseconds since 1970; 0 when not known yet
	Now        int64   `json:"now"`
	Way        string  `json:"way"`
	Bytes      uint64  `json:"bytes"`
	Repeated   uint64  `json:"repeated"`
	Loss       float64 `json:"loss"`
	Rendition  string  `json:"rendition" doc:"That is sent now: a smaller one than asked for over a poor connection"`
}

// ChangedFeeds are the feeds that have changed since the last word, and the names of those that
// are gone.
type ChangedFeeds struct {
	LiveFeeds
	Gone []string `json:"gone"`
}
