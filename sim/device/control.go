package device

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"webostrum/core/xmltree"
)

// sizes are those that the streams can be set to.
var sizes = [][2]int{{1280, 720}, {960, 540}, {640, 360}, {320, 180}}

// Limits of what the streams can be set to.
const (
	mostRate     = 30
	mostKilobits = 8000
	mostGroup    = 300
)

// presets are the places that the camera remembers, and where they are.
var presets = []struct {
	token, name string
	pan         float64
}{{"1", "Loop", 0}, {"2", "Upper points", 0.5}, {"3", "Lower points", -0.5}}

// control answers what sets and moves the camera; ok is false for what the device does not
// know.
func (d *Device) control(asked *xmltree.Node) (text string, ok bool) {
	done := func(prefix, name string) (string, bool) { return fmt.Sprintf("<%s:%sResponse/>", prefix, name), true }
	switch asked.Name {
	case "getvideoencoderconfigurationoptions":
		return d.encoderOptions(asked), true
	case "setvideoencoderconfiguration":
		if !d.setEncoder(asked.First("Configuration")) {
			return "", false
		}
		return done("trt", "SetVideoEncoderConfiguration")
	case "setsynchronizationpoint":
		d.mu.Lock()
		d.state.Keyframes++
		d.mu.Unlock()
		return done("trt", "SetSynchronizationPoint")
	}
	if d.cfg.Quirks.Still {
		return "", false
	}
	switch asked.Name {
	case "getpresets":
		return presetList(), true
	case "gotopreset":
		if !d.goTo(asked.Value("PresetToken")) {
			return "", false
		}
		return done("tpz", "GotoPreset")
	case "relativemove":
		d.move(asked.First("Translation"))
		return done("tpz", "RelativeMove")
	case "getimagingsettings":
		s := d.State()
		return fmt.Sprintf("<tim:GetImagingSettingsResponse><tim:ImagingSettings><tt:Brightness>%g</tt:Brightness><tt:Contrast>50</tt:Contrast><tt:IrCutFilter>%s</tt:IrCutFilter></tim:ImagingSettings></tim:GetImagingSettingsResponse>", s.Brightness, s.Filter), true
	case "getoptions":
		scale := "<tt:Min>0</tt:Min><tt:Max>100</tt:Max>"
		return fmt.Sprintf("<tim:GetOptionsResponse><tim:ImagingOptions><tt:Brightness>%s</tt:Brightness><tt:Contrast>%s</tt:Contrast><tt:IrCutFilterModes>ON</tt:IrCutFilterModes>"+
			"<tt:IrCutFilterModes>OFF</tt:IrCutFilterModes><tt:IrCutFilterModes>AUTO</tt:IrCutFilterModes></tim:ImagingOptions></tim:GetOptionsResponse>", scale, scale), true
	case "setimagingsettings":
		d.setImage(asked.First("ImagingSettings"))
		return done("tim", "SetImagingSettings")
	}
	return "", false
}

func (d *Device) controlCapabilities() string {
	if d.cfg.Quirks.Still {
		return ""
	}
	return fmt.Sprintf("<tt:PTZ><tt:XAddr>%s</tt:XAddr></tt:PTZ><tt:Imaging><tt:XAddr>%s</tt:XAddr></tt:Imaging>", d.address(movePath), d.address(imagePath))
}

// encoderOptions tells them in the form of the service that was asked.
func (d *Device) encoderOptions(asked *xmltree.Node) string {
	var list strings.Builder
	for _, s := range sizes {
		fmt.Fprintf(&list, "<tt:ResolutionsAvailable><tt:Width>%d</tt:Width><tt:Height>%d</tt:Height></tt:ResolutionsAvailable>", s[0], s[1])
	}
	if d.cfg.Quirks.OnlyOld {
		return fmt.Sprintf("<trt:GetVideoEncoderConfigurationOptionsResponse><trt:Options><tt:QualityRange><tt:Min>1</tt:Min><tt:Max>5</tt:Max></tt:QualityRange><tt:H264>%s"+
			"<tt:GovLengthRange><tt:Min>1</tt:Min><tt:Max>%d</tt:Max></tt:GovLengthRange><tt:FrameRateRange><tt:Min>1</tt:Min><tt:Max>%d</tt:Max></tt:FrameRateRange><tt:H264ProfilesSupported>Main</tt:H264ProfilesSupported></tt:H264></trt:Options></trt:GetVideoEncoderConfigurationOptionsResponse>",
			list.String(), mostGroup, mostRate)
	}
	i := slices.IndexFunc(d.cfg.Streams, func(s Stream) bool { return s.Token == asked.Value("ProfileToken") })
	codec := "H264"
	if i >= 0 {
		codec = d.cfg.Streams[i].Codec // it cannot be set to another
	}
	return fmt.Sprintf(`<tr2:GetVideoEncoderConfigurationOptionsResponse><tr2:Options GovLengthRange="1 %d" FrameRatesSupported="30 25 20 15 12.5 10 5 1" ProfilesSupported="Baseline Main">`+
		"<tt:Encoding>%s</tt:Encoding><tt:QualityRange><tt:Min>1</tt:Min><tt:Max>5</tt:Max></tt:QualityRange>%s<tt:BitrateRange><tt:Min>32</tt:Min><tt:Max>%d</tt:Max></tt:BitrateRange></tr2:Options></tr2:GetVideoEncoderConfigurationOptionsResponse>",
		mostGroup, codec, list.String(), mostKilobits)
}

// setEncoder takes settings; false is for those that the device does not have.
func (d *Device) setEncoder(c *xmltree.Node) bool {
	whole := func(text string) int { n, _ := strconv.Atoi(text); return n }
	rate, _ := strconv.ParseFloat(c.Value("RateControl", "FrameRateLimit"), 64)
	group := whole(c.Attribute("GovLength"))
	if text := c.Value("H264", "GovLength"); text != "" {
		group = whole(text)
	}
	size := [2]int{whole(c.Value("Resolution", "Width")), whole(c.Value("Resolution", "Height"))}
	d.mu.Lock()
	i := slices.IndexFunc(d.state.Streams, func(s Stream) bool { return s.Token == c.Attribute("token") })
	if i < 0 || !slices.Contains(sizes, size) || rate < 1 || rate > mostRate || group < 1 || group > mostGroup || c.Value("Encoding") != d.state.Streams[i].Codec {
		d.mu.Unlock()
		return false
	}
	s := &d.state.Streams[i]
	s.Width, s.Height, s.FrameRate, s.Group, s.Kilobits = size[0], size[1], int(rate), group, whole(c.Value("RateControl", "BitrateLimit"))
	now := *s
	d.mu.Unlock()
	if d.cfg.OnVideo != nil {
		d.cfg.OnVideo(now)
	}
	return true
}

func presetList() string {
	var b strings.Builder
	for _, p := range presets {
		fmt.Fprintf(&b, `<tpz:Preset token="%s"><tt:Name>%s</tt:Name></tpz:Preset>`, p.token, p.name)
	}
	return "<tpz:GetPresetsResponse>" + b.String() + "</tpz:GetPresetsResponse>"
}

func (d *Device) goTo(token string) bool {
	for _, p := range presets {
		if p.token == token {
			d.mu.Lock()
			defer d.mu.Unlock()
			d.state.Pan, d.state.Tilt, d.state.Zoom = p.pan, 0, 0
			return true
		}
	}
	return false
}

// move goes as far as it can.
func (d *Device) move(by *xmltree.Node) {
	step := func(n *xmltree.Node, name string) float64 {
		v, _ := strconv.ParseFloat(n.Attribute(name), 64)
		return v
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	s := &d.state
	s.Pan = min(max(s.Pan+step(by.First("PanTilt"), "x"), -1), 1)
	s.Tilt = min(max(s.Tilt+step(by.First("PanTilt"), "y"), -1), 1)
	s.Zoom = min(max(s.Zoom+step(by.First("Zoom"), "x"), 0), 1)
}

func (d *Device) setImage(n *xmltree.Node) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if v, err := strconv.ParseFloat(n.Value("Brightness"), 64); err == nil {
		d.state.Brightness = v
	}
	if f := n.Value("IrCutFilter"); f != "" {
		d.state.Filter = f
	}
}
