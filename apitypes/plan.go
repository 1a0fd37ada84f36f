package apitypes

// Prospect is what a plan is made for: a camera that is looked into, and who will watch.
type Prospect struct {
	Camera Inspection `json:"camera"`
	Demand
}

// Demand is who will watch.
type Demand struct {
	Viewers int     `json:"viewers,omitempty" minimum:"1" maximum:"1000000" default:"1" doc:"How many watch at once"`
	Within  float64 `json:"within,omitempty" minimum:"0" maximum:"120" default:"2" doc:"How far behind the picture may be, seconds; 0 is whatever is cheapest"`
	Listen  bool    `json:"listen,omitempty" doc:"They have the sound on"`
	Uplink  float64 `json:"uplink,omitempty" minimum:"0" doc:"Bits a second that may leave the building; 0 when it is not known"`

	Engines []string `json:"engines,omitempty" nullable:"false" enum:"Chromium,Firefox,WebKit" maxItems:"3" doc:"That all of them have; empty for any"`
}

// Plan says what a feed will be like.
type Plan struct {
	Source     PlanSource      `json:"source"`
	Viewers    int             `json:"viewers"`
	Listen     bool            `json:"listen" doc:"They have the sound on"`
	Within     float64         `json:"within" doc:"Seconds; 0 is whatever is cheapest"`
	Uplink     float64         `json:"uplink,omitempty" doc:"Bits a second"`
	Engines    []string        `json:"engines,omitempty" doc:"That all viewers have"`
	Best       string          `json:"best" doc:"The delivery that players try first"`
	Why        string          `json:"why"`
	Lengths    PlanLengths     `json:"lengths"`
	Deliveries []PlanDelivery  `json:"deliveries"`
	Ladder     []PlanRendition `json:"ladder" doc:"Smaller renditions that are proposed"`
	Sizes      []PlanSize      `json:"sizes" doc:"The nearest sizes of the picture's shape that H.264 can be"`
	Advice     []PlanAdvice    `json:"advice"`
	Cores      int             `json:"cores" doc:"Of the service's machine"`
	Measured   *PlanMeasured   `json:"measured,omitempty" doc:"Of a feed that runs"`
}

// PlanSource is what the camera sends.
type PlanSource struct {
	Codec         string  `json:"codec"`
	Width         int     `json:"width"`
	Height        int     `json:"height"`
	FrameRate     float64 `json:"frameRate"`
	BitRate       float64 `json:"bitRate" doc:"Bits a second"`
	KeyframeEvery float64 `json:"keyframeSeconds,omitempty"`
	BFrames       bool    `json:"bFrames"`
	Audio         string  `json:"audio,omitempty"`
}

// PlanLengths are how HLS is cut.
type PlanLengths struct {
	Segment float64  `json:"segmentSeconds"`
	Part    float64  `json:"partSeconds,omitempty" doc:"Of low-latency HLS"`
	Listed  int      `json:"playlistLength"`
	Nearest float64  `json:"nearestSeconds,omitempty" doc:"The least delay that HLS can keep, where less was asked for"`
	Notes   []string `json:"notes"`
}

// PlanDelivery is what one delivery will be like.
type PlanDelivery struct {
	Delivery  string       `json:"delivery" enum:"hls,fragments,webrtc,motion-jpeg"`
	Possible  bool         `json:"possible"`
	Transcode bool         `json:"transcode" doc:"The video is transcoded"`
	Why       string       `json:"why" doc:"Why, or that it passes through"`
	Audio     string       `json:"audio" doc:"What becomes of the sound"`
	Container string       `json:"container"`
	Window    float64      `json:"windowSeconds,omitempty" doc:"That an HLS list covers"`
	HoldBack  float64      `json:"holdBackSeconds,omitempty" doc:"Of players that are not ours"`
	Seconds   float64      `json:"seconds" doc:"Expected delay"`
	Parts     []DelayPart  `json:"parts"`
	Keeps     bool         `json:"keeps" doc:"It keeps the delay that is asked for"`
	BitRate   float64      `json:"bitRate" doc:"Bits a second for each viewer"`
	Total     float64      `json:"totalBitRate" doc:"Bits a second for all viewers"`
	Hour      float64      `json:"hourBytes" doc:"Bytes an hour for all viewers"`
	Month     float64      `json:"monthBytes" doc:"Bytes in 30 days for all viewers"`
	Most      int          `json:"mostViewers,omitempty" doc:"That the uplink carries"`
	Processor float64      `json:"processor" doc:"Cores"`
	Memory    float64      `json:"memoryBytes"`
	Players   []PlanPlayer `json:"players"`
}

// PlanPlayer is how an engine plays a delivery.
type PlanPlayer struct {
	Engine  string  `json:"engine"`
	Version string  `json:"version" doc:"That was tested"`
	Plays   bool    `json:"plays"`
	How     string  `json:"how"`
	Seconds float64 `json:"seconds" doc:"How far behind its pictures are expected to be"`

	Reported *PlanReported `json:"reported,omitempty" doc:"By players of the last seven days, where the feed lets them"`
}

// PlanReported is what viewers' players have reported of a delivery in an engine.
type PlanReported struct {
	Version      int     `json:"version" doc:"The newest that was seen"`
	Plays        int     `json:"plays" doc:"Times that frames came; a viewer counts once an hour"`
	Failures     int     `json:"failures" doc:"Times that it was given up"`
	Reason       string  `json:"reason,omitempty" doc:"Of the last failure"`
	Hours        float64 `json:"hours" doc:"That it was watched"`
	StallsAnHour float64 `json:"stallsAnHour"`
	Delay        float64 `json:"delaySeconds,omitempty" doc:"The mean"`
	H265Plays    int     `json:"h265Plays" doc:"Of the plays, those in browsers that decode H.265 smoothly"`
	H265Cannot   int     `json:"h265Cannot" doc:"Those that do not"`
}

// PlayReport is what a viewer's player tells of how it plays.
type PlayReport struct {
	Delivery       string   `json:"delivery"`
	Began          bool     `json:"began"`                  // the first report of frames
	Failed         string   `json:"failed"`                 // why it was given up; empty while it was not
	Seconds        float64  `json:"seconds"`                // played since the last report
	Stalls         int      `json:"stalls"`                 // since then
	StalledSeconds float64  `json:"stalledSeconds"`         // since then
	DelaySeconds   *float64 `json:"delaySeconds,omitempty"` // the mean since then, where it is known
	H265           *bool    `json:"h265,omitempty"`         // whether the engine decodes it smoothly; left out when it does not say
}

// PlanRendition is a rendition that is proposed.
type PlanRendition struct {
	Name    string `json:"name"`
	Size    string `json:"size"`
	Width   int    `json:"width"`
	Height  int    `json:"height"`
	BitRate int    `json:"bitRate" doc:"Bits a second"`
}

// PlanSize is a share of the picture's size, as H.264 can be.
type PlanSize struct {
	Size   string `json:"size"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
	Note   string `json:"note,omitempty" doc:"How that differs from the very share"`
}

// PlanAdvice is something that an engineer can do.
type PlanAdvice struct {
	Do    string  `json:"do"`
	Gain  string  `json:"gain"`
	Saves float64 `json:"savesSeconds,omitempty" doc:"Of delay"`
}

// PlanMeasured is what is measured of a feed that runs.
type PlanMeasured struct {
	BitRate       float64 `json:"bitRate" doc:"Bits a second that the camera sends"`
	FrameRate     float64 `json:"frameRate"`
	KeyframeEvery float64 `json:"keyframeSeconds,omitempty"`
	Segment       float64 `json:"segmentSeconds,omitempty" doc:"Target duration of the HLS list"`
	Viewers       int     `json:"viewers"`
	Processor     float64 `json:"processor" doc:"Cores that transcoding takes"`
}

// RenditionList is renditions of a feed.
type RenditionList struct {
	Renditions []Rendition `json:"renditions"`
}
