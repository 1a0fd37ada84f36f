package station

import (
	"cmp"
	"context"
	"net/http"
	"slices"
	"time"

	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
	"webostrum/deliver/problem"
	"webostrum/transcode"
)

// Wanted is how somebody wants a feed's pictures as JPEG. Zero values follow the
// feed's settings, and those the camera.
type Wanted struct {
	Rendition string // of JPEG; nothing else is looked at then
	Size      rendition.Size
	FrameRate float64 // frames a second at most
	Quality   int     // 1 to 100
}

// Pictures is a feed's pictures as JPEG, for one viewer. Release it.
type Pictures struct {
	Hub       *hub.Hub
	FrameRate float64 // frames a second to be passed on; 0 means all
	Release   func()
}

// mostUnasked is the side up to which viewers may have pictures made larger than
// the camera's.
const mostUnasked = 1920

// Pictures opens a feed's pictures as JPEG: the camera's own if it sends JPEG and
// nothing else is wanted, else transcoded. It waits for the camera until ctx ends.
// Errors are as in Open.
func (f *Feed) Pictures(ctx context.Context, w Wanted) (*Pictures, error) {
	return f.pictures(ctx, w, false)
}

// pictures opens a feed's pictures; once says that one of them will do, and that a
// keyframe will.
func (f *Feed) pictures(ctx context.Context, w Wanted, once bool) (*Pictures, error) {
	r := f.present()
	if r == nil {
		return nil, errOff
	}
	codec, err := r.codec(ctx)
	if err != nil {
		return nil, err
	}
	request, err := f.jpegRequest(w)
	if err != nil {
		return nil, err
	}
	rate := request.FrameRate
	if own := (rendition.Rendition{Codec: media.JPEG, FrameRate: rate}); codec == media.JPEG && request.Rendition == own {
		return &Pictures{Hub: r.hub, FrameRate: rate, Release: func() {}}, nil
	}
	if err := r.affordable(request); err != nil && w.Rendition == "" {
		return nil, err
	}
	request.KeyframesOnly = once && codec != media.JPEG
	output, err := r.transcoder.Use(request)
	if err != nil {
		return nil, cannotTranscode(err)
	}
	if once {
		return &Pictures{Hub: output.Hub(), Release: output.Finish}, nil
	}
	return &Pictures{Hub: output.Hub(), Release: output.Release}, nil
}

// jpegRequest fills in what is not asked for.
func (f *Feed) jpegRequest(w Wanted) (transcode.Request, error) {
	if w.Rendition != "" {
		request, err := f.request(w.Rendition)
		if err == nil && request.Codec != media.JPEG {
			err = problem.Problem{
				Status: http.StatusNotFound, Code: "rendition-not-jpeg", Detail: "That rendition is H.264, which cannot be shown as pictures.",
				Remedy: "Ask for hls/" + w.Rendition + ".m3u8, or for a size with ?size=.",
			}
		}
		return request, err
	}
	record := f.stored()
	request := transcode.Request{Rendition: rendition.Rendition{Codec: media.JPEG, Size: w.Size, FrameRate: w.FrameRate, Quality: w.Quality}}
	if request.Size == (rendition.Size{}) {
		request.Size, _ = rendition.ParseSize(record.PictureSize) // checked when it was set
	}
	if request.FrameRate == 0 {
		request.FrameRate = record.PictureRate
	}
	if request.Quality == 0 {
		request.Quality = record.PictureQuality
	}
	if err := request.Validate(); err != nil {
		return request, problem.Problem{Status: http.StatusUnprocessableEntity, Code: "input-refused", Detail: err.Error(), Remedy: "Ask for something else."}
	}
	return request, nil
}

// affordable keeps viewers from having huge pictures made.
func (r *run) affordable(w transcode.Request) error {
	size := r.feed.pictureSize()
	made, _ := w.Resolve(size[0], size[1])
	if made.Width <= max(size[0], mostUnasked) && made.Height <= max(size[1], mostUnasked) {
		return nil
	}
	return problem.Problem{
		Status: http.StatusUnprocessableEntity, Code: "input-refused", Detail: "That is larger than the camera's picture.",
		Remedy: "Ask for a smaller size, or have an engineer add a rendition of that size.",
	}
}

const mostStills = 16 // sizes kept

// Still returns a feed's latest picture as JPEG. With maxAge above zero one up to
// that old will do, which costs less: it need not be made anew, and of video only
// keyframes are decoded. It waits for the camera and for the picture until ctx
// ends. Errors are as in Open.
func (f *Feed) Still(ctx context.Context, w Wanted, maxAge time.Duration) (*media.Sample, error) {
	r := f.present()
	if r == nil {
		return nil, errOff
	}
	if s := r.kept(w, maxAge); s != nil {
		return s, nil
	}
	p, err := f.pictures(ctx, w, maxAge > 0)
	if err != nil {
		return nil, err
	}
	defer p.Release()
	s := p.Hub.Latest()
	if s == nil {
		reader := p.Hub.NewReader()
		defer reader.Close()
		if s, _, err = reader.Next(ctx); err != nil {
			return nil, err
		}
	}
	if f.Condition().State != StateLive && time.Since(s.Captured) > f.station.staleAfter {
		return nil, problem.Problem{Status: http.StatusServiceUnavailable, Code: "feed-not-ready", Detail: f.Waiting(), Remedy: "Ask again when the camera is back."}
	}
	r.keep(w, s)
	return s, nil
}

func (r *run) kept(key Wanted, maxAge time.Duration) *media.Sample {
	r.mu.Lock()
	defer r.mu.Unlock()
	if s := r.stills[key]; s != nil && time.Since(s.Captured) <= maxAge {
		return s
	}
	return nil
}

func (r *run) keep(key Wanted, s *media.Sample) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if _, known := r.stills[key]; !known && len(r.stills) >= mostStills {
		clear(r.stills)
	}
	r.stills[key] = s
}

func (r *run) forgetStills() {
	r.mu.Lock()
	defer r.mu.Unlock()
	clear(r.stills)
}

// Video is a feed's H.264 for one viewer, with its audio. Release it.
type Video struct {
	Hub     *hub.Hub
	Name    string // of the rendition; empty when it is the camera's own
	Why     string // why it is transcoded without having been asked for
	Audio   *Audio // nil for none
	Release func()
}

// Video opens a feed's video as browsers decode it by WebRTC: a rendition, or with
// the empty name the camera's own, transcoded if it is not H.264 or has reordered
// pictures. Audio comes with it where it is wanted and there is any. It waits for the
// camera until ctx ends. Errors are as in Open.
func (f *Feed) Video(ctx context.Context, rendition string, audio bool) (*Video, error) {
	v, err := f.video(ctx, rendition)
	r := f.present()
	if err != nil || !audio || r == nil {
		return v, err
	}
	camera := r.audioTrack.Load()
	if v.Audio = r.audioFor(f.audioPlan(plan.WebRTC, camera), camera); v.Audio != nil {
		picture := v.Release
		v.Release = func() { picture(); v.Audio.Release() }
	}
	return v, nil
}

func (f *Feed) video(ctx context.Context, rendition string) (*Video, error) {
	r := f.present()
	if r == nil {
		return nil, errOff
	}
	codec, err := r.codec(ctx)
	if err != nil {
		return nil, err
	}
	why := ""
	if rendition == "" || rendition == hls.Original {
		if why = f.unfit(codec); why == "" {
			return &Video{Hub: r.hub, Release: func() {}}, nil
		}
		rendition = Automatic
	}
	request, err := f.videoRequest(rendition, plan.WebRTC)
	if err != nil {
		return nil, err
	}
	output, err := r.transcoder.Use(request)
	if err != nil {
		return nil, cannotTranscode(err)
	}
	return &Video{Hub: output.Hub(), Name: rendition, Why: why, Release: output.Release}, nil
}

// Smaller lists the H.264 renditions that take clearly fewer bits than one, or than
// the camera's own video with the empty name; the largest first.
func (f *Feed) Smaller(rendition string) (names []string) {
	const share = 0.8 // of the bits
	most := f.Status().BitRate
	if rendition != "" {
		most = f.bits(rendition)
	}
	bits := map[string]float64{}
	for _, r := range f.stored().Renditions {
		if b := f.bits(r.Name); b > 0 && b <= share*most && r.Name != rendition {
			bits[r.Name], names = b, append(names, r.Name)
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(bits[b], bits[a]) })
	return names
}

// bits is what a rendition takes a second, or 0 when there is no such H.264.
func (f *Feed) bits(rendition string) float64 {
	w, err := f.request(rendition)
	if err != nil || w.Codec != media.H264 {
		return 0
	}
	size := f.pictureSize()
	made, _ := w.Resolve(size[0], size[1])
	return float64(made.BitRate)
}

// unfit says why browsers cannot decode the camera's own video by WebRTC.
func (f *Feed) unfit(codec media.Codec) string {
	session := f.session.Load()
	switch {
	case codec != media.H264:
		return "the camera sends JPEG, which WebRTC does not carry"
	case session != nil && (*session).Facts().B:
		return "the camera reorders pictures (B-frames), which browsers do not take by WebRTC"
	}
	return ""
}
