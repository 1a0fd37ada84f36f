package apitypes

// NewSearch is what a search for cameras takes.
type NewSearch struct {
	Seconds float64  `json:"seconds,omitempty" minimum:"1" maximum:"60" default:"4" doc:"How long answers are waited for; a sweep takes as long as it takes"`
	Sweep   []string `json:"sweep,omitempty" nullable:"false" maxItems:"8" doc:"Private networks whose addresses are tried one by one, such as 192.168.1.0/24; of 1024 addresses at most each" example:"[\"192.168.1.0/24\"]"`
	Ports   []int    `json:"ports,omitempty" nullable:"false" minimum:"1" maximum:"65535" maxItems:"32" doc:"That a sweep tries; the usual ones of cameras when left out" example:"[554,80]"`
}

// Search is a search for cameras and what it has found.
type Search struct {
	ID      string        `json:"id"`
	Running bool          `json:"running"`
	Found   []FoundCamera `json:"found" doc:"In the order in which they answered"`
	Notes   []string      `json:"notes" doc:"What could not be done"`
}

// FoundCamera is a host that answered. What is left out is not known.
type FoundCamera struct {
	Host     string   `json:"host" doc:"IP address"`
	ID       string   `json:"id,omitempty" doc:"That stays when the address changes"`
	Name     string   `json:"name,omitempty" doc:"As it calls itself"`
	Hardware string   `json:"hardware,omitempty"`
	Location string   `json:"location,omitempty"`
	Device   string   `json:"device,omitempty" doc:"Address to ask for its streams by ONVIF"`
	Streams  []string `json:"streams,omitempty" doc:"RTSP addresses that it announces"`
	Pages    []string `json:"pages,omitempty" doc:"Its own pages"`
	Ways     []string `json:"ways" doc:"What answered: WS-Discovery, mDNS, ONVIF, RTSP"`
	Odd      string   `json:"odd,omitempty" doc:"What is wrong with what it says"`
	Feeds    []string `json:"feeds,omitempty" doc:"Feeds whose camera is on that host"`
	Moved    []string `json:"moved,omitempty" doc:"Feeds whose camera this is, at another address than before"`
}

// DeviceSignIn says which camera is asked for its streams.
type DeviceSignIn struct {
	Address     string `json:"address" minLength:"1" maxLength:"2048" doc:"Of the camera: a host, host:port, or its ONVIF address" example:"192.0.2.7"`
	User        string `json:"user,omitempty" maxLength:"256"`
	Password    string `json:"password,omitempty" maxLength:"256"`
	Fingerprint string `json:"fingerprint,omitempty" maxLength:"95" doc:"SHA-256 of the certificate to trust, for https"`
}

// OfferedStreams are what a camera offers by ONVIF.
type OfferedStreams struct {
	Device      string          `json:"device" doc:"For a feed's camera"`
	ID          string          `json:"id,omitempty" doc:"What the device calls itself, for a feed's camera"`
	Maker       string          `json:"maker,omitempty"`
	Model       string          `json:"model,omitempty"`
	Firmware    string          `json:"firmware,omitempty"`
	Serial      string          `json:"serial,omitempty"`
	ClockOffset float64         `json:"clockOffsetSeconds" doc:"By how much its clock is ahead of the service's"`
	Streams     []OfferedStream `json:"streams"`
	Notes       []string        `json:"notes" doc:"What is odd"`
}

// OfferedStream is a profile of a camera.
type OfferedStream struct {
	Token         string  `json:"token" doc:"Of the profile, for a feed's camera"`
	Name          string  `json:"name"`
	Codec         string  `json:"codec"`
	Profile       string  `json:"profile,omitempty" doc:"Of the codec"`
	Width         int     `json:"width"`
	Height        int     `json:"height"`
	FrameRate     float64 `json:"frameRate,omitempty" doc:"Frames a second at most"`
	BitRate       float64 `json:"bitRate,omitempty" doc:"Bits a second at most"`
	KeyframeEvery float64 `json:"keyframeSeconds,omitempty"`
	Audio         string  `json:"audio,omitempty"`
	URL           string  `json:"url,omitempty" doc:"For a feed's camera; left out when the camera does not say"`
	Still         string  `json:"still,omitempty" doc:"Address of stills"`
	Possible      bool    `json:"possible" doc:"This service takes it"`
	Means         string  `json:"means" doc:"What it means for browsers"`
	Best          bool    `json:"best,omitempty" doc:"For watching"`
	Lightest      bool    `json:"lightest,omitempty" doc:"For weak lines and small places"`
}
