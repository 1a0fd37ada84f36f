package plan

import (
	"fmt"
	"time"

	"webostrum/core/media"
)

const (
	goodKey      = time.Second
	longKey      = 4 * time.Second
	heavyPixel   = 0.25 // bits of a pixel: more than a still camera's picture needs
	lightPixel   = 0.1
	worthSaying  = 200 * time.Millisecond
	busyCores    = 0.7 // of all
	manyByWebRTC = 200
)

// advise says what would make it better, in the engineer's hands.
func (p *Plan) advise(s Source, d Demand, m Machine) {
	p.adviseKeyframes(s, d)
	p.adviseCoding(s, m)
	p.adviseBits(s, d)
	p.adviseMachine(d, m)
	p.adviseEngines(d)
}

// adviseEngines says what viewers' browsers could not play.
func (p *Plan) adviseEngines(d Demand) {
	for _, e := range d.Experience {
		why, fails := Fails(d.Experience, e.Engine, e.Delivery)
		if !fails {
			continue
		}
		do := fmt.Sprintf("Look at why %s (the last: %s).", why, e.Reason)
		p.add(0, do, fmt.Sprintf("Until then their players try %s last.", e.Delivery.Name()))
	}
}

func (p *Plan) add(saves time.Duration, do, gain string) {
	p.Advice = append(p.Advice, Advice{Do: do, Gain: gain, Saves: saves})
}

func (p *Plan) adviseKeyframes(s Source, d Demand) {
	if s.Codec.Intra() || s.KeyEvery <= goodKey {
		return
	}
	better := s
	better.KeyEvery = goodKey
	hls := p.Outlook(HLS)
	saves := Total(hls.Delay) - Total(Delay(HLS, p.path(HLS, better, d, hls)))
	do := fmt.Sprintf("Set the camera's keyframe interval to 1 s; it is %.1f s.", s.KeyEvery.Seconds())
	switch {
	case saves >= worthSaying:
		p.add(saves, do, fmt.Sprintf("HLS is %.1f s less behind, and pages show their first picture sooner.", saves.Seconds()))
	case s.KeyEvery >= longKey:
		p.add(0, do, fmt.Sprintf("Players that are not ours, and those that have lost something, wait up to %.0f s for a keyframe.", s.KeyEvery.Seconds()))
	}
}

func (p *Plan) adviseCoding(s Source, m Machine) {
	webrtc, hls := p.Outlook(WebRTC), p.Outlook(HLS)
	switch {
	case s.Codec == media.JPEG:
		p.add(0, "Have the camera send H.264, if it can.", fmt.Sprintf("Nothing has to be transcoded for HLS and WebRTC: %s.", cores(hls.Cores)))
	case s.Codec == media.H265:
		p.add(0, "Have the camera send H.264, if it can, or use a second stream of it that does.", fmt.Sprintf("Every browser gets it untouched: %s while somebody watches.", cores(hls.Cores)))
	case s.Codec == media.VP8:
		p.add(0, "Send from a browser that encodes H.264, such as Chrome, Edge or Safari.", fmt.Sprintf("Nothing has to be transcoded for HLS: %s.", cores(hls.Cores)))
	case s.Reordered:
		p.add(0, "Switch B-frames off in the camera (baseline profile, or what it calls low latency).", fmt.Sprintf("WebRTC gets the camera's own video: %s.", cores(webrtc.Cores)))
	}
	if hls.Audio.Transcode {
		p.add(0, fmt.Sprintf("Have the camera send AAC; it sends %s.", Name(s.Audio.Codec)), "Sound passes through, and whoever begins to listen need not wait for a transcoder.")
	}
	if !m.Present {
		for _, o := range p.Deliveries {
			if !o.Video.Possible {
				p.add(0, "Install the codec worker, webostrum-codecs, beside the service.", fmt.Sprintf("%s cannot be had without it: %s.", o.Delivery.Name(), o.Video.Why))
				return
			}
		}
	}
}

func cores(n float64) string { return fmt.Sprintf("about %.0f %% of a core less", 100*n) }

func (p *Plan) adviseBits(s Source, d Demand) {
	pixels := float64(s.Width*s.Height) * s.FrameRate
	if s.Codec == media.H264 && pixels > 0 && s.BitRate > heavyPixel*pixels {
		p.add(0, fmt.Sprintf("Lower the camera's bit rate from %.1f to some %.1f Mbit/s.", s.BitRate/million, lightPixel*pixels/million),
			"Still cameras need no more for this size and frame rate, and each viewer takes less.")
	}
	best := p.Outlook(p.Best)
	if d.Uplink <= 0 || best.Total <= d.Uplink {
		return
	}
	p.add(0, fmt.Sprintf("Let no more than %d watch at a time, or put a cache outside in front of HLS.", best.Most),
		fmt.Sprintf("%d viewers take %.1f Mbit/s, and %.1f leave the building.", d.Viewers, best.Total/million, d.Uplink/million))
	if n := len(p.Ladder); n > 0 {
		small := p.Ladder[n-1]
		p.add(0, fmt.Sprintf("Add the rendition %s (%s, %.1f Mbit/s).", small.Name, small.Size, float64(small.BitRate)/million),
			fmt.Sprintf("The same uplink carries %d viewers of it.", int(d.Uplink/float64(small.BitRate))))
	}
}

func (p *Plan) adviseMachine(d Demand, m Machine) {
	best := p.Outlook(p.Best)
	if m.Cores > 0 && best.Cores > busyCores*float64(m.Cores) {
		p.add(0, "Use a machine with more cores, or fewer pixels.", fmt.Sprintf("%s takes %.1f of the %d cores here.", best.Delivery.Name(), best.Cores, m.Cores))
	}
	if p.Best == WebRTC && d.Viewers > manyByWebRTC {
		p.add(0, "Let most viewers have low-latency HLS, and WebRTC those who operate something.", "HLS goes through caches; every WebRTC viewer is served from here.")
	}
}
