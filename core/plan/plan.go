package plan

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"webostrum/core/media"
	"webostrum/core/rendition"
)

// Source is what a camera sends, as an inspection or the running feed found it.
type Source struct {
	Codec     media.Codec
	Width     int // pixels
	Height    int
	FrameRate float64       // frames a second
	BitRate   float64       // bits a second, of video
	KeyEvery  time.Duration // from one keyframe to the next; 0 when not known
	Reordered bool          // it has B-frames
	Audio     *media.Track  // nil for none
	AudioMode AudioMode     // empty is Automatic
	Arrival   time.Duration // from capture to arrival; 0 when not known
}

// Demand is who will watch.
type Demand struct {
	Wish    Wish
	Viewers int
	Listen  bool    // they have the sound on
	Uplink  float64 // bits a second that may leave the building; 0 when not known

	Engines    []string     // that all of them have; empty for any
	Experience []Experience // of those who watched
}

// Machine is what can be done here.
type Machine struct {
	Transcoder
	Cores int
}

// Plan says what a feed will be like, delivery by delivery, and what would make it better.
type Plan struct {
	Lengths    Lengths
	Best       Delivery
	Why        string // why it is the best
	Deliveries []Outlook
	Ladder     []rendition.Step
	Advice     []Advice
}

// Outlook is what one delivery will be like.
type Outlook struct {
	Delivery  Delivery
	Video     Video
	Audio     Audio
	Container string
	Window    time.Duration // that an HLS list covers; else 0
	HoldBack  time.Duration // of players that are not ours; else 0
	Delay     []Part
	Bits      float64 // a second for each viewer
	Total     float64 // bits a second for all viewers
	Hour      float64 // bytes an hour for all viewers
	Month     float64 // bytes in 30 days for all viewers
	Most      int     // viewers that the uplink carries; 0 when it is not known
	Cores     float64 // of the processor: transcoding, and sending to all viewers
	Memory    float64 // bytes
	Keeps     bool    // the delay that was wished for
	Players   []Player
}

// Advice is something that an engineer can do.
type Advice struct {
	Do    string // a sentence, in the imperative
	Gain  string // what it brings; a sentence
	Saves time.Duration
}

// What this machine's like takes, from docs/bench.md: cores for a million pixels a second,
// and for a bit a second that is sent.
const (
	encodeH264 = 0.0060
	encodeJPEG = 0.0025
	sendWebRTC = 1.14e-9
	sendHTTP   = 0.08e-9
	workerSize = 70e6 // bytes
	viewerSize = 16e3 // bytes
	million    = 1e6
	hour       = 3600
	month      = 30 * 24 * hour
	bitsAByte  = 8
	jpegBits   = 1.2 // of a pixel, at the usual quality
	aacBits    = 128_000
	overhead   = 1.02 // of boxes and packet heads
)

// decoding is the cost by codec, as above.
var decoding = map[media.Codec]float64{media.H264: 0.0024, media.H265: 0.0370, media.JPEG: 0.0030, media.VP8: 0.0057}

// Make plans a feed.
func Make(s Source, d Demand, m Machine) Plan {
	d.Viewers = max(d.Viewers, 1)
	p := Plan{Lengths: d.Wish.Lengths(), Ladder: rendition.Ladder(s.Width, s.Height)}
	for _, delivery := range Deliveries {
		p.Deliveries = append(p.Deliveries, p.outlook(delivery, s, d, m))
	}
	p.choose(d)
	p.advise(s, d, m)
	return p
}

// Outlook returns what a delivery will be like.
func (p *Plan) Outlook(d Delivery) Outlook {
	for _, o := range p.Deliveries {
		if o.Delivery == d {
			return o
		}
	}
	return Outlook{}
}

func (p *Plan) outlook(d Delivery, s Source, want Demand, m Machine) Outlook {
	mode := s.AudioMode
	if mode == "" {
		mode = Automatic
	}
	o := Outlook{
		Delivery: d, Video: VideoFor(d, s.Codec, s.Reordered, nil, m.Transcoder), Audio: AudioFor(d, mode, s.Audio, m.Transcoder),
		Container: containers[d],
	}
	path := p.path(d, s, want, o)
	o.Players = playersOf(d, path, want.Experience)
	o.Delay = Delay(d, path)
	if d == HLS {
		o.Window = time.Duration(max(p.Lengths.Listed, coveredBy(path.Segment, p.Lengths.Segment))) * path.Segment
		o.HoldBack = holdBack * path.Segment
		if p.Lengths.Part > 0 {
			o.HoldBack = holdBack * p.Lengths.Part
		}
	}
	o.Bits = bitsOf(d, s, o)
	o.Total = o.Bits * float64(want.Viewers)
	o.Hour, o.Month = o.Total/bitsAByte*hour, o.Total/bitsAByte*month
	if want.Uplink > 0 {
		o.Most = int(want.Uplink / o.Bits)
	}
	o.Cores, o.Memory = cost(d, s, o, want)
	o.Keeps = want.Wish.Within == 0 || float64(Total(o.Delay)) <= hlsSlack*float64(want.Wish.Within)
	return o
}

// coveredBy is how many segments a list has at least: three of the target duration.
func coveredBy(segment, wanted time.Duration) int {
	if segment > wanted {
		return holdBack
	}
	return 0
}

// path is a delivery's way, with segments as long as the camera's keyframes let them be.
func (p *Plan) path(d Delivery, s Source, want Demand, o Outlook) Path {
	return Path{
		Arrival: s.Arrival, FrameRate: s.FrameRate, Segment: segmentOf(s, p.Lengths.Segment), Part: p.Lengths.Part,
		Within: want.Wish.Within, Audio: o.Audio.Codec != "", Listen: want.Listen, Transcode: o.Video.Transcode,
	}
}

// segmentOf is how long segments get: they begin at keyframes alone.
func segmentOf(s Source, wanted time.Duration) time.Duration {
	if s.Codec.Intra() || s.KeyEvery <= 0 {
		return wanted
	}
	n := math.Ceil(float64(wanted)/float64(s.KeyEvery) - 0.01)
	return time.Duration(max(1, n) * float64(s.KeyEvery))
}

var containers = map[Delivery]string{
	HLS:        "fragmented MP4 (CMAF) segments and playlists",
	Fragments:  "fragmented MP4 (CMAF), a chunk a frame, in one answer",
	WebRTC:     "RTP over DTLS-SRTP",
	MotionJPEG: "multipart/x-mixed-replace",
}

// bitsOf is what a viewer takes a second.
func bitsOf(d Delivery, s Source, o Outlook) float64 {
	bits := s.BitRate
	if o.Video.Transcode {
		e, _ := rendition.Rendition{Codec: o.Video.Codec, FrameRate: 0}.Resolve(max(s.Width, 1), max(s.Height, 1))
		bits = float64(e.BitRate)
		if d == MotionJPEG {
			bits = float64(s.Width*s.Height) * s.FrameRate * jpegBits
		}
	}
	if o.Audio.Codec != "" {
		bits += aacBits
	}
	return bits * overhead
}

// cost is what a delivery takes of the processor, in cores, and of memory, in bytes.
func cost(d Delivery, s Source, o Outlook, want Demand) (cores, memory float64) {
	send := sendHTTP
	if d == WebRTC {
		send = sendWebRTC
	}
	cores, memory = o.Total*send, float64(want.Viewers)*viewerSize
	if !o.Video.Transcode && !o.Video.Beside {
		return cores, memory
	}
	decode, encode := decoding[s.Codec], encodeH264
	if d == MotionJPEG {
		encode = encodeJPEG
	}
	pixels := float64(s.Width*s.Height) * s.FrameRate / million
	return cores + pixels*(decode+encode), memory + workerSize
}

// choose says which delivery is the best for most: that which a player tries first.
func (p *Plan) choose(d Demand) {
	hls, within := p.Outlook(HLS), d.Wish.Within
	c := Choice{Order: orders[Reach], Why: reasons[Reach]}
	switch {
	case within == 0:
	case hls.Keeps:
		c.Why = fmt.Sprintf("it keeps within the %g s asked for, plays everywhere and goes through caches", within.Seconds())
	default:
		c = Choice{Order: orders[LeastDelay], Why: fmt.Sprintf("HLS would be some %.1f s behind, %g s were asked for", Total(hls.Delay).Seconds(), within.Seconds())}
	}
	cannot := ""
	for _, delivery := range c.Order {
		o := p.Outlook(delivery)
		if !o.Video.Possible {
			continue
		}
		if engine := o.without(d.Engines); engine != "" {
			cannot = fmt.Sprintf("; %s does not play in %s", delivery.Name(), engine)
			continue
		}
		p.Best, p.Why = delivery, c.Why+cannot
		return
	}
	p.Best, p.Why = MotionJPEG, "nothing else plays in all of "+strings.Join(d.Engines, ", ")
}

// without is the first of some engines that does not play it; empty for none.
func (o Outlook) without(engines []string) string {
	for _, p := range o.Players {
		if !p.Plays && slices.Contains(engines, p.Engine) {
			return p.Engine
		}
	}
	return ""
}
