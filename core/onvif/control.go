package onvif

import (
	"fmt"
	"strconv"
	"strings"

	"webostrum/core/xmltree"
)

// Namespaces of the services by which a camera is set and moved.
const (
	MoveService  = "http://www.onvif.org/ver20/ptz/wsdl"
	ImageService = "http://www.onvif.org/ver20/imaging/wsdl"
)

func tagged(name, text string) string {
	return "<" + name + ">" + xmltree.Escape(text) + "</" + name + ">"
}

func decimal(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// SetSynchronizationPoint asks for a keyframe in a profile's streams (Media, 5.11.1; Media2,
// 5.7).
func SetSynchronizationPoint(service, profile string) Request {
	return Request{service, "SetSynchronizationPoint", tagged("ProfileToken", profile)}
}

// GetEncoderOptions asks what an encoder can be set to (Media, 5.5.6; Media2, 5.2.4).
func GetEncoderOptions(service, encoder, profile string) Request {
	return Request{service, "GetVideoEncoderConfigurationOptions", tagged("ConfigurationToken", encoder) + tagged("ProfileToken", profile)}
}

// SetEncoder writes an encoder's settings, all of them, to last (Media, 5.5.5; Media2,
// 5.2.3).
func SetEncoder(service string, e Encoder) Request {
	const name = "SetVideoEncoderConfiguration"
	size := fmt.Sprintf("<t:Resolution><t:Width>%d</t:Width><t:Height>%d</t:Height></t:Resolution>", e.Width, e.Height)
	head := tagged("t:Name", e.Name) + tagged("t:UseCount", strconv.Itoa(e.UseCount)) + tagged("t:Encoding", e.encoding()) + size
	if service == Media2Service {
		rate := fmt.Sprintf(`<t:RateControl ConstantBitRate="%t"><t:FrameRateLimit>%s</t:FrameRateLimit><t:BitrateLimit>%d</t:BitrateLimit></t:RateControl>`, e.Constant, decimal(e.FrameRate), e.Kilobits)
		return Request{service, name, fmt.Sprintf(`<Configuration xmlns:t="%s" token="%s" GovLength="%d" Profile="%s">%s%s%s%s</Configuration>`,
			schema, xmltree.Escape(e.Token), e.Group, xmltree.Escape(e.Profile), head, rate, e.multicast(), tagged("t:Quality", decimal(e.Quality)))}
	}
	rate := fmt.Sprintf("<t:RateControl><t:FrameRateLimit>%d</t:FrameRateLimit><t:EncodingInterval>%d</t:EncodingInterval><t:BitrateLimit>%d</t:BitrateLimit></t:RateControl>", int(e.FrameRate+0.5), max(e.Interval, 1), e.Kilobits)
	coding := ""
	if e.Codec == "H264" {
		coding = fmt.Sprintf("<t:H264><t:GovLength>%d</t:GovLength>%s</t:H264>", e.Group, tagged("t:H264Profile", e.Profile))
	}
	return Request{service, name, fmt.Sprintf(`<Configuration xmlns:t="%s" token="%s">%s%s%s%s%s%s</Configuration><ForcePersistence>true</ForcePersistence>`,
		schema, xmltree.Escape(e.Token), head, tagged("t:Quality", decimal(e.Quality)), rate, coding, e.multicast(), tagged("t:SessionTimeout", e.timeout()))}
}

// multicast is left as it was.
func (e Encoder) multicast() string {
	m := e.Multicast
	if m.Address == "" {
		return ""
	}
	kind, tag := "IPv4", "t:IPv4Address"
	if strings.Contains(m.Address, ":") {
		kind, tag = "IPv6", "t:IPv6Address"
	}
	return fmt.Sprintf("<t:Multicast><t:Address><t:Type>%s</t:Type>%s</t:Address><t:Port>%d</t:Port><t:TTL>%d</t:TTL><t:AutoStart>%t</t:AutoStart></t:Multicast>",
		kind, tagged(tag, m.Address), m.Port, m.TTL, m.AutoStart)
}

func (e Encoder) timeout() string {
	if e.Timeout == "" {
		return "PT60S"
	}
	return e.Timeout
}

// encoding is what devices call the codec.
func (e Encoder) encoding() string {
	if e.Encoding != "" && codecOf(e.Encoding) == e.Codec {
		return e.Encoding
	}
	return e.Codec
}

// GetPresets asks for the places that a camera remembers (PTZ, 5.4.4).
func GetPresets(profile string) Request {
	return Request{MoveService, "GetPresets", tagged("ProfileToken", profile)}
}

// GotoPreset moves a camera to one (PTZ, 5.4.3).
func GotoPreset(profile, preset string) Request {
	return Request{MoveService, "GotoPreset", tagged("ProfileToken", profile) + tagged("PresetToken", preset)}
}

// RelativeMove moves a camera by shares of its whole range, from -1 to 1 (PTZ, 5.3.2).
func RelativeMove(profile string, pan, tilt, zoom float64) Request {
	var b strings.Builder
	fmt.Fprintf(&b, `%s<Translation xmlns:t="%s">`, tagged("ProfileToken", profile), schema)
	if pan != 0 || tilt != 0 {
		fmt.Fprintf(&b, `<t:PanTilt x="%s" y="%s"/>`, decimal(pan), decimal(tilt))
	}
	if zoom != 0 {
		fmt.Fprintf(&b, `<t:Zoom x="%s"/>`, decimal(zoom))
	}
	b.WriteString("</Translation>")
	return Request{MoveService, "RelativeMove", b.String()}
}

// GetImage asks how the picture is set (Imaging, 5.1); source is the video source's token.
func GetImage(source string) Request {
	return Request{ImageService, "GetImagingSettings", tagged("VideoSourceToken", source)}
}

// GetImageOptions asks what it can be set to (Imaging, 5.3).
func GetImageOptions(source string) Request {
	return Request{ImageService, "GetOptions", tagged("VideoSourceToken", source)}
}

// SetImage changes what is named, to last (Imaging, 5.2).
func SetImage(source string, changes map[ImageSetting]float64, filter string) Request {
	var b strings.Builder
	for _, s := range ImageSettings {
		if v, ok := changes[s]; ok {
			b.WriteString(tagged("t:"+string(s), decimal(v)))
		}
	}
	if filter != "" {
		b.WriteString(tagged("t:IrCutFilter", filter))
	}
	return Request{ImageService, "SetImagingSettings", fmt.Sprintf(`%s<ImagingSettings xmlns:t="%s">%s</ImagingSettings><ForcePersistence>true</ForcePersistence>`, tagged("VideoSourceToken", source), schema, b.String())}
}

// ImageSetting is a setting of the picture, as the schema calls it.
type ImageSetting string

// The settings that have a number, in the schema's order.
const (
	Brightness ImageSetting = "Brightness"
	Saturation ImageSetting = "ColorSaturation"
	Contrast   ImageSetting = "Contrast"
	Sharpness  ImageSetting = "Sharpness"
)

// ImageSettings are all of them.
var ImageSettings = []ImageSetting{Brightness, Saturation, Contrast, Sharpness}
