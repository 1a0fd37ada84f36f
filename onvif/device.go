package onvif

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"webostrum/core/fault"
	"webostrum/core/onvif"
)

// Device is a camera behind a feed: one of its profiles, which it is asked for keyframes,
// set and moved by. It is met at the first use, and anew after anything has failed. It is
// safe for concurrent use; one thing is done at a time.
type Device struct {
	cfg     Config
	profile string

	turn   chan struct{} // holds one while nobody is at it
	camera *camera       // nil as long as it was not met; with the turn
	found  *Profile      // with the turn
}

// Open makes a Device of a profile's token. Nothing is asked yet. Close it.
func Open(cfg Config, profile string) *Device {
	d := &Device{cfg: cfg, profile: profile, turn: make(chan struct{}, 1)}
	d.turn <- struct{}{}
	return d
}

// Close lets its connections go, after what is going on.
func (d *Device) Close() {
	<-d.turn
	d.part()
	d.turn <- struct{}{}
}

func (d *Device) part() {
	if d.camera != nil {
		d.camera.http.Close()
		d.camera, d.found = nil, nil
	}
}

// with does something with the camera; what it was told before is forgotten when that fails.
func (d *Device) with(ctx context.Context, act func(*camera, *Profile) error) error {
	select {
	case <-d.turn:
		defer func() { d.turn <- struct{}{} }()
	case <-ctx.Done():
		return context.Cause(ctx)
	}
	err := d.meet(ctx)
	if err == nil {
		err = act(d.camera, d.found)
	}
	if err != nil {
		d.part()
	}
	return told(err)
}

func (d *Device) meet(ctx context.Context) error {
	if d.camera != nil {
		return nil
	}
	d.camera = newCamera(d.cfg)
	if err := d.camera.findClock(ctx); err != nil {
		return err
	}
	if err := d.camera.findServices(ctx); err != nil {
		return err
	}
	return d.read(ctx)
}

// read reads the profile anew.
func (d *Device) read(ctx context.Context) error {
	profiles, err := d.camera.profiles(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(profiles, func(p Profile) bool { return p.Token == d.profile })
	if i < 0 {
		return fault.New(fault.ProfileGone, nil, "it has no profile %q any more", d.profile)
	}
	d.found = &profiles[i]
	return nil
}

// StreamAddress asks anew where the profile's stream is; rtsp://, without credentials.
func (d *Device) StreamAddress(ctx context.Context) (address string, err error) {
	err = d.with(ctx, func(*camera, *Profile) error {
		err := d.read(ctx)
		if err == nil {
			address = d.found.Stream
		}
		return err
	})
	return address, err
}

// Keyframe asks for a keyframe in the profile's streams.
func (d *Device) Keyframe(ctx context.Context) error {
	return d.with(ctx, func(c *camera, p *Profile) error {
		_, err := c.ask(ctx, c.services[p.Service], onvif.SetSynchronizationPoint(p.Service, p.Token), true)
		return err
	})
}

// Controls are what a camera can be set to, and is.
type Controls struct {
	Encoder onvif.Encoder
	Options []onvif.EncoderOptions // by codec
	Moves   bool
	Presets []onvif.Preset
	Image   *onvif.Image // nil where the camera does not have it
	Notes   []string
}

// Controls reads them.
func (d *Device) Controls(ctx context.Context) (out Controls, err error) {
	err = d.with(ctx, func(c *camera, _ *Profile) error {
		if err := d.read(ctx); err != nil {
			return err
		}
		out, err = c.controls(ctx, d.found)
		return err
	})
	return out, err
}

func (c *camera) controls(ctx context.Context, p *Profile) (out Controls, err error) {
	out = Controls{Encoder: p.Encoder}
	n, err := c.ask(ctx, c.services[p.Service], onvif.GetEncoderOptions(p.Service, p.Encoder.Token, p.Token), true)
	switch {
	case unknown(err):
		c.noteOnce("The camera does not say what its encoder can be set to.")
	case err != nil:
		return out, err
	default:
		out.Options = onvif.ReadEncoderOptions(n)
	}
	if at := c.services[onvif.MoveService]; at != nil && p.Moves {
		n, err := c.ask(ctx, at, onvif.GetPresets(p.Token), true)
		if err != nil && !unknown(err) {
			return out, err
		}
		if out.Moves = err == nil; out.Moves {
			out.Presets = onvif.ReadPresets(n)
		}
	}
	if out.Image, err = c.image(ctx, p); err != nil {
		return out, err
	}
	out.Notes = c.notes
	return out, nil
}

// image reads how the picture is set; nil where the camera does not have it.
func (c *camera) image(ctx context.Context, p *Profile) (*onvif.Image, error) {
	at := c.services[onvif.ImageService]
	if at == nil || p.Source == "" {
		return nil, nil
	}
	settings, err := c.ask(ctx, at, onvif.GetImage(p.Source), true)
	if err == nil {
		var options = settings
		if options, err = c.ask(ctx, at, onvif.GetImageOptions(p.Source), true); err == nil {
			i := onvif.ReadImage(settings, options)
			return &i, nil
		}
	}
	if unknown(err) {
		return nil, nil
	}
	return nil, err
}

// VideoChange is what is to be changed of an encoder; nil and empty leave as it is.
type VideoChange struct {
	Codec     string // RTP encoding name
	Width     int    // pixels, with Height
	Height    int
	FrameRate *float64 // frames a second
	Kilobits  *int     // a second
	KeyEvery  *float64 // seconds from one keyframe to the next
}

// SetVideo changes an encoder, and reads back what the camera made of it. What it cannot be
// set to is refused with what it can.
func (d *Device) SetVideo(ctx context.Context, change VideoChange) (out Controls, err error) {
	err = d.with(ctx, func(c *camera, _ *Profile) error {
		if err := d.read(ctx); err != nil {
			return err
		}
		now, err := c.controls(ctx, d.found)
		if err != nil {
			return err
		}
		e, err := change.apply(now)
		if err != nil {
			return err
		}
		if _, err := c.ask(ctx, c.services[d.found.Service], onvif.SetEncoder(d.found.Service, e), true); err != nil {
			return err
		}
		if err := d.read(ctx); err != nil {
			return err
		}
		out, err = c.controls(ctx, d.found)
		return err
	})
	return out, err
}

// apply makes the encoder's settings of what they are and the change.
func (v VideoChange) apply(now Controls) (e onvif.Encoder, err error) {
	e = now.Encoder
	if v.Codec != "" && v.Codec != e.Codec {
		e.Codec, e.Encoding, e.Profile = v.Codec, "", ""
	}
	options, known := now.of(e.Codec)
	if !known && len(now.Options) > 0 {
		return e, fault.New(fault.SettingUnfit, nil, "the camera codes %s", strings.Join(now.codecs(), ", "))
	}
	if e.Profile == "" && len(options.Profiles) > 0 {
		e.Profile = options.Profiles[0]
		if slices.Contains(options.Profiles, "Main") {
			e.Profile = "Main"
		}
	}
	if v.Width > 0 || v.Height > 0 {
		e.Width, e.Height = v.Width, v.Height
		if len(options.Sizes) > 0 && !slices.Contains(options.Sizes, [2]int{v.Width, v.Height}) {
			return e, fault.New(fault.SettingUnfit, nil, "a size of %dx%d; the camera has %s", v.Width, v.Height, sizesText(options.Sizes))
		}
	}
	if v.FrameRate != nil {
		e.FrameRate = *v.FrameRate
	}
	if v.Kilobits != nil {
		e.Kilobits = *v.Kilobits
	}
	if v.KeyEvery != nil {
		e.Group = max(1, int(math.Round(*v.KeyEvery*e.FrameRate/float64(max(e.Interval, 1)))))
	}
	for _, x := range []struct {
		asked bool
		name  string
		value float64
		limit onvif.Range
	}{
		{v.FrameRate != nil, "a frame rate", e.FrameRate, options.FrameRate}, {v.Kilobits != nil, "a bit rate in kbit/s", float64(e.Kilobits), options.Kilobits},
		{v.KeyEvery != nil, "a number of frames to a keyframe", float64(e.Group), options.Group},
	} {
		if x.asked && x.limit.Most > 0 && (x.value < x.limit.Least || x.value > x.limit.Most) {
			return e, fault.New(fault.SettingUnfit, nil, "%s of %g; the camera has %g to %g", x.name, x.value, x.limit.Least, x.limit.Most)
		}
	}
	return e, nil
}

// of is what a codec can be set to.
func (c Controls) of(codec string) (onvif.EncoderOptions, bool) {
	for _, o := range c.Options {
		if o.Codec == codec {
			return o, true
		}
	}
	return onvif.EncoderOptions{}, false
}

func (c Controls) codecs() (list []string) {
	for _, o := range c.Options {
		list = append(list, o.Codec)
	}
	return list
}

func sizesText(list [][2]int) string {
	var texts []string
	for _, s := range list {
		texts = append(texts, fmt.Sprintf("%dx%d", s[0], s[1]))
	}
	return strings.Join(texts, ", ")
}

// Move moves the camera: to a preset, by its name or token, or by shares of its range from -1 to 1.
func (d *Device) Move(ctx context.Context, preset string, pan, tilt, zoom float64) error {
	return d.with(ctx, func(c *camera, p *Profile) error {
		at := c.services[onvif.MoveService]
		if at == nil || !p.Moves {
			return fault.New(fault.SettingUnfit, nil, "the camera cannot be moved by ONVIF")
		}
		r := onvif.RelativeMove(p.Token, pan, tilt, zoom)
		if preset != "" {
			token, err := c.preset(ctx, p, preset)
			if err != nil {
				return err
			}
			r = onvif.GotoPreset(p.Token, token)
		}
		_, err := c.ask(ctx, at, r, true)
		return err
	})
}

// preset is the token of a preset of a name.
func (c *camera) preset(ctx context.Context, p *Profile, name string) (token string, err error) {
	n, err := c.ask(ctx, c.services[onvif.MoveService], onvif.GetPresets(p.Token), true)
	if err != nil {
		return "", err
	}
	var names []string
	for _, x := range onvif.ReadPresets(n) {
		if x.Token == name || strings.EqualFold(x.Name, name) {
			return x.Token, nil
		}
		names = append(names, x.Name)
	}
	return "", fault.New(fault.SettingUnfit, nil, "a preset %q; the camera has %s", name, strings.Join(names, ", "))
}

// SetImage changes how the picture is set, and reads back what the camera made of it.
func (d *Device) SetImage(ctx context.Context, changes map[onvif.ImageSetting]float64, filter string) (out Controls, err error) {
	err = d.with(ctx, func(c *camera, p *Profile) error {
		now, err := c.image(ctx, p)
		if err != nil {
			return err
		}
		if now == nil {
			return fault.New(fault.SettingUnfit, nil, "the camera's picture cannot be set by ONVIF")
		}
		for name, v := range changes {
			if r, ok := now.Ranges[name]; !ok || v < r.Least || v > r.Most {
				return fault.New(fault.SettingUnfit, nil, "%s of %g; the camera has %g to %g", name, v, r.Least, r.Most)
			}
		}
		if filter != "" && !slices.Contains(now.Filters, filter) {
			return fault.New(fault.SettingUnfit, nil, "an infrared filter %q; the camera has %s", filter, strings.Join(now.Filters, ", "))
		}
		if _, err := c.ask(ctx, c.services[onvif.ImageService], onvif.SetImage(p.Source, changes, filter), true); err != nil {
			return err
		}
		out, err = c.controls(ctx, p)
		return err
	})
	return out, err
}
