package apitypes

// CameraControls are what a feed's camera can be set to by ONVIF, and is.
type CameraControls struct {
	Video   CameraVideo     `json:"video"`
	Options []VideoOptions  `json:"options" doc:"What the video can be set to, by codec"`
	Moves   bool            `json:"moves" doc:"The camera can be panned, tilted or zoomed"`
	Presets []CameraPreset  `json:"presets" doc:"Places that the camera remembers"`
	Picture []PictureLevel  `json:"picture" doc:"How the picture is set"`
	Filter  *InfraredFilter `json:"infraredFilter,omitempty"`
	Notes   []string        `json:"notes" doc:"What is odd"`
}

// CameraVideo is how the profile's video is coded.
type CameraVideo struct {
	Codec         string  `json:"codec" example:"H264"`
	Profile       string  `json:"profile,omitempty" doc:"Of the codec" example:"Main"`
	Width         int     `json:"width"`
	Height        int     `json:"height"`
	FrameRate     float64 `json:"frameRate" doc:"Frames a second at most"`
	BitRate       float64 `json:"bitRate" doc:"Bits a second at most"`
	KeyframeEvery float64 `json:"keyframeSeconds" doc:"Seconds; 0 where the camera does not say"`
}

// VideoOptions are what one codec can be set to; limits of 0 are not known.
type VideoOptions struct {
	Codec         string   `json:"codec"`
	Sizes         []string `json:"sizes" example:"[\"1280x720\"]"`
	LeastRate     float64  `json:"leastRate"`
	MostRate      float64  `json:"mostRate"`
	LeastBits     float64  `json:"leastBitRate"`
	MostBits      float64  `json:"mostBitRate"`
	LeastKeyframe float64  `json:"leastKeyframeFrames" doc:"Frames from one keyframe to the next"`
	MostKeyframe  float64  `json:"mostKeyframeFrames"`
}

// CameraPreset is a place that a camera remembers.
type CameraPreset struct {
	Token string `json:"token"`
	Name  string `json:"name"`
}

// PictureLevel is a setting of the picture.
type PictureLevel struct {
	Name  string  `json:"name" enum:"brightness,saturation,contrast,sharpness"`
	Value float64 `json:"value"`
	Least float64 `json:"least"`
	Most  float64 `json:"most"`
}

// InfraredFilter says whether infrared light is kept out.
type InfraredFilter struct {
	Mode  string   `json:"mode" doc:"ON by day, OFF by night, AUTO for both"`
	Modes []string `json:"modes"`
}

// VideoChange changes how a camera codes; what is left out stays.
type VideoChange struct {
	Codec         string   `json:"codec,omitempty" enum:"H264,H265,JPEG"`
	Size          string   `json:"size,omitempty" pattern:"^[0-9]{1,5}x[0-9]{1,5}$" patternDescription:"a size such as 1280x720" example:"1280x720"`
	FrameRate     *float64 `json:"frameRate,omitempty" minimum:"0.1" maximum:"240"`
	BitRate       *float64 `json:"bitRate,omitempty" minimum:"1000" maximum:"200000000" doc:"Bits a second"`
	KeyframeEvery *float64 `json:"keyframeSeconds,omitempty" minimum:"0.01" maximum:"600"`
}

// CameraMove moves a camera: to a preset, or by shares of its range.
type CameraMove struct {
	Preset string  `json:"preset,omitempty" maxLength:"200" doc:"Name or token of a preset; nothing else is looked at then"`
	Pan    float64 `json:"pan,omitempty" minimum:"-1" maximum:"1" doc:"To the right"`
	Tilt   float64 `json:"tilt,omitempty" minimum:"-1" maximum:"1" doc:"Upwards"`
	Zoom   float64 `json:"zoom,omitempty" minimum:"-1" maximum:"1" doc:"Nearer"`
}

// PictureChange changes how a camera's picture is set; what is left out stays.
type PictureChange struct {
	Brightness *float64 `json:"brightness,omitempty"`
	Saturation *float64 `json:"saturation,omitempty"`
	Contrast   *float64 `json:"contrast,omitempty"`
	Sharpness  *float64 `json:"sharpness,omitempty"`
	Filter     string   `json:"infraredFilter,omitempty" enum:"ON,OFF,AUTO"`
}
