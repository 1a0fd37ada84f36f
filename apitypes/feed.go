package apitypes

import "time"

// Feed is a feed as the API shows it. Credentials are never in it.
type Feed struct {
	Name        string `json:"name" doc:"Name in addresses" example:"lower-station"`
	Enabled     bool   `json:"enabled" doc:"Whether the feed is switched on"`
	Credentials bool   `json:"credentials" doc:"Whether a user and password are kept"`
	FeedSettings

	AudienceMeans string   `json:"audienceMeans" doc:"Who may watch, in a sentence"`
	Deliveries    []string `json:"deliveries" doc:"That the feed gives: hls, fragments, webrtc, motion-jpeg, still, rtsp"`
	Links         int      `json:"links" doc:"How many links open it; engineers only"`
	PublishKey    string   `json:"publishKey,omitempty" doc:"Key for publishers, where one was just made; shown this once"`

	State   string     `json:"state" enum:"off,idle,connecting,waiting,live,stalled,retrying,refused"`
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
	FrameRate float64 `json:"frameRate" doc:"fps coming in, over the last seconds"`
	Keyframe  float64 `json:"keyframeSeconds,omitempty" doc:"Seconds between the last two keyframes"`
	Target    float64 `json:"targetSeconds,omitempty" doc:"Target duration of the HLS playlist"`
	Viewers   int     `json:"viewers" doc:"How many watch now"`

	Session     *Session        `json:"session,omitempty" doc:"What is known of the connection to the camera"`
	Renditions  []Rendition     `json:"renditions" doc:"What the camera's video is transcoded to, besides its own"`
	Requests    []CameraRequest `json:"requests" doc:"Requests to the camera; engineers only"`
	Transcoding Transcoding     `json:"transcoding"`
	AudioStatus AudioStatus     `json:"audioStatus"`
}

// FeedList is all feeds.
type FeedList struct {
	Feeds []Feed `json:"feeds"`
}

// AudioStatus is what becomes of a camera's audio.
type AudioStatus struct {
	Codec      string        `json:"codec,omitempty" doc:"What the camera sends, such as AAC; empty for no audio"`
	ClockRate  uint32        `json:"clockRate,omitempty" doc:"Samples a second, as a rule"`
	Channels   int           `json:"channels,omitempty"`
	Lost       uint64        `json:"lost" doc:"Packets that never came or made no sense"`
	Running    bool          `json:"running" doc:"Whether it is being transcoded"`
	Processor  float64       `json:"processor" doc:"What transcoding takes, as a share of one core"`
	Memory     int64         `json:"memoryBytes"`
	HLS        AudioDelivery `json:"hls"`
	WebRTC     AudioDelivery `json:"webrtc"`
	MotionJPEG AudioDelivery `json:"motionJpeg"`
}

// AudioDelivery is what becomes of audio in one delivery.
type AudioDelivery struct {
	Codec      string `json:"codec,omitempty" doc:"As it is delivered; empty for none"`
	Transcoded bool   `json:"transcoded"`
	Why        string `json:"why" doc:"In a sentence"`
}

// Session is what is known of a connection to a camera.
type Session struct {
	Transport     string  `json:"transport" doc:"tcp or udp for RTSP, stream or poll for HTTP, rtmp and the like of publishers"`
	From          string  `json:"from,omitempty" doc:"Address of a publisher; engineers only"`
	Server        string  `json:"server,omitempty"`
	Codec         string  `json:"codec"`
	Profile       string  `json:"profile,omitempty"`
	Level         string  `json:"level,omitempty"`
	Sampling      string  `json:"sampling,omitempty" doc:"Of JPEG, such as 4:2:0"`
	BFrames       bool    `json:"bFrames"`
	Slices        int     `json:"slices"`
	Packets       uint64  `json:"packets"`
	Lost          uint64  `json:"lost" doc:"Packets that never came"`
	Overflow      uint64  `json:"overflow" doc:"Datagrams that found no room in the receive buffer of this machine"`
	Buffer        int     `json:"receiveBufferBytes,omitempty" doc:"Bytes of datagrams that this machine keeps"`
	Others        uint64  `json:"others" doc:"Packets of another sender, or of a kind that was not announced"`
	LeftOut       string  `json:"audioLeftOut,omitempty" doc:"Why audio that comes is not used"`
	Dropped       uint64  `json:"dropped" doc:"Frames left out because something of them, or of what they refer to, was missing"`
	ClockJumps    uint64  `json:"clockJumps" doc:"Times the camera set its clock anew"`
	Unchanged     uint64  `json:"unchanged" doc:"Polled pictures that were the same as before"`
	Reopened      uint64  `json:"reopened" doc:"Times an HTTP camera ended its answer and was asked again"`
	SenderReports bool    `json:"senderReports" doc:"Whether capture times come from the camera"`
	ClockOffset   float64 `json:"clockOffsetSeconds"`
}

// Point is one second of a feed.
type Point struct {
	At        time.Time `json:"at"`
	BitRate   float64   `json:"bitRate" doc:"Bits that came in in that second"`
	FrameRate float64   `json:"frameRate" doc:"Frames that came in in that second"`
}

// History is the last minutes of a feed.
type History struct {
	Points []Point `json:"points" doc:"A point a second, oldest first"`
}
