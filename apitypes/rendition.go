package apitypes

// NewRendition is what adding a rendition takes.
type NewRendition struct {
	Name            string  `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" minLength:"1" maxLength:"40" doc:"Name in addresses" example:"small"`
	Codec           string  `json:"codec,omitempty" enum:"H264,JPEG" default:"H264" doc:"H264 for HLS, JPEG for Motion JPEG"`
	Size            string  `json:"size,omitempty" maxLength:"20" doc:"Such as 640x360, 640x or x360 (the other side follows), 1/2 or 50%; empty is the camera's" example:"640x360"`
	FrameRate       float64 `json:"frameRate,omitempty" minimum:"0" maximum:"120" doc:"Frames a second at most; 0 is all"`
	BitRate         int     `json:"bitRate,omitempty" minimum:"0" maximum:"100000000" doc:"H264: bits a second; 0 is what suits the size"`
	KeyframeSeconds float64 `json:"keyframeSeconds,omitempty" minimum:"0" maximum:"600" doc:"H264: from one keyframe to the next at most; 0 is where segments begin"`
	Profile         string  `json:"profile,omitempty" enum:"baseline,main" doc:"H264: baseline for every player, main for a tenth fewer bits; baseline when left out"`
	Quality         int     `json:"quality,omitempty" minimum:"0" maximum:"100" doc:"JPEG: 1 to 100; 0 is 80"`
	Text            string  `json:"text,omitempty" maxLength:"200" doc:"Drawn on the picture; {date}, {time} and {place} stand for what they say" example:"{place}  {date} {time}"`
	TextCorner      string  `json:"textCorner,omitempty" enum:"top-left,top-right,bottom-left,bottom-right" doc:"Where it stands; bottom-left when left out"`
	TextSize        float64 `json:"textSize,omitempty" minimum:"0" maximum:"25" doc:"Height of its letters in hundredths of the picture's; 0 is 5"`
	View            string  `json:"view,omitempty" maxLength:"60" doc:"Flat view that is cut out of a picture of another projection: pan, tilt and field of view, degrees" example:"90,-10,80"`
}

// RenditionChange is what editing a rendition takes; what is left out stays.
type RenditionChange struct {
	Size            *string  `json:"size,omitempty" maxLength:"20"`
	FrameRate       *float64 `json:"frameRate,omitempty" minimum:"0" maximum:"120"`
	BitRate         *int     `json:"bitRate,omitempty" minimum:"0" maximum:"100000000"`
	KeyframeSeconds *float64 `json:"keyframeSeconds,omitempty" minimum:"0" maximum:"600"`
	Profile         *string  `json:"profile,omitempty" enum:"baseline,main"`
	Quality         *int     `json:"quality,omitempty" minimum:"0" maximum:"100"`
	Text            *string  `json:"text,omitempty" maxLength:"200" doc:"Empty takes it away"`
	TextCorner      *string  `json:"textCorner,omitempty" enum:"top-left,top-right,bottom-left,bottom-right"`
	TextSize        *float64 `json:"textSize,omitempty" minimum:"0" maximum:"25"`
	View            *string  `json:"view,omitempty" maxLength:"60" doc:"Empty takes it away"`
}

// Rendition is a rendition as the API shows it.
type Rendition struct {
	NewRendition

	Automatic    bool    `json:"automatic" doc:"Whether nobody asked for it: HLS needs it"`
	Running      bool    `json:"running" doc:"Whether it is made at present; it is while somebody watches, and a little longer"`
	Users        int     `json:"users" doc:"What uses it at present"`
	OutWidth     int     `json:"outWidth,omitempty" doc:"Pixels; known once the camera's size is"`
	OutHeight    int     `json:"outHeight,omitempty"`
	Note         string  `json:"note,omitempty" doc:"How what is made differs from what was asked, and why"`
	Share        float64 `json:"share" doc:"What scaling, drawing and encoding it take, as a share of one core; decoding is shared"`
	OutFrameRate float64 `json:"outFrameRate" doc:"Frames a second that are made"`
	Path         string  `json:"path" doc:"Where it is, under the service's address"`
}

// Transcoding is what transcoding a feed takes.
type Transcoding struct {
	Missing   string  `json:"missing,omitempty" doc:"What is missing here for any transcoding"`
	Running   bool    `json:"running"`
	Memory    int64   `json:"memoryBytes"`
	Processor float64 `json:"processor" doc:"Of the whole worker, as a share of one core"`
	Decoding  float64 `json:"decoding" doc:"Of decoding alone, as a share of one core"`
	Dropped   uint64  `json:"dropped" doc:"Frames left out because transcoding did not keep up"`
	Undecoded uint64  `json:"undecoded" doc:"Frames that could not be decoded"`
	Restarts  uint64  `json:"restarts" doc:"Times the worker had to be started again"`
	LastError string  `json:"lastError,omitempty" doc:"Why, the last time"`
}
