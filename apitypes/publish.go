package apitypes

import "time"

// Destination is where a publisher sends to.
type Destination struct {
	Protocol string `json:"protocol" doc:"RTMP, RTSP, WHIP or HTTP" example:"RTMP"`
	Address  string `json:"address" example:"rtmp://cams.example.org:1935/summit-360"`
	Key      string `json:"key" doc:"Where the key goes, in a sentence" example:"The key is the stream's name (stream key)."`
}

// Publishing is how somebody sends to a feed.
type Publishing struct {
	Key          string        `json:"key,omitempty" doc:"Where one was just made; shown this once" example:"k3mw-7tqa-x2pd-9rvn"`
	Needed       bool          `json:"needed" doc:"Whether publishers have to show the key"`
	Means        string        `json:"means" doc:"Who may send, in a sentence"`
	Destinations []Destination `json:"destinations" nullable:"false" doc:"Addresses to send to, by the way this request came; those whose port is switched off here are left out"`
}

// NewPass is what making a pass takes.
type NewPass struct {
	Hours float64 `json:"hours,omitempty" minimum:"0.1" maximum:"8760" default:"24" doc:"How long it lets somebody send"`
}

// Pass lets whoever has it send to a feed for a while, by the camera page or by WHIP.
type Pass struct {
	URL  string    `json:"url" doc:"Address of the camera page, with the pass in it" example:"https://cams.example.org/publish/visitor-phone#pass.t6qv.x"`
	Pass string    `json:"pass" doc:"The pass alone: a bearer token for WHIP"`
	Ends time.Time `json:"ends"`
	Note string    `json:"note,omitempty" doc:"What to know before it is opened"`
}

// Publisher is who sends to a feed.
type Publisher struct {
	Protocol string           `json:"protocol" example:"WHIP"`
	Address  string           `json:"address" example:"192.0.2.44:51000"`
	Since    time.Time        `json:"since"`
	Camera   *PublisherCamera `json:"camera,omitempty" doc:"What a camera page says of its camera; left out for other publishers"`
}

// PublisherCamera is the camera of a phone or a laptop.
type PublisherCamera struct {
	Cameras []string   `json:"cameras" nullable:"false" doc:"That it has, such as front and back"`
	Camera  int        `json:"camera" doc:"Which of them is on, from 0"`
	Torch   *bool      `json:"torch,omitempty" doc:"Whether its light is on; left out where there is none"`
	Zoom    *float64   `json:"zoom,omitempty" doc:"Left out where it cannot be set"`
	Zooms   *ZoomRange `json:"zooms,omitempty"`
	Focus   []string   `json:"focus" nullable:"false" doc:"Modes of focus that it has"`
	Focused string     `json:"focused,omitempty" doc:"The one it is in"`
	Width   int        `json:"width" doc:"Pixels that it takes"`
	Height  int        `json:"height"`
}

// ZoomRange is what zoom may be.
type ZoomRange struct {
	Min  float64 `json:"min"`
	Max  float64 `json:"max"`
	Step float64 `json:"step"`
}

// CameraWish is what an engineer asks of a publisher's camera; what is left out stays.
type CameraWish struct {
	Torch  *bool    `json:"torch,omitempty"`
	Zoom   *float64 `json:"zoom,omitempty"`
	Focus  *string  `json:"focus,omitempty" maxLength:"40"`
	Camera *int     `json:"camera,omitempty" minimum:"0" maximum:"15"`
}
