package pipeline

import (
	"errors"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/projection"
	"webostrum/core/rendition"
	"webostrum/store"
	"webostrum/transcode"
)

// Automatic is the name of the rendition that is made for HLS of a camera whose
// frames HLS cannot carry.
const Automatic = "automatic"

// renditionOf returns a feed's rendition of a name, without its number; nothing when
// there is none.
func renditionOf(r store.Feed, name string) (found store.Rendition) {
	for _, x := range r.Renditions {
		if x.Name == name {
			found = x
			found.ID = 0
		}
	}
	return found
}

// request says what a rendition's name stands for.
func (p *Pipeline) request(name string) (transcode.Request, error) {
	record := p.cfg.Record()
	if name == Automatic {
		return Request(store.Rendition{Codec: string(media.H264)}, record)
	}
	if r := renditionOf(record, name); r.Name != "" {
		return Request(r, record)
	}
	return transcode.Request{}, fault.New(fault.RenditionUnknown, nil, "asked for %.60q", name)
}

// videoRequest is request for a delivery that carries H.264 alone.
func (p *Pipeline) videoRequest(name string, d plan.Delivery) (transcode.Request, error) {
	r, err := p.request(name)
	if err == nil && r.Codec != media.H264 {
		return r, fault.New(fault.RenditionUnfit, nil, "%s is JPEG, which %s does not carry; ask for mjpeg?rendition=%s", name, d.Name(), name)
	}
	return r, err
}

// Request is what a feed's rendition asks for; the error says what is wrong with it.
// Keyframes come where segments begin, and more often only if that is asked for; {place}
// in its text is the feed's title.
func Request(r store.Rendition, feed store.Feed) (transcode.Request, error) {
	size, err := rendition.ParseSize(r.Size)
	if err != nil {
		return transcode.Request{}, err
	}
	q := transcode.Request{Rendition: rendition.Rendition{
		Codec: media.Codec(r.Codec), Size: size, FrameRate: r.FrameRate, BitRate: r.BitRate, KeySeconds: r.KeySeconds,
		Profile: rendition.Profile(r.Profile), Quality: r.Quality,
	}}
	if q.KeySeconds == 0 && q.Codec == media.H264 {
		const never = 2 // segments: they begin with one anyway
		q.KeySeconds = never * Lengths(feed).Segment.Seconds()
	}
	if r.View != "" {
		if feed.Projection == "" {
			return q, errFlat
		}
		if q.View, err = projection.ParseView(r.View, projection.Kind(feed.Projection), feed.FieldOfView); err != nil {
			return q, err
		}
	}
	if r.Text != "" {
		q.Text = &rendition.Text{Template: r.Text, Place: feed.Title, Corner: rendition.Corner(r.TextCorner), Size: r.TextSize}
	}
	return q, q.Validate()
}

var errFlat = errors.New("the feed's picture is flat, so there is no view to cut out: set how it is projected first")

// use has a named rendition made, whatever strangers have made at present.
func (p *Pipeline) use(r transcode.Request) (*transcode.Output, error) {
	o, err := p.video.Use(r, transcode.MostOutputs)
	if err != nil {
		return nil, transcodingFault(err)
	}
	return o, nil
}
