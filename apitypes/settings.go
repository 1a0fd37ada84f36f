// Package apitypes is what API, client and command line share: the bodies of requests
// and answers. It stands on nothing but the standard library.
package apitypes

// FeedSettings are what can be set of a feed. Adding one takes them whole, and editing
// takes a merge patch of them (RFC 7396): what is left out stays.
type FeedSettings struct {
	Title string `json:"title" required:"false" default:"" maxLength:"120" doc:"Name for people; the name itself when left out" example:"Lower station"`

	Audience    AudienceSettings `json:"audience" required:"false"`
	Sites       []string         `json:"sites" required:"false" nullable:"false" maxItems:"64" doc:"Sites whose pages may show the feed, such as example.org, *.example.org or https://example.org:8443; empty for all" example:"[\"example.org\"]"`
	Tags        []string         `json:"tags" required:"false" nullable:"false" maxItems:"20" doc:"What it is grouped by: small letters, digits and single hyphens, 40 at most" example:"[\"outdoors\"]"`
	WhileNeeded bool             `json:"whileNeeded" required:"false" doc:"Whether the camera is connected only while somebody needs it: a viewer, a recording, a schedule, an outlet, or a feed made of it. It saves the camera's line; the first picture takes as long as the camera does"`
	Reports     bool             `json:"reports" required:"false" doc:"Whether viewers' players tell the service how it plays: engine, delivery, failures, stalls and delay, without names and addresses"`
	Camera      CameraSettings   `json:"camera" required:"false"`
	Publish     PublishSettings  `json:"publish" required:"false"`
	Delivery    DeliverySettings `json:"delivery" required:"false"`
	Pictures    PictureSettings  `json:"pictures" required:"false"`
	Audio       AudioSettings    `json:"audio" required:"false"`

	Lens      LensSettings      `json:"lens" required:"false"`
	Combined  CombinedSettings  `json:"combined" required:"false"`
	Outlet    OutletSettings    `json:"outlet" required:"false"`
	Recording RecordingSettings `json:"recording" required:"false"`
	Stills    []StillSchedule   `json:"stills" required:"false" nullable:"false" maxItems:"16" doc:"Schedules by which stills are taken"`
}

// AudienceSettings say who may watch, besides engineers and whoever has a link.
type AudienceSettings struct {
	Who      string   `json:"who,omitempty" enum:"everyone,links,signed-in,named" default:"signed-in" doc:"everyone needs no sign-in; links is nobody else; signed-in is every viewer's account; named is those in accounts"`
	Accounts []string `json:"accounts" required:"false" nullable:"false" maxItems:"500" doc:"Accounts that may watch whatever who says; panels always have to stand here" example:"[\"wall-panel\"]"`
}

// CameraSettings say how the camera is opened.
type CameraSettings struct {
	URL         string `json:"url" required:"false" default:"" maxLength:"2048" doc:"The camera's address: rtsp://, rtsps://, http:// or https://. Credentials in it are taken out and kept sealed, and so are the values of its query, which are shown as *** and may be sent back so" example:"rtsp://192.0.2.7:554/main"`
	User        string `json:"user,omitempty" default:"" writeOnly:"true" maxLength:"256" doc:"The camera's user; empty takes user and password away"`
	Password    string `json:"password,omitempty" default:"" writeOnly:"true" maxLength:"256" doc:"The camera's password; never shown again. A camera on another host needs it again"`
	Transport   string `json:"transport,omitempty" enum:"auto,tcp,udp,http,multicast" default:"auto" doc:"How RTP comes from an RTSP camera; auto tries TCP, then UDP; http is RTSP through two HTTP connections, multicast a group that others may listen to, too"`
	Fetch       string `json:"fetch,omitempty" enum:"auto,stream,poll" default:"auto" doc:"How frames are got from an HTTP camera: one endless answer, or one answer a frame; auto goes by what it answers"`
	Fingerprint string `json:"fingerprint" required:"false" default:"" pattern:"^([0-9A-Fa-f]{2}:?){31}[0-9A-Fa-f]{2}$|^$" patternDescription:"a SHA-256 fingerprint of 64 hexadecimal digits" doc:"SHA-256 of the certificate to trust, for rtsps and https"`

	Device         string `json:"device" required:"false" default:"" maxLength:"2048" doc:"Address of the camera's ONVIF device, on the same host; empty for none. It is asked for the stream's address when that fails, for keyframes when pictures are missing, and sets and moves the camera" example:"http://192.0.2.7/onvif/device_service"`
	DeviceUser     string `json:"deviceUser,omitempty" default:"" writeOnly:"true" maxLength:"256" doc:"The device's user, where it is another than the stream's; empty leaves it"`
	DevicePassword string `json:"devicePassword,omitempty" default:"" writeOnly:"true" maxLength:"256" doc:"The password of that user; never shown again. It is forgotten with the device, and when the camera is set to another host"`
	DeviceID       string `json:"deviceId" required:"false" default:"" maxLength:"200" doc:"What the device calls itself, which stays when its address changes" example:"urn:uuid:6f1c4e2a-8a64-4b0e-9d55-1f0a4c7e2b11"`
	Follow         bool   `json:"follow" required:"false" doc:"Whether the feed goes by itself to where a search finds the device, when the camera is not reached; its user and password go there, and whoever is on the network can call himself so"`
	DeviceProfile  string `json:"deviceProfile" required:"false" default:"" maxLength:"200" doc:"Token of the profile that the feed shows" example:"main"`

	PollSeconds       float64 `json:"pollSeconds,omitempty" minimum:"0.1" maximum:"3600" default:"2" doc:"From one polled picture to the next"`
	AnswerSeconds     float64 `json:"answerSeconds,omitempty" minimum:"1" maximum:"120" default:"5" doc:"How long to wait for each answer of the camera"`
	FirstFrameSeconds float64 `json:"firstFrameSeconds,omitempty" minimum:"1" maximum:"120" default:"10" doc:"How long to wait for the first packet or frame after the camera has answered"`
	StallSeconds      float64 `json:"stallSeconds,omitempty" minimum:"1" maximum:"120" default:"5" doc:"How long a camera that has sent may be silent before it is opened anew"`
}

// PublishSettings say whether somebody sends to the feed, and who may.
type PublishSettings struct {
	Pushed   bool `json:"pushed" required:"false" doc:"Whether nobody opens the camera: it, or a program, sends to the feed, by RTMP, RTSP, WHIP or HTTP. camera.url is empty then"`
	Open     bool `json:"open" required:"false" doc:"Whether whoever reaches the ports may send without the feed's key: for closed networks only"`
	TakeOver bool `json:"takeOver" required:"false" doc:"Whether who comes second takes the feed over; refused otherwise"`
}

// DeliverySettings say how the feed goes out.
type DeliverySettings struct {
	Within         float64  `json:"within" required:"false" minimum:"0" maximum:"120" default:"2" doc:"How far behind the picture may be, seconds; 0 is whatever is cheapest. The lengths below follow from it where they are 0"`
	SegmentSeconds float64  `json:"segmentSeconds" required:"false" minimum:"0" maximum:"60" default:"0" doc:"Wanted length of an HLS segment, 0.5 to 60; 0 follows from within"`
	PartSeconds    float64  `json:"partSeconds" required:"false" minimum:"0" maximum:"30" default:"0" doc:"Wanted length of a part of low-latency HLS, 0.05 to half a segment; 0 follows from within"`
	Off            []string `json:"off" required:"false" nullable:"false" enum:"hls,fragments,webrtc,motion-jpeg,still,rtsp" maxItems:"6" doc:"Deliveries that the feed does not give; where a new feed leaves it out it is rtsp, which needs a port of its own" example:"[\"webrtc\"]"`

	PlaylistLength int `json:"playlistLength" required:"false" minimum:"0" maximum:"64" default:"0" doc:"Segments in the HLS playlist, at least, 3 to 64; 0 follows from within. There are more where they are shorter than a third of the target duration"`
}

// OutletSettings say where HLS and stills of the feed are put besides, for a web server of
// one's own.
type OutletSettings struct {
	To           string  `json:"to" required:"false" default:"" maxLength:"500" doc:"folder:NAME below the service's --outlet-folder, an address of http or https that takes PUT, such as WebDAV, or s3+https://HOST/BUCKET/PREFIX; empty for nowhere" example:"folder:lower-station"`
	User         string  `json:"user" required:"false" default:"" maxLength:"256" doc:"User there, or access key of a bucket"`
	Password     string  `json:"password,omitempty" default:"" writeOnly:"true" maxLength:"256" doc:"Password there, or secret key; never shown again. It is forgotten with another host"`
	StillSeconds float64 `json:"stillSeconds" required:"false" minimum:"0" maximum:"3600" doc:"From one still.jpg to the next; 0 puts none"`
}

// LensSettings say how the picture is projected.
type LensSettings struct {
	Projection  string  `json:"projection,omitempty" enum:"flat,equirectangular,top-bottom,fisheye" default:"flat" doc:"equirectangular is all around, twice as wide as high; top-bottom the same twice, for the left eye above and the right one below; fisheye a circle. The player shows those to be turned"`
	FieldOfView float64 `json:"fieldOfView,omitempty" minimum:"0" maximum:"360" default:"0" doc:"Of a fisheye, degrees, 90 to 240; 0 is 180"`
}

// PictureSettings say how Motion JPEG and stills go out when nothing else is asked for.
type PictureSettings struct {
	Size      string  `json:"size" required:"false" default:"" maxLength:"20" doc:"Such as 640x360, 640x or 1/2; empty is the camera's"`
	FrameRate float64 `json:"frameRate" required:"false" minimum:"0" maximum:"120" default:"0" doc:"fps of Motion JPEG at most; 0 is all"`
	Quality   int     `json:"quality" required:"false" minimum:"0" maximum:"100" default:"0" doc:"JPEG quality of what is transcoded; 0 is 80"`
}

// AudioSettings say whether audio goes out.
type AudioSettings struct {
	Mode   string `json:"mode,omitempty" enum:"automatic,on,off" default:"automatic" doc:"automatic passes audio through where it can be and transcodes it while somebody listens; on transcodes it all the time, so that nobody waits for it"`
	HLS    string `json:"hls,omitempty" enum:"as-feed,automatic,on,off" default:"as-feed" doc:"The same for HLS alone"`
	WebRTC string `json:"webrtc,omitempty" enum:"as-feed,automatic,on,off" default:"as-feed" doc:"The same for WebRTC alone"`
}

// Defaults are the settings of a feed of which nothing was said but its address.
func Defaults(url string) FeedSettings {
	return FeedSettings{
		Audience: AudienceSettings{Who: "signed-in", Accounts: []string{}}, Sites: []string{}, Tags: []string{},
		Camera:   CameraSettings{URL: url, Transport: "auto", Fetch: "auto", PollSeconds: 2, AnswerSeconds: 5, FirstFrameSeconds: 10, StallSeconds: 5},
		Delivery: DeliverySettings{Off: []string{"rtsp"}, Within: 2},
		Audio:    AudioSettings{Mode: "automatic", HLS: "as-feed", WebRTC: "as-feed"}, Recording: RecordingSettings{Mode: "hand"}, Stills: []StillSchedule{}, Combined: CombinedSettings{Kind: "none", Sources: []CombinedFeed{}}, Lens: LensSettings{Projection: "flat"},
	}
}

// NewFeed is what adding a feed takes.
type NewFeed struct {
	Name    string `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" minLength:"1" maxLength:"63" doc:"Name in addresses, after the place it shows" example:"lower-station"`
	Enabled *bool  `json:"enabled,omitempty" doc:"Whether the feed is switched on; it is when left out"`
	FeedSettings
}
