package apitypes

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
	Destinations []Destination `json:"destinations" doc:"Addresses to send to, by the way this request came; those whose port is switched off here are left out"`
}
