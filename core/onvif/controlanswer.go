package onvif

import (
	"strconv"
	"strings"

	"webostrum/core/xmltree"
)

const (
	mostPresets = 256
	mostSizes   = 64
)

// Encoder is how a profile's video encoder is set.
type Encoder struct {
	Token     string
	Name      string
	UseCount  int
	Encoding  string // as the device calls the codec
	Codec     string // RTP encoding name
	Width     int    // pixels
	Height    int
	FrameRate float64 // frames a second at most
	Interval  int     // of that rate, every so many frames is coded; older service
	Kilobits  int     // a second at most
	Constant  bool    // the rate is kept to
	Group     int     // frames from one keyframe to the next
	Profile   string
	Quality   float64
	Multicast Multicast
	Timeout   string
}

// Multicast is where an encoder sends to many.
type Multicast struct {
	Address   string
	Port, TTL int
	AutoStart bool
}

// Range is what a number can be set to; the zero value says nothing.
type Range struct{ Least, Most float64 }

// EncoderOptions are what one codec can be set to.
type EncoderOptions struct {
	Codec     string
	Sizes     [][2]int // pixels
	FrameRate Range
	Group     Range
	Kilobits  Range
	Quality   Range
	Profiles  []string
}

// readEncoder reads an encoder of a profile, of either service.
func readEncoder(v *xmltree.Node) Encoder {
	e := Encoder{
		Token: v.Attribute("token"), Name: cut(v.Value("Name")), UseCount: number(v.Value("UseCount")), Encoding: cut(v.Value("Encoding")),
		Codec: codecOf(v.Value("Encoding")), Width: number(v.Value("Resolution", "Width")), Height: number(v.Value("Resolution", "Height")),
		FrameRate: real(v.Value("RateControl", "FrameRateLimit")), Interval: number(v.Value("RateControl", "EncodingInterval")),
		Kilobits: number(v.Value("RateControl", "BitrateLimit")), Constant: strings.EqualFold(v.First("RateControl").Attribute("ConstantBitRate"), "true"),
		Group: number(v.Attribute("GovLength")), Profile: cut(v.Attribute("Profile")), Quality: real(v.Value("Quality")), Timeout: cut(v.Value("SessionTimeout")),
	}
	for _, codec := range []string{"H264", "H265", "MPEG4"} {
		if c := v.First(codec); c != nil && e.Group == 0 {
			e.Group, e.Profile = number(c.Value("GovLength")), cut(c.Value(codec+"Profile"))
		}
	}
	m := v.First("Multicast")
	e.Multicast = Multicast{
		Address: cut(m.Value("Address", "IPv4Address") + m.Value("Address", "IPv6Address")), Port: number(m.Value("Port")), TTL: number(m.Value("TTL")),
		AutoStart: strings.EqualFold(m.Value("AutoStart"), "true"),
	}
	return e
}

// real reads a number that is not negative; 0 for what is none.
func real(text string) float64 {
	v, err := strconv.ParseFloat(strings.TrimSpace(text), 64)
	if err != nil || !(v >= 0 && v <= 1e9) {
		return 0
	}
	return v
}

// ReadEncoderOptions reads the answer to GetEncoderOptions of either service.
func ReadEncoderOptions(n *xmltree.Node) (list []EncoderOptions) {
	for _, o := range n.All("Options") {
		if o.Value("Encoding") == "" { // the older service, whose options are of all codecs
			return oldOptions(o)
		}
		e := EncoderOptions{
			Codec: codecOf(o.Value("Encoding")), Sizes: sizes(o), Quality: rangeOf(o.First("QualityRange")), Kilobits: rangeOf(o.First("BitrateRange")),
			Group: listed(o.Attribute("GovLengthRange")), FrameRate: listed(o.Attribute("FrameRatesSupported")),
		}
		for name := range strings.FieldsSeq(o.Attribute("ProfilesSupported")) {
			e.Profiles = append(e.Profiles, cut(name))
		}
		list = append(list, e)
	}
	return list
}

func oldOptions(o *xmltree.Node) (list []EncoderOptions) {
	quality := rangeOf(o.First("QualityRange"))
	for _, codec := range []string{"H264", "JPEG"} {
		c := o.First(codec)
		if c == nil {
			continue
		}
		e := EncoderOptions{Codec: codec, Sizes: sizes(c), Quality: quality, FrameRate: rangeOf(c.First("FrameRateRange")), Group: rangeOf(c.First("GovLengthRange"))}
		e.Kilobits = rangeOf(o.First("Extension", codec, "BitrateRange"))
		for _, p := range c.All("H264ProfilesSupported") {
			e.Profiles = append(e.Profiles, cut(p.Value()))
		}
		list = append(list, e)
	}
	return list
}

func sizes(n *xmltree.Node) (list [][2]int) {
	for _, s := range n.All("ResolutionsAvailable") {
		if w, h := number(s.Value("Width")), number(s.Value("Height")); w > 0 && h > 0 && len(list) < mostSizes {
			list = append(list, [2]int{w, h})
		}
	}
	return list
}

func rangeOf(n *xmltree.Node) Range { return Range{real(n.Value("Min")), real(n.Value("Max"))} }

// listed is the range of numbers in a list.
func listed(text string) (r Range) {
	for i, word := range strings.Fields(text) {
		v := real(word)
		if i == 0 {
			r = Range{v, v}
		}
		r.Least, r.Most = min(r.Least, v), max(r.Most, v)
	}
	return r
}

// Preset is a place that a camera remembers.
type Preset struct{ Token, Name string }

// ReadPresets reads the answer to GetPresets.
func ReadPresets(n *xmltree.Node) (list []Preset) {
	for _, p := range n.All("Preset") {
		token := p.Attribute("token")
		if token == "" || len(token) > mostText || len(list) == mostPresets {
			continue
		}
		name := cut(p.Value("Name"))
		if name == "" {
			name = cut(token)
		}
		list = append(list, Preset{token, name})
	}
	return list
}

// Image is how the picture is set, and what can be set.
type Image struct {
	Values  map[ImageSetting]float64
	Ranges  map[ImageSetting]Range // settings that are not in it cannot be set
	Filter  string                 // infrared cut filter: ON, OFF or AUTO; empty where it cannot be told
	Filters []string               // that it can be set to
}

// ReadImage reads the answers to GetImage and GetImageOptions.
func ReadImage(settings, options *xmltree.Node) Image {
	s, o := settings.First("ImagingSettings"), options.First("ImagingOptions")
	i := Image{Values: map[ImageSetting]float64{}, Ranges: map[ImageSetting]Range{}, Filter: cut(s.Value("IrCutFilter"))}
	for _, name := range ImageSettings {
		r := rangeOf(o.First(string(name)))
		if text := s.Value(string(name)); text != "" && r.Most > r.Least {
			i.Values[name], i.Ranges[name] = real(text), r
		}
	}
	for _, f := range o.All("IrCutFilterModes") {
		i.Filters = append(i.Filters, cut(f.Value()))
	}
	return i
}
