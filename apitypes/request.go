package apitypes

// CameraRequest is a request to a feed's camera, sent with the feed's credentials.
type CameraRequest struct {
	Name         string `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" minLength:"1" maxLength:"40" example:"resolution"`
	Method       string `json:"method,omitempty" enum:"GET,POST,PUT,DELETE" default:"GET"`
	Target       string `json:"target" minLength:"1" maxLength:"2048" doc:"Path at the camera, or a URL of its host on another port" example:"/settings?size=640x360"`
	Body         string `json:"body,omitempty" maxLength:"65536"`
	AtConnection bool   `json:"atConnection,omitempty" doc:"Whether it is sent before each connection: small cameras forget their settings when they start anew"`
}

// CameraAnswer is what a camera answered.
type CameraAnswer struct {
	Status int     `json:"status"`
	Text   string  `json:"text" doc:"The beginning of the answer"`
	Millis float64 `json:"milliseconds"`
}
