package device

import (
	"fmt"
	"strings"
	"time"

	"webostrum/core/onvif"
	"webostrum/core/xmltree"
)

// answer is the body of an answer; ok is false for what the device does not know.
func (d *Device) answer(asked *xmltree.Node) (text string, ok bool) {
	old := d.cfg.Quirks.OnlyOld
	token := asked.Value("ProfileToken")
	switch asked.Name {
	case "getsystemdateandtime":
		return d.clock(), true
	case "getdeviceinformation":
		return fmt.Sprintf("<tds:GetDeviceInformationResponse><tds:Manufacturer>Morrow Crag Workshop</tds:Manufacturer><tds:Model>%s</tds:Model>"+
			"<tds:FirmwareVersion>1.2</tds:FirmwareVersion><tds:SerialNumber>%s</tds:SerialNumber></tds:GetDeviceInformationResponse>", xmltree.Escape(d.cfg.Hardware), xmltree.Escape(d.cfg.ID)), true
	case "getendpointreference":
		return "<tds:GetEndpointReferenceResponse><tds:GUID>" + xmltree.Escape(d.cfg.ID) + "</tds:GUID></tds:GetEndpointReferenceResponse>", !old
	case "getservices":
		return d.services(), !old
	case "getcapabilities":
		return fmt.Sprintf("<tds:GetCapabilitiesResponse><tds:Capabilities><tt:Device><tt:XAddr>%s</tt:XAddr></tt:Device><tt:Media><tt:XAddr>%s</tt:XAddr></tt:Media>%s</tds:Capabilities></tds:GetCapabilitiesResponse>",
			d.address(path), d.address(mediaPath), d.controlCapabilities()), true
	case "getprofiles":
		return d.profiles(len(asked.All("Type")) > 0 && !old), true
	case "getstreamuri":
		return d.uri("GetStreamUri", token, asked.First("StreamSetup") != nil, func(s Stream) string { return s.URL })
	case "getsnapshoturi":
		return d.uri("GetSnapshotUri", token, old, func(s Stream) string { return s.Still })
	}
	return d.control(asked)
}

func (d *Device) clock() string {
	at := time.Now().Add(d.cfg.Quirks.Clock).UTC()
	return fmt.Sprintf("<tds:GetSystemDateAndTimeResponse><tds:SystemDateAndTime><tt:DateTimeType>Manual</tt:DateTimeType><tt:UTCDateTime>"+
		"<tt:Time><tt:Hour>%d</tt:Hour><tt:Minute>%d</tt:Minute><tt:Second>%d</tt:Second></tt:Time><tt:Date><tt:Year>%d</tt:Year><tt:Month>%d</tt:Month><tt:Day>%d</tt:Day></tt:Date>"+
		"</tt:UTCDateTime></tds:SystemDateAndTime></tds:GetSystemDateAndTimeResponse>", at.Hour(), at.Minute(), at.Second(), at.Year(), at.Month(), at.Day())
}

// address is where the device says that a service is.
func (d *Device) address(path string) string {
	switch q := d.cfg.Quirks; {
	case q.Relative:
		return path
	case q.OtherHost != "":
		return "http://" + q.OtherHost + path
	}
	return "http://" + d.listener.Addr().String() + path
}

func (d *Device) services() string {
	var b strings.Builder
	all := map[string]string{onvif.DeviceService: path, onvif.MediaService: mediaPath, onvif.Media2Service: media2Path}
	if !d.cfg.Quirks.Still {
		all[onvif.MoveService], all[onvif.ImageService] = movePath, imagePath
	}
	for namespace, at := range all {
		fmt.Fprintf(&b, "<tds:Service><tds:Namespace>%s</tds:Namespace><tds:XAddr>%s</tds:XAddr></tds:Service>", namespace, d.address(at))
	}
	return "<tds:GetServicesResponse>" + b.String() + "</tds:GetServicesResponse>"
}

func (d *Device) profiles(second bool) string {
	var b strings.Builder
	moves, movesOld := "<tr2:PTZ token=\"m\"/>", "<tt:PTZConfiguration token=\"m\"/>"
	if d.cfg.Quirks.Still {
		moves, movesOld = "", ""
	}
	for _, s := range d.State().Streams {
		name, token := xmltree.Escape(s.Name), xmltree.Escape(s.Token)
		size := fmt.Sprintf("<tt:Resolution><tt:Width>%d</tt:Width><tt:Height>%d</tt:Height></tt:Resolution>", s.Width, s.Height)
		rate := fmt.Sprintf("<tt:FrameRateLimit>%d</tt:FrameRateLimit><tt:EncodingInterval>1</tt:EncodingInterval><tt:BitrateLimit>%d</tt:BitrateLimit>", s.FrameRate, s.Kilobits)
		if second {
			fmt.Fprintf(&b, `<tr2:Profiles token="%s"><tr2:Name>%s</tr2:Name><tr2:Configurations>`+
				`<tr2:VideoSource token="v"><tt:SourceToken>eye</tt:SourceToken></tr2:VideoSource><tr2:VideoEncoder token="%s" GovLength="%d" Profile="Main"><tt:Name>encoder</tt:Name><tt:UseCount>1</tt:UseCount><tt:Encoding>%s</tt:Encoding>%s`+
				"<tt:RateControl>%s</tt:RateControl><tt:Quality>4</tt:Quality></tr2:VideoEncoder>%s</tr2:Configurations></tr2:Profiles>", token, name, token, s.Group, s.Codec, size, rate, moves)
			continue
		}
		if s.Codec == "H265" {
			continue // the older service does not know it
		}
		fmt.Fprintf(&b, `<trt:Profiles token="%s" fixed="true"><tt:Name>%s</tt:Name><tt:VideoSourceConfiguration token="v"><tt:SourceToken>eye</tt:SourceToken></tt:VideoSourceConfiguration>`+
			`<tt:VideoEncoderConfiguration token="%s"><tt:Name>encoder</tt:Name><tt:UseCount>1</tt:UseCount><tt:Encoding>%s</tt:Encoding>%s`+
			"<tt:Quality>4</tt:Quality><tt:RateControl>%s</tt:RateControl><tt:H264><tt:GovLength>%d</tt:GovLength><tt:H264Profile>Main</tt:H264Profile></tt:H264>"+
			"<tt:Multicast><tt:Address><tt:Type>IPv4</tt:Type><tt:IPv4Address>239.0.0.7</tt:IPv4Address></tt:Address><tt:Port>5000</tt:Port><tt:TTL>1</tt:TTL><tt:AutoStart>false</tt:AutoStart></tt:Multicast>"+
			"<tt:SessionTimeout>PT60S</tt:SessionTimeout></tt:VideoEncoderConfiguration>%s</trt:Profiles>",
			token, name, token, s.Codec, size, rate, s.Group, movesOld)
	}
	return "<trt:GetProfilesResponse>" + b.String() + "</trt:GetProfilesResponse>"
}

// uri is where a stream's something is; old is the older media service's form.
func (d *Device) uri(name, token string, old bool, of func(Stream) string) (string, bool) {
	for _, s := range d.cfg.Streams {
		if s.Token != token || of(s) == "" {
			continue
		}
		uri := "<tt:Uri>" + xmltree.Escape(of(s)) + "</tt:Uri>"
		if old {
			uri = "<trt:MediaUri>" + uri + "</trt:MediaUri>"
		}
		return fmt.Sprintf("<trt:%sResponse>%s</trt:%sResponse>", name, uri, name), true
	}
	return "", false
}
