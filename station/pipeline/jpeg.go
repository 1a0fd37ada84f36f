package pipeline

import (
	"context"

	"webostrum/core/fault"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/transcode"
)

// JPEGRequest is how somebody asks for a feed's frames as JPEG. Zero values follow the
// feed's settings, and those the camera.
type JPEGRequest struct {
	Rendition string // of JPEG; nothing else is looked at then
	Size      rendition.Size
	FrameRate float64 // fps at most
	Quality   int     // 1 to 100
	Text      string  // drawn in the lower left corner, as rendition.Text.Template

	// Stranger is somebody whom nobody has let in. Strangers get the nearest of a few
	// sizes and qualities, so that they share what is made, and leave room for others.
	Stranger bool
}

// JPEG is a feed's frames as JPEG, for one viewer. Release it.
type JPEG struct {
	Hub       *hub.Hub
	FrameRate float64 // fps to be passed on; 0 means all
	Release   func()
}

const usualText = 4 // hundredths of the picture's height

const (
	// largestUnasked is the side up to which viewers may have frames made larger than
	// the camera's.
	largestUnasked = 1920

	// Of 12 outputs of a feed, so many are for renditions alone, and so many more for
	// those who have been let in.
	mostByViewers   = 8
	mostByStrangers = 4
)

// What strangers get.
var (
	widths    = []int{320, 640, 960, 1280, 1920} // pixels
	qualities = []int{50, 80}
)

// JPEG opens a feed's frames as JPEG: the camera's own if it sends JPEG and nothing else
// is asked for, else transcoded. It waits for the camera until ctx ends. Errors are as in
// Playlist.
func (p *Pipeline) JPEG(ctx context.Context, q JPEGRequest) (*JPEG, error) {
	return p.jpeg(ctx, q, false)
}

// jpeg opens a feed's frames; once says that one of them will do, and that a keyframe
// will.
func (p *Pipeline) jpeg(ctx context.Context, q JPEGRequest, once bool) (*JPEG, error) {
	codec, err := p.codec(ctx)
	if err != nil {
		return nil, err
	}
	r, err := p.jpegRequest(q)
	if err != nil {
		return nil, err
	}
	rate := r.FrameRate
	if own := (rendition.Rendition{Codec: media.JPEG, FrameRate: rate}); codec == media.JPEG && r.Rendition == own {
		return &JPEG{Hub: p.input.video, FrameRate: rate, Release: func() {}}, nil
	}
	most := transcode.MostOutputs
	if q.Rendition == "" {
		if err := p.affordable(r); err != nil {
			return nil, err
		}
		most = mostByViewers
		if q.Stranger {
			most = mostByStrangers
			r = p.step(r)
		}
	}
	r.KeyframesOnly = once && codec != media.JPEG
	output, err := p.video.Use(r, most)
	if err != nil {
		return nil, transcodingFault(err)
	}
	if once {
		return &JPEG{Hub: output.Hub(), Release: output.Finish}, nil
	}
	return &JPEG{Hub: output.Hub(), FrameRate: rate, Release: output.Release}, nil
}

// step takes a stranger's request to the nearest that others share. The frame rate is
// seen to where it is sent.
func (p *Pipeline) step(r transcode.Request) transcode.Request {
	size := p.Size()
	e, _ := r.Resolve(size[0], size[1])
	if e.Width != size[0] {
		r.Size = rendition.Size{Width: nearest(widths, e.Width)}
	}
	r.Quality = nearest(qualities, e.Quality)
	r.FrameRate = 0
	return r
}

func nearest(steps []int, n int) int {
	best := steps[0]
	for _, s := range steps {
		if abs(s-n) < abs(best-n) {
			best = s
		}
	}
	return best
}

func abs(n int) int { return max(n, -n) }

// jpegRequest fills in what is not asked for.
func (p *Pipeline) jpegRequest(q JPEGRequest) (transcode.Request, error) {
	if q.Rendition != "" {
		r, err := p.request(q.Rendition)
		if err == nil && r.Codec != media.JPEG {
			err = fault.New(fault.RenditionUnfit, nil, "%s is H.264; ask for hls/%s.m3u8, or for a size with ?size=", q.Rendition, q.Rendition)
		}
		return r, err
	}
	record := p.cfg.Record()
	r := transcode.Request{Rendition: rendition.Rendition{Codec: media.JPEG, Size: q.Size, FrameRate: q.FrameRate, Quality: q.Quality}}
	if q.Text != "" {
		r.Text = &rendition.Text{Template: q.Text, Place: record.Title, Corner: rendition.BottomLeft, Size: usualText}
	}
	if r.Size == (rendition.Size{}) {
		r.Size, _ = rendition.ParseSize(record.PictureSize) // checked when it was set
	}
	if r.FrameRate == 0 {
		r.FrameRate = record.PictureRate
	}
	if r.Quality == 0 {
		r.Quality = record.PictureQuality
	}
	if err := r.Validate(); err != nil {
		return r, fault.New(fault.Input, err, "%v", err)
	}
	return r, nil
}

// affordable keeps viewers from having huge frames made.
func (p *Pipeline) affordable(r transcode.Request) error {
	size := p.Size()
	e, _ := r.Resolve(size[0], size[1])
	if e.Width <= max(size[0], largestUnasked) && e.Height <= max(size[1], largestUnasked) {
		return nil
	}
	return fault.New(fault.TooLarge, nil, "%dx%d asked, %dx%d comes in", e.Width, e.Height, size[0], size[1])
}
