package pipeline

import (
	"cmp"
	"context"
	"slices"

	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
	"webostrum/transcode"
)

// Stream is a feed's video for one viewer, with its audio. Release it.
type Stream struct {
	Hub     *hub.Hub
	Codec   media.Codec
	Name    string // of the rendition; empty when it is the camera's own
	Why     string // why it is transcoded without having been asked for
	Audio   *Audio // nil for none
	Release func()
}

// Ask is how somebody asks for a feed's video, as browsers decode it, and its audio.
type Ask struct {
	Delivery  plan.Delivery // WebRTC or Fragments
	Rendition string        // empty for what suits the delivery
	Audio     bool
	Reordered bool          // the camera's own video has B-frames
	Takes     []media.Codec // that the viewer decodes beside H.264
}

// Stream opens a feed's video as browsers decode it by a delivery: a rendition, or the
// camera's own, transcoded where the delivery cannot carry it. Audio comes with it where it
// is asked for and there is any. It waits for the camera until ctx ends. Errors are as in
// Track.
func (p *Pipeline) Stream(ctx context.Context, q Ask) (*Stream, error) {
	v, err := p.stream(ctx, q)
	if err != nil || !q.Audio {
		return v, err
	}
	if v.Audio = p.openAudio(p.AudioPlan(q.Delivery), p.input.track.Load()); v.Audio != nil {
		video := v.Release
		v.Release = func() { video(); v.Audio.Release() }
	}
	return v, nil
}

func (p *Pipeline) stream(ctx context.Context, q Ask) (*Stream, error) {
	codec, err := p.codec(ctx)
	if err != nil {
		return nil, err
	}
	name, why := q.Rendition, ""
	if name == "" || name == hls.Original {
		v := plan.VideoFor(q.Delivery, codec, q.Reordered, q.Takes, p.transcoder())
		if !v.Transcode {
			return &Stream{Hub: p.input.video, Codec: codec, Release: func() {}}, nil
		}
		name, why = Automatic, v.Why
	}
	r, err := p.videoRequest(name, q.Delivery)
	if err != nil {
		return nil, err
	}
	output, err := p.use(r)
	if err != nil {
		return nil, err
	}
	return &Stream{Hub: output.Hub(), Codec: media.H264, Name: name, Why: why, Release: output.Release}, nil
}

// Transcodes says whether the camera's video has to be transcoded for a delivery; reordered
// says that it has B-frames.
func (p *Pipeline) Transcodes(d plan.Delivery, reordered bool) bool {
	codec := p.Codec()
	return codec != "" && plan.VideoFor(d, codec, reordered, nil, p.transcoder()).Transcode
}

// Smaller lists the H.264 renditions that take clearly fewer bits than one, or than
// the camera's own video, of bitRate bits a second, with the empty name; the largest
// first.
func (p *Pipeline) Smaller(name string, bitRate float64) (names []string) {
	const share = 0.8 // of the bits
	most := bitRate
	if name != "" {
		most = p.bits(name)
	}
	bits := map[string]float64{}
	for _, r := range p.cfg.Record().Renditions {
		if b := p.bits(r.Name); b > 0 && b <= share*most && r.Name != name {
			bits[r.Name], names = b, append(names, r.Name)
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(bits[b], bits[a]) })
	return names
}

// bits is what a rendition takes a second, or 0 when there is no such H.264.
func (p *Pipeline) bits(name string) float64 {
	r, err := p.request(name)
	if err != nil || r.Codec != media.H264 {
		return 0
	}
	size := p.Size()
	e, _ := r.Resolve(size[0], size[1])
	return float64(e.BitRate)
}

// Padded opens a feed's video as H.264 of exactly a size, in which it can follow that of
// other feeds. Errors are as in Track.
func (p *Pipeline) Padded(ctx context.Context, size rendition.Size, rate float64) (*Stream, error) {
	if _, err := p.codec(ctx); err != nil {
		return nil, err
	}
	const keySeconds = 1 // so that switching does not take long
	output, err := p.use(transcode.Request{Rendition: rendition.Rendition{Codec: media.H264, Size: size, FrameRate: rate, KeySeconds: keySeconds, Pad: true}})
	if err != nil {
		return nil, err
	}
	return &Stream{Hub: output.Hub(), Codec: media.H264, Name: "padded", Release: output.Release}, nil
}
