package api

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/fault"
	core "webostrum/core/onvif"
	"webostrum/onvif"
	"webostrum/station"
)

type controlsOutput struct{ Body apitypes.CameraControls }

func (a *API) deviceOperations(h huma.API) {
	const ok, none = http.StatusOK, http.StatusNoContent
	huma.Register(h, operation("GET", "/feeds/{name}/camera", "camera-controls", "What a feed's camera can be set to, and is", needsEngineer, ok), a.cameraControls)
	huma.Register(h, operation("PATCH", "/feeds/{name}/camera/video", "set-camera-video", "Change how a feed's camera codes", needsEngineer, ok), a.setCameraVideo)
	huma.Register(h, operation("PATCH", "/feeds/{name}/camera/picture", "set-camera-picture", "Change how a feed's camera sets its picture", needsEngineer, ok), a.setCameraPicture)
	huma.Register(h, operation("POST", "/feeds/{name}/camera/move", "move-camera", "Move a feed's camera", needsEngineer, none), a.moveCamera)
	huma.Register(h, operation("POST", "/feeds/{name}/camera/follow", "follow-camera", "Search for a feed's camera, and set the feed to where it is", needsEngineer, ok), a.followCamera)
	huma.Register(h, operation("POST", "/feeds/{name}/camera/keyframe", "camera-keyframe", "Ask a feed's camera for a keyframe", needsEngineer, none), a.cameraKeyframe)
}

// withDevice does something with a feed's ONVIF device, as many at a time as there may be
// inspections.
func (a *API) withDevice(ctx context.Context, name string, act func(context.Context, *onvif.Device) error) error {
	f, err := a.station.Get(name)
	if err != nil {
		return answerFor(err)
	}
	d, err := f.Device()
	if err != nil {
		return answerFor(err)
	}
	select {
	case a.inspections <- struct{}{}:
		defer func() { <-a.inspections }()
	case <-ctx.Done():
		return ctx.Err()
	}
	ctx, cancel := context.WithTimeoutCause(ctx, deviceTime, fault.New(fault.SlowAnswer, nil, "all its answers took longer than %v", deviceTime))
	defer cancel()
	return answerFor(act(ctx, d))
}

func (a *API) cameraControls(ctx context.Context, in *feedPath) (*controlsOutput, error) {
	var out onvif.Controls
	err := a.withDevice(ctx, in.Name, func(ctx context.Context, d *onvif.Device) (err error) {
		out, err = d.Controls(ctx)
		return err
	})
	return controls(out, err)
}

func controls(c onvif.Controls, err error) (*controlsOutput, error) {
	if err != nil {
		return nil, err
	}
	return &controlsOutput{controlsView(c)}, nil
}

func (a *API) setCameraVideo(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Body apitypes.VideoChange
}) (*controlsOutput, error) {
	b := in.Body
	if b == (apitypes.VideoChange{}) {
		return nil, refused("", "name something to change, such as {\"keyframeSeconds\": 1}")
	}
	change := onvif.VideoChange{Codec: b.Codec, FrameRate: b.FrameRate, KeyEvery: b.KeyframeEvery}
	if width, height, ok := strings.Cut(b.Size, "x"); ok {
		change.Width, _ = strconv.Atoi(width) // the schema has looked at it
		change.Height, _ = strconv.Atoi(height)
	}
	if b.BitRate != nil {
		kilobits := int(*b.BitRate/1000 + 0.5)
		change.Kilobits = &kilobits
	}
	var out onvif.Controls
	err := a.withDevice(ctx, in.Name, func(ctx context.Context, d *onvif.Device) (err error) {
		out, err = d.SetVideo(ctx, change)
		return err
	})
	if err == nil {
		e := out.Encoder
		a.by(ctx).Note(in.Name, station.EventChange, fmt.Sprintf("the camera was set by ONVIF: %s, %dx%d, %g fps, %d kbit/s, a keyframe every %d frames", e.Codec, e.Width, e.Height, e.FrameRate, e.Kilobits, e.Group))
	}
	return controls(out, err)
}

// pictureNames are the API's names of settings of the picture.
var pictureNames = map[core.ImageSetting]string{core.Brightness: "brightness", core.Saturation: "saturation", core.Contrast: "contrast", core.Sharpness: "sharpness"}

func (a *API) setCameraPicture(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Body apitypes.PictureChange
}) (*controlsOutput, error) {
	changes := map[core.ImageSetting]float64{}
	for name, v := range map[core.ImageSetting]*float64{core.Brightness: in.Body.Brightness, core.Saturation: in.Body.Saturation, core.Contrast: in.Body.Contrast, core.Sharpness: in.Body.Sharpness} {
		if v != nil {
			changes[name] = *v
		}
	}
	if len(changes) == 0 && in.Body.Filter == "" {
		return nil, refused("", "name something to change, such as {\"brightness\": 60}")
	}
	var out onvif.Controls
	err := a.withDevice(ctx, in.Name, func(ctx context.Context, d *onvif.Device) (err error) {
		out, err = d.SetImage(ctx, changes, in.Body.Filter)
		return err
	})
	if err == nil {
		a.by(ctx).Note(in.Name, station.EventChange, "the camera's picture was set by ONVIF")
	}
	return controls(out, err)
}

func (a *API) moveCamera(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Body apitypes.CameraMove
}) (*struct{}, error) {
	m := in.Body
	if m == (apitypes.CameraMove{}) {
		return nil, refused("", "where to? {\"preset\": \"Gate\"}, or {\"pan\": 0.1}")
	}
	return nil, a.withDevice(ctx, in.Name, func(ctx context.Context, d *onvif.Device) error {
		return d.Move(ctx, m.Preset, m.Pan, m.Tilt, m.Zoom)
	})
}

func (a *API) cameraKeyframe(ctx context.Context, in *feedPath) (*struct{}, error) {
	return nil, a.withDevice(ctx, in.Name, func(ctx context.Context, d *onvif.Device) error { return d.Keyframe(ctx) })
}

// followCamera answers once the camera was found or not.
func (a *API) followCamera(ctx context.Context, in *feedPath) (*feedOutput, error) {
	if err := a.by(ctx).Follow(ctx, in.Name); err != nil {
		return nil, answerFor(err)
	}
	f, err := a.station.Get(in.Name)
	return a.output(ctx, f, err)
}

func controlsView(c onvif.Controls) apitypes.CameraControls {
	e := c.Encoder
	v := apitypes.CameraControls{
		Video:   apitypes.CameraVideo{Codec: e.Codec, Profile: e.Profile, Width: e.Width, Height: e.Height, FrameRate: e.FrameRate, BitRate: 1000 * float64(e.Kilobits)},
		Options: []apitypes.VideoOptions{}, Moves: c.Moves, Presets: []apitypes.CameraPreset{}, Picture: []apitypes.PictureLevel{}, Notes: append([]string{}, c.Notes...),
	}
	if e.Group > 0 && e.FrameRate > 0 {
		v.Video.KeyframeEvery = time.Duration(float64(e.Group*max(e.Interval, 1)) / e.FrameRate * float64(time.Second)).Seconds()
	}
	for _, o := range c.Options {
		view := apitypes.VideoOptions{
			Codec: o.Codec, Sizes: []string{}, LeastRate: o.FrameRate.Least, MostRate: o.FrameRate.Most, LeastBits: 1000 * o.Kilobits.Least, MostBits: 1000 * o.Kilobits.Most,
			LeastKeyframe: o.Group.Least, MostKeyframe: o.Group.Most,
		}
		for _, s := range o.Sizes {
			view.Sizes = append(view.Sizes, fmt.Sprintf("%dx%d", s[0], s[1]))
		}
		v.Options = append(v.Options, view)
	}
	for _, p := range c.Presets {
		v.Presets = append(v.Presets, apitypes.CameraPreset{Token: p.Token, Name: p.Name})
	}
	if c.Image == nil {
		return v
	}
	for _, name := range core.ImageSettings {
		if r, ok := c.Image.Ranges[name]; ok {
			v.Picture = append(v.Picture, apitypes.PictureLevel{Name: pictureNames[name], Value: c.Image.Values[name], Least: r.Least, Most: r.Most})
		}
	}
	if len(c.Image.Filters) > 0 {
		v.Filter = &apitypes.InfraredFilter{Mode: c.Image.Filter, Modes: c.Image.Filters}
	}
	return v
}
