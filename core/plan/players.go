package plan

import (
	"slices"
	"time"

	"webostrum/core/media"
)

// Player is how an engine plays a delivery.
type Player struct {
	Engine  string
	Version string // that was tested here
	Plays   bool
	How     string
	Delay   time.Duration // that is expected

	Reported *Experience // by viewers' players; nil for nothing
}

// The engines that are tested.
const (
	Chromium = "Chromium"
	Firefox  = "Firefox"
	WebKit   = "WebKit"
)

var versions = map[string]string{Chromium: "156", Firefox: "153", WebKit: "2.50 (WebKitGTK)"}

// table is what the engines play, from the tests of this product (docs/browsers.md).
var table = map[Delivery]map[string]Player{
	HLS: {
		Chromium: {Plays: true, How: "by script; by itself too, from the oldest segment on"},
		Firefox:  {Plays: true, How: "by script"},
		WebKit:   {Plays: true, How: "by script here, a good two seconds behind: live fragments are steadier; Safari by itself"},
	},
	Fragments: {
		Chromium: {Plays: true, How: "by script"},
		Firefox:  {Plays: true, How: "by script"},
		WebKit:   {Plays: true, How: "by script, with 0.8 s in store"},
	},
	WebRTC: {
		Chromium: {Plays: true, How: "by itself"},
		Firefox:  {Plays: true, How: "with its H.264 plug-in, which it fetches by itself on the internet"},
		WebKit:   {Plays: false, How: "absent in WebKitGTK; Safari has it"},
	},
	MotionJPEG: {
		Chromium: {Plays: true, How: "as an image"},
		Firefox:  {Plays: true, How: "as an image"},
		WebKit:   {Plays: true, How: "as an image"},
	},
}

// Engines are those that are tested.
var Engines = []string{Chromium, Firefox, WebKit}

func playersOf(d Delivery, path Path, all []Experience) (list []Player) {
	for _, engine := range Engines {
		p := table[d][engine]
		path.Engine = engine
		p.Delay = Total(Delay(d, path))
		p.Engine, p.Version = engine, versions[engine]
		p.correct(all, d)
		list = append(list, p)
	}
	return list
}

// decodesOwn are what the engines decode beside H.264 and JPEG, of what was tested here, by
// a delivery.
var decodesOwn = map[string]map[Delivery][]media.Codec{
	Chromium: {WebRTC: {media.VP8}},
	Firefox:  {WebRTC: {media.VP8}, HLS: {media.H265}, Fragments: {media.H265}},
	WebKit:   {HLS: {media.H265}, Fragments: {media.H265}},
}

// AsIs says whether an engine plays a delivery at all, and whether a camera's video goes to
// it as it is; reordered says that it has B-frames.
func AsIs(engine string, d Delivery, codec media.Codec, reordered bool) (asIs, plays bool) {
	takes := decodesOwn[engine][d]
	v := VideoFor(d, codec, reordered, takes, Transcoder{Present: true})
	return !v.Transcode && (!v.Beside || slices.Contains(takes, codec)), table[d][engine].Plays
}
