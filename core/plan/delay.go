package plan

import (
	"fmt"
	"time"
)

// Part is one part of a delivery's delay.
type Part struct {
	Name   string
	Length time.Duration // on average
	Why    string
}

// Path is what is known of a feed's way to viewers.
type Path struct {
	Arrival   time.Duration // from a picture's capture, by the camera's time, to its arrival
	FrameRate float64       // frames a second; 0 when not known
	Segment   time.Duration // target duration of the HLS list, or the wanted one as long as there is none
	Part      time.Duration // of low-latency HLS; 0 for none
	Within    time.Duration // how far behind the picture may be; 0 is whatever is cheapest
	Audio     bool          // it goes with the video where it is asked for
	Listen    bool          // viewers listen; players begin muted, and leave audio out where they can
	Engine    string        // of the viewer; empty is Chromium
	Transcode bool          // the video is transcoded
}

const (
	// holdBack is how many target durations from its end players begin to play a list
	// (RFC 8216, 6.3.3).
	holdBack = 3

	// What the player and the network on the same machine take, measured in Chromium 156
	// (docs/bench.md).
	fetching     = 20 * time.Millisecond  // asking for a part, and giving it to the engine
	segmentFetch = 450 * time.Millisecond // asking for a list, then for a segment
	chunkFetch   = 10 * time.Millisecond  // giving a fragment to the engine
	decodes      = 5 * time.Millisecond
	jitterBuffer = 4 * time.Millisecond
	encoding     = 5 * time.Millisecond

	leastAhead      = 100 * time.Millisecond
	leastAheadAudio = 150 * time.Millisecond // audio is decoded in larger units
	wishShare       = 0.8                    // of the delay that is wished for is what is aimed at
)

// Ahead is how much a player keeps in store by a delivery: as much as the delay that is
// wished for leaves room for, so that a line that falters is not noticed.
func Ahead(d Delivery, p Path) time.Duration {
	least := leastAhead
	if p.Audio {
		least = leastAheadAudio // live fragments have none until it is to be heard
	}
	if d != HLS || p.Part == 0 {
		return least
	}
	room := time.Duration(wishShare*float64(p.Within)) - p.Part - p.before() - fetching - decodes
	return max(least, room.Truncate(10*time.Millisecond))
}

// keptAtLeast is what players have in store on average where less is wished for: with audio,
// for whose device an engine fills a buffer of its own first, and in WebKit, whose rate is
// left alone and which gets unsteady with less (web/player/keeper.ts).
const (
	leastKeptAudio    = 265 * time.Millisecond // Chromium
	leastKeptFirefox  = 215 * time.Millisecond // with audio
	leastKeptWebKit   = 1200 * time.Millisecond
	leastKeptWebKitLL = 2000 * time.Millisecond // low-latency HLS
)

// kept is what a player of the viewer's engine has in store on average.
func kept(d Delivery, p Path) time.Duration {
	least := time.Duration(0)
	switch {
	case p.Engine == WebKit && d == HLS:
		least = leastKeptWebKitLL
	case p.Engine == WebKit:
		least = leastKeptWebKit
	case p.Audio && p.Engine == Firefox:
		least = leastKeptFirefox
	case p.Audio:
		least = leastKeptAudio
	}
	return max(Ahead(d, p), least)
}

// before is what no delivery can avoid.
func (p Path) before() time.Duration { return p.Arrival + p.shown() }

// shown is how old a picture is on average while it is on show.
func (p Path) shown() time.Duration {
	if p.FrameRate <= 0 {
		return 0
	}
	return time.Duration(float64(time.Second) / p.FrameRate / 2)
}

// Delay lists the parts of a delivery's delay, on a network that takes no time.
func Delay(d Delivery, p Path) []Part {
	var parts []Part
	add := func(name string, length time.Duration, why string) {
		if length > 0 {
			parts = append(parts, Part{name, length, why})
		}
	}
	add("camera and network", p.Arrival, "measured: from capture, by the camera's time, to arrival here")
	add("picture on show", p.shown(), "a picture stays until the next comes; half of that on average")
	if p.Transcode {
		add("transcoding", encoding, "decoding and encoding a picture, while the processor keeps up")
	}
	switch {
	case d == HLS && p.Part > 0:
		add("part in the making", p.Part, "a part can be fetched once it is whole")
		add("player's store", kept(d, p), "what the player keeps ahead, so that a line that falters is not noticed")
		add("fetching", fetching, "asking for the part, and giving it to the browser")
	case d == HLS:
		add("segment in the making", p.Segment/2, "a segment can be fetched once it is whole; half of it on average")
		add("hold-back", holdBack*p.Segment, fmt.Sprintf("players begin %d target durations before the end of the list", holdBack))
		add("fetching", segmentFetch, "asking for the list, then for the segment")
	case d == Fragments:
		p.Audio = p.Audio && p.Listen // it is asked for by those who listen alone
		add("player's store", kept(d, p), "what the player keeps ahead, so that a line that falters is not noticed; more with sound")
		add("fetching", chunkFetch, "giving a fragment to the browser")
	case d == WebRTC:
		add("jitter buffer", jitterBuffer, "what the browser holds back to even out the network")
	}
	add("decoding", decodes, "by the browser, until the picture is on the screen")
	return parts
}

// Total is the length of all parts.
func Total(parts []Part) (sum time.Duration) {
	for _, p := range parts {
		sum += p.Length
	}
	return sum
}
