package api

import (
	"context"
	"fmt"
	"slices"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/station/pipeline"
	"webostrum/store"
)

func transcodingView(s station.Status) apitypes.Transcoding {
	c := s.Costs
	return apitypes.Transcoding{
		Missing: s.Missing, Running: c.Running, Memory: c.Memory, Processor: c.Processor, Decoding: c.Decoding,
		Dropped: c.Dropped, Undecoded: c.Undecoded, Restarts: c.Restarts, LastError: c.LastError,
	}
}

func renditionViews(s station.Status) []apitypes.Rendition {
	views := []apitypes.Rendition{}
	if s.Codec == media.JPEG {
		automatic := store.Rendition{Name: pipeline.Automatic, Codec: string(media.H264)}
		v := renditionView(s, automatic)
		v.Automatic = true
		views = append(views, v)
	}
	for _, r := range s.Record.Renditions {
		views = append(views, renditionView(s, r))
	}
	return views
}

func renditionView(s station.Status, r store.Rendition) apitypes.Rendition {
	v := apitypes.Rendition{NewRendition: apitypes.NewRendition{
		Name: r.Name, Codec: r.Codec, Size: r.Size, FrameRate: r.FrameRate, BitRate: r.BitRate, KeyframeSeconds: r.KeySeconds,
		Profile: r.Profile, Quality: r.Quality, Text: r.Text, TextCorner: r.TextCorner, TextSize: r.TextSize, View: r.View,
	}}
	v.Path = fmt.Sprintf("/media/%s/hls/%s.m3u8", s.Record.Name, r.Name)
	if r.Codec == string(media.JPEG) {
		v.Path = fmt.Sprintf("/media/%s/mjpeg?rendition=%s", s.Record.Name, r.Name)
	}
	w, err := pipeline.Request(r, s.Record)
	if err != nil {
		v.Note = err.Error()
		return v
	}
	if s.Width > 0 {
		var e rendition.Encoding
		e, v.Note = w.Resolve(s.Width, s.Height)
		v.OutWidth, v.OutHeight = e.Width, e.Height
	}
	for _, o := range s.Costs.Outputs {
		if o.Request.Key() == w.Key() {
			v.Running, v.Users, v.Share, v.OutFrameRate = true, o.Users, o.Share, o.FrameRate
		}
	}
	return v
}

type renditionPath struct {
	Name      string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Rendition string `path:"rendition" maxLength:"40" doc:"Name of the rendition" example:"small"`
}

type renditionOutput struct{ Body apitypes.Rendition }

const mostRenditions = 12

var errNoRendition = problem.Of(fault.New(fault.RenditionUnknown, nil, ""))

func (a *API) addRendition(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Body apitypes.NewRendition
}) (*renditionOutput, error) {
	b := in.Body
	r := recordOf(b)
	if slices.Contains([]string{hls.Original, pipeline.Automatic, "index"}, b.Name) {
		return nil, refused("name", fmt.Sprintf("%q has a meaning of its own here; choose another name", b.Name))
	}
	return a.changed(ctx, in.Name, b.Name, "rendition "+b.Name+" was added", func(f *store.Feed) error {
		switch {
		case slices.ContainsFunc(f.Renditions, func(x store.Rendition) bool { return x.Name == b.Name }):
			return taken("the feed has a rendition of that name")
		case len(f.Renditions) >= mostRenditions:
			return refused("name", fmt.Sprintf("a feed can have %d renditions; remove one first", mostRenditions))
		}
		if err := complete(&r, *f); err != nil {
			return err
		}
		f.Renditions = append(f.Renditions, r)
		return nil
	})
}

const defaultTextSize = 5

// complete fills in what a text needs, and checks a rendition.
func complete(r *store.Rendition, feed store.Feed) error {
	if r.Text != "" {
		if r.TextCorner == "" {
			r.TextCorner = string(rendition.BottomLeft)
		}
		if r.TextSize == 0 {
			r.TextSize = defaultTextSize
		}
	}
	if _, err := rendition.ParseSize(r.Size); err != nil {
		return refused("size", err.Error())
	}
	if _, err := pipeline.Request(*r, feed); err != nil {
		return answerFor(fault.New(fault.Input, err, "%v", err))
	}
	return nil
}

// changed edits a feed and shows one of its renditions.
func (a *API) changed(ctx context.Context, feed, rendition, what string, change func(*store.Feed) error) (*renditionOutput, error) {
	f, err := a.by(ctx).Edit(feed, what, change)
	if err != nil {
		return nil, answerFor(err)
	}
	for _, v := range renditionViews(f.Status()) {
		if v.Name == rendition {
			return &renditionOutput{v}, nil
		}
	}
	return nil, errNoRendition
}

func (a *API) editRendition(ctx context.Context, in *struct {
	Name      string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Rendition string `path:"rendition" maxLength:"40" doc:"Name of the rendition" example:"small"`
	Body      apitypes.RenditionChange
}) (*renditionOutput, error) {
	return a.changed(ctx, in.Name, in.Rendition, "rendition "+in.Rendition+" was edited", func(f *store.Feed) error {
		i := slices.IndexFunc(f.Renditions, func(x store.Rendition) bool { return x.Name == in.Rendition })
		if i < 0 {
			return errNoRendition
		}
		applyRendition(in.Body, &f.Renditions[i])
		return complete(&f.Renditions[i], *f)
	})
}

func applyRendition(c apitypes.RenditionChange, r *store.Rendition) {
	set(&r.Size, c.Size)
	set(&r.FrameRate, c.FrameRate)
	set(&r.BitRate, c.BitRate)
	set(&r.KeySeconds, c.KeyframeSeconds)
	set(&r.Profile, c.Profile)
	set(&r.Quality, c.Quality)
	set(&r.Text, c.Text)
	set(&r.TextCorner, c.TextCorner)
	set(&r.TextSize, c.TextSize)
	set(&r.View, c.View)
}

func (a *API) removeRendition(ctx context.Context, in *renditionPath) (*struct{}, error) {
	_, err := a.by(ctx).Edit(in.Name, "rendition "+in.Rendition+" was removed", func(f *store.Feed) error {
		before := len(f.Renditions)
		f.Renditions = slices.DeleteFunc(f.Renditions, func(x store.Rendition) bool { return x.Name == in.Rendition })
		if len(f.Renditions) == before {
			return errNoRendition
		}
		return nil
	})
	return nil, answerFor(err)
}

func set[T any](field *T, value *T) {
	if value != nil {
		*field = *value
	}
}
