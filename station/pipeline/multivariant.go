package pipeline

import (
	"context"
	"slices"
	"time"

	"webostrum/access"
	"webostrum/core/aac"
	"webostrum/core/fault"
	"webostrum/core/h264"
	"webostrum/core/hls"
	"webostrum/core/plan"
	"webostrum/core/rendition"
)

// Multivariant returns the multivariant playlist once there is something to play: the
// camera's own video, or what is made of it where HLS cannot carry that, and all H.264
// renditions; of a named rendition that alone. Renditions are made when a player asks for
// their own lists. Errors are as in Track.
func (p *Pipeline) Multivariant(ctx context.Context, name string) (*hls.Text, time.Duration, error) {
	track, first, err := p.first(ctx, name)
	if err != nil {
		return nil, 0, err
	}
	variants := []hls.Variant{first}
	if name == "" {
		variants = append(variants, p.ladder(first)...)
	}
	return hls.Multivariant(variants, p.audioVariant()), track.Target(), nil
}

// first is the track that players begin with, and what it turned out to be.
func (p *Pipeline) first(ctx context.Context, name string) (*hls.Track, hls.Variant, error) {
	lead, err := p.lead(ctx, name)
	if err != nil {
		return nil, hls.Variant{}, err
	}
	track, err := p.Track(ctx, lead)
	if err != nil {
		return nil, hls.Variant{}, err
	}
	v, ok := track.Measured()
	if !ok {
		return nil, v, fault.New(fault.FeedNotReady, nil, "The playlist has just gone.")
	}
	return track, v, nil
}

// lead is the rendition that players begin with.
// Lead is the track that players begin with, once it is known.
func (p *Pipeline) Lead(ctx context.Context) (string, error) { return p.lead(ctx, "") }

func (p *Pipeline) lead(ctx context.Context, name string) (string, error) {
	if name != "" || p.off(access.HLS) {
		return name, nil
	}
	codec, err := p.codec(ctx)
	if err != nil {
		return "", err
	}
	if p.hlsVideo(codec).Transcode {
		return Automatic, nil
	}
	return hls.Original, nil
}

// ladder is what is known of the renditions, the best first.
func (p *Pipeline) ladder(lead hls.Variant) (list []hls.Variant) {
	size := p.Size()
	for _, name := range p.offered() {
		q, err := p.videoRequest(name, plan.HLS)
		if err != nil {
			continue
		}
		if t := p.Made(name); t != nil {
			if v, ok := t.Measured(); ok {
				list = append(list, v)
				continue
			}
		}
		e, _ := q.Resolve(size[0], size[1])
		list = append(list, expected(name, e, lead.FrameRate))
	}
	slices.SortStableFunc(list, func(a, b hls.Variant) int { return int(b.Peak - a.Peak) })
	return list
}

// offered are the names of the renditions beside that which players begin with.
func (p *Pipeline) offered() (names []string) {
	if codec := p.Codec(); codec != "" && p.hlsVideo(codec).Beside {
		names = append(names, Automatic)
	}
	for _, r := range p.cfg.Record().Renditions {
		names = append(names, r.Name)
	}
	return names
}

// expected is what a rendition will be.
func expected(name string, e rendition.Encoding, cameraRate float64) hls.Variant {
	const headroom = 1.25 // as of what is measured
	rate := cameraRate
	if e.FrameRate > 0 {
		rate = min(rate, e.FrameRate)
	}
	return hls.Variant{
		Name: name, Codecs: h264.CodecString(e.Profile == rendition.Main, h264.LevelFor(e.Width, e.Height, rate, e.BitRate)),
		Width: e.Width, Height: e.Height, FrameRate: rate, Peak: headroom * float64(e.BitRate), Average: float64(e.BitRate),
	}
}

// audioVariant is the audio that the renditions share; nil for none.
func (p *Pipeline) audioVariant() *hls.Variant {
	camera := p.input.track.Load()
	a := p.AudioPlan(plan.HLS)
	if camera == nil || a.Codec == "" {
		return nil
	}
	if t := p.Made(hls.Audio); t != nil {
		if v, ok := t.Measured(); ok {
			return &v
		}
	}
	track, bits := camera, 128_000.0
	if a.Transcode {
		var e rendition.AudioEncoding
		e, track = rendition.AudioFor(camera, a.Codec)
		bits = float64(e.BitRate)
	}
	c, err := aac.ParseConfig(track.AAC)
	if err != nil {
		return nil
	}
	return &hls.Variant{Name: hls.Audio, Codecs: c.CodecString(), Channels: track.Channels, Peak: bits, Average: bits}
}
