package apitypes

import "time"

// CombinedSettings say of which other feeds a feed is made.
type CombinedSettings struct {
	Kind      string         `json:"kind,omitempty" enum:"none,turns,mosaic" default:"none" doc:"turns shows one after the other, mosaic all at once; camera.url is empty then"`
	Sources   []CombinedFeed `json:"sources,omitempty" nullable:"false" maxItems:"20" doc:"The feeds, in their order; 9 at most in a mosaic"`
	Size      string         `json:"size,omitempty" maxLength:"20" doc:"Of what is transcoded, such as 1280x720, which is the usual" example:"1280x720"`
	FrameRate float64        `json:"frameRate,omitempty" minimum:"0" maximum:"30" doc:"fps of a mosaic; 0 is 10"`
	Always    bool           `json:"alwaysTranscode,omitempty" doc:"Whether feeds that take turns are transcoded even where all send in the same way"`
	Names     bool           `json:"names,omitempty" doc:"Whether their titles are drawn in a mosaic"`
}

// CombinedFeed is one of them.
type CombinedFeed struct {
	Feed    string  `json:"feed" maxLength:"63" example:"lower-station"`
	Seconds float64 `json:"seconds,omitempty" minimum:"0" maximum:"86400" doc:"That its turn lasts; 0 is 10"`
}

// Turn is whose turn it is in a feed that takes turns.
type Turn struct {
	On        string       `json:"on,omitempty" doc:"Feed that is on; empty while none is"`
	Since     *time.Time   `json:"since,omitempty"`
	Held      string       `json:"held,omitempty" doc:"Feed that somebody put on; empty while they take turns"`
	Transcode bool         `json:"transcoded" doc:"Whether that which is on is transcoded"`
	Why       string       `json:"why" doc:"In a sentence, with what it costs"`
	Sources   []TurnSource `json:"sources"`
}

// TurnSource is one of those that take turns.
type TurnSource struct {
	Feed    string  `json:"feed"`
	Title   string  `json:"title"`
	Seconds float64 `json:"seconds" doc:"That its turn lasts"`

	State     string `json:"state" enum:"off,idle,connecting,waiting,live,stalled,retrying,refused"`
	Available bool   `json:"available" doc:"Whether it can be on: it is live, or idle until its turn comes"`
}

// PutOn puts one of them on.
type PutOn struct {
	Feed string `json:"feed" required:"false" maxLength:"63" doc:"Feed that stays on; empty has them take turns again" example:"upper-station"`
}

// OutletState is how putting a feed's files to a web server goes.
type OutletState struct {
	To      string     `json:"to" doc:"Empty for nowhere"`
	Newest  *time.Time `json:"newest,omitempty" doc:"When the newest list was put"`
	Files   int        `json:"files" doc:"Segments that lie there"`
	Problem string     `json:"problem,omitempty" doc:"Why nothing is put"`
	Remedy  string     `json:"remedy,omitempty"`
}
