package apitypes

// Inspection is what looking into a camera takes.
type Inspection struct {
	URL         string  `json:"url,omitempty" maxLength:"2048" doc:"The camera's address: rtsp://, rtsps://, http://, https://, udp://, rtp:// or tcp://"`
	User        string  `json:"user,omitempty" maxLength:"256"`
	Password    string  `json:"password,omitempty" maxLength:"256"`
	Feed        string  `json:"feed,omitempty" maxLength:"63" doc:"A feed to look into what comes in of, instead of a camera; then everything else but seconds and stream is left out" example:"summit-360"`
	Transport   string  `json:"transport,omitempty" enum:"auto,tcp,udp,http,multicast" default:"auto"`
	Fetch       string  `json:"fetch,omitempty" enum:"auto,stream,poll" default:"auto"`
	Fingerprint string  `json:"fingerprint,omitempty" maxLength:"95"`
	Seconds     float64 `json:"seconds,omitempty" minimum:"1" maximum:"60" default:"4" doc:"How long to read"`
	TryPaths    bool    `json:"tryPaths,omitempty" doc:"Where an RTSP camera has nothing under the address's path, try a short list of usual ones"`
	Transports  bool    `json:"transports,omitempty" doc:"Try the other RTSP transport, too"`
	Stream      bool    `json:"stream,omitempty" doc:"Keep the elementary stream, up to 16 MiB of it"`
}

// Report is what was found.
type Report struct {
	URL           string        `json:"url" doc:"That was looked into, without credentials"`
	Transport     string        `json:"transport" doc:"How frames came: tcp or udp for RTSP, stream or poll for HTTP"`
	Server        string        `json:"server,omitempty" doc:"What the camera calls itself"`
	Tracks        []ReportTrack `json:"tracks" doc:"What the session description offers"`
	Codec         string        `json:"codec"`
	Profile       string        `json:"profile,omitempty"`
	Level         string        `json:"level,omitempty"`
	Sampling      string        `json:"sampling,omitempty" doc:"Of JPEG: how colours are sampled, such as 4:2:0"`
	Width         int           `json:"width" doc:"Pixels"`
	Height        int           `json:"height" doc:"Pixels"`
	FrameRate     float64       `json:"frameRate" doc:"fps, measured"`
	BitRate       float64       `json:"bitRate" doc:"Bits a second, measured"`
	KeyframeEvery float64       `json:"keyframeSeconds,omitempty" doc:"Seconds between keyframes; 0 when fewer than two came"`
	Interlaced    bool          `json:"interlaced,omitempty" doc:"Whether pictures may be coded in fields"`
	BFrames       bool          `json:"bFrames" doc:"Whether frames are reordered"`
	Slices        int           `json:"slices" doc:"The most slices of a frame"`
	Packets       uint64        `json:"packets"`
	Lost          uint64        `json:"lost" doc:"Packets that never came"`
	Late          uint64        `json:"late" doc:"Packets that came out of order, and too late"`
	Other         uint64        `json:"unannounced" doc:"Packets of payload types that the description does not announce, or of another sender"`
	From          string        `json:"from,omitempty" doc:"Address of who sends, of those who are not opened"`
	Overflow      uint64        `json:"overflow,omitempty" doc:"Datagrams that found no room in the receive buffer"`
	Dropped       uint64        `json:"dropped" doc:"Frames left out because they were not whole"`
	Unchanged     uint64        `json:"unchanged" doc:"Polled pictures that were the same as before"`
	Seconds       float64       `json:"seconds" doc:"How long was read"`
	ClockOffset   float64       `json:"clockOffsetSeconds" doc:"By how much the camera's clock differs"`
	Reports       bool          `json:"senderReports" doc:"Whether capture times come from the camera"`
	Audio         *ReportAudio  `json:"audio,omitempty"`

	FirstFrame    float64 `json:"firstFrameSeconds" doc:"From opening the camera to its first frame"`
	Jitter        float64 `json:"jitterSeconds" doc:"By how much frames come unevenly (RFC 3550, 6.4.1, of frames)"`
	Peak          float64 `json:"peakBitRate" doc:"Bits of the fullest second"`
	LargestFrame  int     `json:"largestFrame" doc:"Bytes"`
	LeastKeyframe float64 `json:"leastKeyframeSeconds,omitempty" doc:"The shortest time between two keyframes"`
	MostKeyframe  float64 `json:"mostKeyframeSeconds,omitempty" doc:"The longest"`
	RepeatsSets   bool    `json:"repeatsParameterSets" doc:"Whether parameter sets come again with each keyframe"`
	Drift         float64 `json:"driftPartsPerMillion,omitempty" doc:"By how much the camera's clock runs fast; left out when it was not read for long enough to tell"`

	Transports []ReportTransport `json:"transports,omitempty" doc:"What came of each transport, where both were to be tried"`
	Browsers   []ReportBrowser   `json:"browsers" doc:"What browsers play of it as it is"`
	Verdict    string            `json:"verdict" doc:"A sentence"`

	Picture []byte `json:"picture,omitempty" doc:"A frame as JPEG, where one could be decoded"`

	Stream []byte `json:"stream,omitempty" doc:"The elementary stream, where it was asked for: NAL units behind start codes, or JPEG after JPEG. It holds no credentials"`

	// Notes are sentences about what the engineer should know.
	Notes []string `json:"notes"`
}

// ReportTransport is what came of a transport.
type ReportTransport struct {
	Transport string `json:"transport" enum:"tcp,udp"`
	Works     bool   `json:"works"`
	Why       string `json:"why,omitempty" doc:"Why not"`
}

// ReportBrowser is what an engine plays without transcoding.
type ReportBrowser struct {
	Engine string   `json:"engine"`
	AsIs   []string `json:"asIs" doc:"Deliveries that the camera's own video plays by"`
	Made   []string `json:"made" doc:"Those that it has to be transcoded for"`
}

// ReportTrack is one medium of the session description.
type ReportTrack struct {
	Kind      string `json:"kind"`
	Codec     string `json:"codec"`
	ClockRate uint32 `json:"clockRate,omitempty"`
	Channels  int    `json:"channels,omitempty"`
	Used      bool   `json:"used"`
	Why       string `json:"why,omitempty" doc:"Why it is not used"`
}

// ReportAudio is what came of the audio.
type ReportAudio struct {
	Codec     string  `json:"codec"`
	ClockRate uint32  `json:"clockRate" doc:"Ticks a second: samples, as a rule"`
	Channels  int     `json:"channels"`
	Seconds   float64 `json:"seconds" doc:"How much came while the pictures were read"`
	BitRate   float64 `json:"bitRate" doc:"Bits a second, measured"`
	Lost      uint64  `json:"lost" doc:"Packets that never came or made no sense"`
}
