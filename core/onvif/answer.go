package onvif

import (
	"errors"
	"strconv"
	"strings"
	"time"

	"webostrum/core/shown"
	"webostrum/core/xmltree"
)

const (
	mostProfiles = 64
	mostText     = 200 // bytes of a name
)

// ErrNoAnswer is returned for what is no answer to the request.
var ErrNoAnswer = errors.New("onvif: it is no answer to what was asked")

// Fault is what a device says instead of an answer (SOAP 1.2 part 1, 5.4).
type Fault struct {
	Code   string // the innermost subcode, without prefix, such as NotAuthorized
	Reason string
}

func (f *Fault) Error() string {
	if f.Reason == "" {
		return f.Code
	}
	return f.Reason + " (" + f.Code + ")"
}

// NotAuthorized says whether the device wants somebody else to ask.
func (f *Fault) NotAuthorized() bool {
	return strings.EqualFold(f.Code, "NotAuthorized") || strings.EqualFold(f.Code, "FailedAuthentication") || strings.EqualFold(f.Code, "InvalidSecurityToken")
}

// Read returns what answers a request, or the *Fault.
func (r Request) Read(data []byte) (*xmltree.Node, error) {
	n, err := xmltree.Parse(data)
	if err != nil {
		return nil, err
	}
	body := n.First("Body")
	if f := body.First("Fault"); f != nil {
		return nil, readFault(f)
	}
	if a := body.First(r.Name + "Response"); a != nil {
		return a, nil
	}
	return nil, ErrNoAnswer
}

func readFault(n *xmltree.Node) *Fault {
	f := &Fault{Reason: cut(n.Value("Reason", "Text"))}
	for code := n.First("Code"); code != nil; code = code.First("Subcode") {
		value := code.Value("Value")
		f.Code = cut(value[strings.LastIndex(value, ":")+1:])
	}
	if f.Code == "" { // SOAP 1.1
		f.Code, f.Reason = cut(n.Value("faultcode")), cut(n.Value("faultstring"))
	}
	return f
}

// ReadClock returns the device's UTC time; ok is false where it does not tell.
func ReadClock(n *xmltree.Node) (at time.Time, ok bool) {
	utc := n.First("SystemDateAndTime", "UTCDateTime")
	var v [6]int
	for i, path := range [][]string{{"Date", "Year"}, {"Date", "Month"}, {"Date", "Day"}, {"Time", "Hour"}, {"Time", "Minute"}, {"Time", "Second"}} {
		var err error
		if v[i], err = strconv.Atoi(utc.Value(path...)); err != nil || v[i] < 0 || v[i] > 9999 {
			return at, false
		}
	}
	return time.Date(v[0], time.Month(v[1]), v[2], v[3], v[4], v[5], 0, time.UTC), true
}

// Information is what a device says of itself.
type Information struct {
	Maker    string
	Model    string
	Firmware string
	Serial   string
}

// ReadInformation reads the answer to GetInformation.
func ReadInformation(n *xmltree.Node) Information {
	text := func(name string) string { return cut(n.Value(name)) }
	return Information{text("Manufacturer"), text("Model"), text("FirmwareVersion"), text("SerialNumber")}
}

// ReadEndpoint reads the answer to GetEndpoint; empty for nothing.
func ReadEndpoint(n *xmltree.Node) string {
	id := cut(n.Value("GUID"))
	if id != "" && !strings.Contains(id, ":") {
		id = "urn:uuid:" + id
	}
	return id
}

// ReadServices returns addresses by the namespaces of services, from the answer to
// GetServices or GetCapabilities.
func ReadServices(n *xmltree.Node) map[string]string {
	services := map[string]string{}
	for _, s := range n.All("Service") {
		services[s.Value("Namespace")] = s.Value("XAddr")
	}
	capabilities := n.First("Capabilities")
	for namespace, path := range map[string][]string{DeviceService: {"Device"}, MediaService: {"Media"}, Media2Service: {"Extension", "Media2"}, MoveService: {"PTZ"}, ImageService: {"Imaging"}} {
		if at := capabilities.First(path...).Value("XAddr"); at != "" {
			services[namespace] = at
		}
	}
	return services
}

// Profile is a stream that a camera offers.
type Profile struct {
	Token     string
	Name      string
	Codec     string // RTP encoding name, in upper case: H264, H265, JPEG; else as the device calls it
	Width     int
	Height    int
	FrameRate float64       // frames a second at most
	BitRate   float64       // bits a second at most
	KeyEvery  time.Duration // 0 when it does not tell
	Coding    string        // profile of the codec, such as Main
	Audio     string        // as the device calls it; empty for none

	Encoder Encoder
	Source  string // token of the video source; empty when it does not tell
	Moves   bool   // the camera can be moved
}

// ReadProfiles reads the answer to GetProfiles of either media service. Profiles without
// video are left out.
func ReadProfiles(n *xmltree.Node) (list []Profile) {
	for _, p := range n.All("Profiles") {
		token := p.Attribute("token")
		if len(list) == mostProfiles || token == "" || len(token) > mostText {
			continue
		}
		video, audio := p.First("VideoEncoderConfiguration"), p.First("AudioEncoderConfiguration")
		source, moves := p.First("VideoSourceConfiguration"), p.First("PTZConfiguration") != nil
		if c := p.First("Configurations"); c != nil { // Media2
			video, audio = c.First("VideoEncoder"), c.First("AudioEncoder")
			source, moves = c.First("VideoSource"), c.First("PTZ") != nil
		}
		if video == nil {
			continue
		}
		out := Profile{Token: token, Name: cut(p.Value("Name")), Audio: cut(audio.Value("Encoding")), Encoder: readEncoder(video), Source: cut(source.Value("SourceToken")), Moves: moves}
		out.settle()
		list = append(list, out)
	}
	return list
}

// settle fills in what follows from the encoder.
func (p *Profile) settle() {
	e := p.Encoder
	p.Codec, p.Width, p.Height, p.Coding, p.BitRate = e.Codec, e.Width, e.Height, e.Profile, 1000*float64(e.Kilobits)
	rate := e.FrameRate
	if e.Interval > 1 {
		rate /= float64(e.Interval) // every so many frames is coded
	}
	if rate > 0 && rate <= 1000 {
		p.FrameRate = rate
	}
	if e.Group > 0 && p.FrameRate > 0 {
		p.KeyEvery = time.Duration(float64(e.Group) / p.FrameRate * float64(time.Second))
	}
}

// codecOf is the RTP encoding name of what a device calls a codec.
func codecOf(text string) string {
	switch name := strings.ToUpper(strings.NewReplacer(".", "", "-", "", "_", "").Replace(strings.TrimSpace(text))); name {
	case "H264", "H265", "JPEG":
		return name
	case "HEVC":
		return "H265"
	case "MJPEG":
		return "JPEG"
	}
	return cut(text)
}

// number reads what cannot be larger than a million; 0 for what is none.
func number(text string) int {
	v, err := strconv.Atoi(strings.TrimSpace(text))
	if err != nil || v < 0 || v > 1_000_000 {
		return 0
	}
	return v
}

// ReadURI reads the answer to GetStreamURI and GetSnapshotURI of either service.
func ReadURI(n *xmltree.Node) string {
	if uri := n.Value("MediaUri", "Uri"); uri != "" {
		return uri
	}
	return n.Value("Uri")
}

// cut makes a text that a device has sent fit to be shown.
func cut(text string) string { return shown.Text(text, mostText) }
