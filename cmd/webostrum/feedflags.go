package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

// settingFlag ties a flag to a setting of a feed, by its path in apitypes.FeedSettings.
type settingFlag struct {
	path  string
	flag  cli.Flag
	value func(c *cli.Command) any
}

func stringSetting(path, name, usage, standard string) settingFlag {
	return settingFlag{path, &cli.StringFlag{Name: name, Usage: usage, DefaultText: standard}, func(c *cli.Command) any { return c.String(name) }}
}

func floatSetting(path, name, usage, standard string) settingFlag {
	return settingFlag{path, &cli.FloatFlag{Name: name, Usage: usage, DefaultText: standard, HideDefault: standard == ""}, func(c *cli.Command) any { return c.Float(name) }}
}

func intSetting(path, name, usage, standard string) settingFlag {
	return settingFlag{path, &cli.IntFlag{Name: name, Usage: usage, DefaultText: standard, HideDefault: standard == ""}, func(c *cli.Command) any { return c.Int(name) }}
}

func boolSetting(path, name, usage string) settingFlag {
	return settingFlag{path, &cli.BoolFlag{Name: name, Usage: usage}, func(c *cli.Command) any { return c.Bool(name) }}
}

func outletPassword() settingFlag {
	s := stringSetting("outlet.password", "outlet-password", "`PASSWORD` there, or secret key", "")
	s.flag.(*cli.StringFlag).Sources = cli.EnvVars("WEBOSTRUM_OUTLET_PASSWORD")
	return s
}

func bytesSetting(path, name, usage, standard string) settingFlag {
	flag := &cli.StringFlag{Name: name, Usage: usage, DefaultText: standard, Validator: func(text string) error { _, err := parseBytes(text); return err }}
	return settingFlag{path, flag, func(c *cli.Command) any {
		n, _ := parseBytes(c.String(name)) // it was looked at before
		return n
	}}
}

// combinedSetting is the feeds that a feed is made of.
func combinedSetting(kind, usage string) settingFlag {
	sources := func(c *cli.Command) (list []apitypes.CombinedFeed, err error) {
		list = []apitypes.CombinedFeed{}
		for _, text := range listed(c, kind) {
			name, seconds, timed := strings.Cut(text, ":")
			x := apitypes.CombinedFeed{Feed: name}
			if timed {
				if x.Seconds, err = strconv.ParseFloat(seconds, 64); err != nil {
					return nil, usagef("--%s %q: write FEED:SECONDS, such as lower-station:20", kind, text)
				}
			}
			list = append(list, x)
		}
		return list, nil
	}
	flag := &cli.StringSliceFlag{Name: kind, Usage: usage, Validator: func(texts []string) error {
		for _, text := range texts {
			if _, seconds, timed := strings.Cut(text, ":"); timed {
				if _, err := strconv.ParseFloat(seconds, 64); err != nil {
					return fmt.Errorf("%q: write FEED:SECONDS, such as lower-station:20", text)
				}
			}
		}
		return nil
	}}
	return settingFlag{"combined", flag, func(c *cli.Command) any {
		list, _ := sources(c) // they were looked at before
		if len(list) == 0 {
			return client.Patch{"kind": "none", "sources": list}
		}
		return client.Patch{"kind": kind, "sources": list}
	}}
}

func listSetting(path, name, usage string) settingFlag {
	return settingFlag{path, &cli.StringSliceFlag{Name: name, Usage: usage}, func(c *cli.Command) any { return listed(c, name) }}
}

// cameraSettings are those of the camera that inspect takes, too.
func cameraSettings() []settingFlag {
	password := stringSetting("camera.password", "password", "the camera's `PASSWORD`", "")
	password.flag.(*cli.StringFlag).Sources = cli.EnvVars("WEBOSTRUM_CAMERA_PASSWORD")
	return []settingFlag{
		stringSetting("camera.user", "user", "the camera's `USER`", ""),
		password,
		stringSetting("camera.transport", "transport", "RTSP: auto, tcp, udp, http (through two HTTP connections) or multicast", "auto"),
		stringSetting("camera.fetch", "fetch", "HTTP: auto, stream (one endless answer) or poll (one picture an answer)", "auto"),
		stringSetting("camera.fingerprint", "fingerprint", "`SHA-256` of the camera's certificate to trust, for rtsps and https", ""),
	}
}

// feedSettings are all flags of a feed's settings. The defaults that they tell are those
// of adding a feed.
func feedSettings() []settingFlag {
	return append(cameraSettings(),
		stringSetting("camera.device", "device", "`ADDRESS` of the camera's ONVIF device, on the camera's host; empty for none", ""),
		stringSetting("camera.deviceProfile", "device-profile", "`TOKEN` of the device's profile that the feed shows", ""),
		stringSetting("camera.deviceUser", "device-user", "the device's `USER`, where it is another than the stream's", ""),
		stringSetting("camera.devicePassword", "device-password", "the device's `PASSWORD`, likewise", ""),
		stringSetting("camera.deviceId", "device-id", "what the device calls itself, a `URN`", ""),
		boolSetting("camera.follow", "follow", "the feed goes by itself to where a search finds the device, when the camera is not reached"),
		floatSetting("camera.pollSeconds", "poll", "HTTP: `SECONDS` from one polled picture to the next, 0.1 to 3600", "2"),
		floatSetting("camera.answerSeconds", "answer-time", "`SECONDS` to wait for each answer of the camera, 1 to 120", "5"),
		floatSetting("camera.firstFrameSeconds", "first-frame-time", "`SECONDS` to wait for the first packet or frame, 1 to 120", "10"),
		floatSetting("camera.stallSeconds", "stall-time", "`SECONDS` of silence until the camera is opened anew, 1 to 120", "5"),
		boolSetting("publish.pushed", "pushed", "nobody opens a camera: it, or a program, sends to the feed"),
		boolSetting("publish.open", "open-to-all", "whoever reaches the ports may send without the feed's key; for closed networks only"),
		boolSetting("publish.takeOver", "take-over", "who sends second takes the feed over; refused otherwise"),
		boolSetting("whileNeeded", "while-needed", "the camera is connected only while somebody needs it: viewers, a recording, a feed that takes turns"),
		stringSetting("title", "title", "`NAME` for people", "the feed's name"),
		floatSetting("delivery.within", "within", "`SECONDS` that the picture may be behind; 0 is whatever is cheapest", "2"),
		floatSetting("delivery.segmentSeconds", "segment", "for experts: wanted `SECONDS` of an HLS segment, 0.5 to 60; 0 follows from --within", "0"),
		floatSetting("delivery.partSeconds", "part", "for experts: wanted `SECONDS` of a part of low-latency HLS; 0 follows from --within", "0"),
		intSetting("delivery.playlistLength", "playlist-length", "for experts: segments in the HLS playlist, 3 to 64; 0 follows from --within", "0"),
		stringSetting("pictures.size", "picture-size", "`SIZE` of Motion JPEG and stills that go out, such as 640x; empty for the camera's", "the camera's"),
		floatSetting("pictures.frameRate", "picture-rate", "fps of Motion JPEG at most; 0 for all", "0"),
		intSetting("pictures.quality", "picture-quality", "JPEG quality of what is transcoded, 1 to 100", "80"),
		stringSetting("audio.mode", "audio", "automatic, on (transcoded all the time, where it has to be) or off", "automatic"),
		stringSetting("audio.hls", "audio-hls", "the same for HLS alone, or as-feed", "as-feed"),
		stringSetting("audio.webrtc", "audio-webrtc", "the same for WebRTC alone, or as-feed", "as-feed"),
		stringSetting("audience.who", "audience", "who may watch: everyone, links (whoever has one), signed-in, or named (--accounts)", "signed-in"),
		listSetting("audience.accounts", "accounts", "`ACCOUNTS` that may watch whatever the audience, a,b; none for none"),
		listSetting("sites", "sites", "`SITES` whose pages may show it, such as example.org,*.example.org; none for all"),
		listSetting("tags", "tags", "`TAGS` that it is grouped by, a,b; none for none"),
		boolSetting("reports", "reports", "let viewers' players tell how it plays: engine, delivery, failures, stalls, delay; --reports=false stops it"),
		stringSetting("recording.mode", "record", "when it is recorded: hand (only by \"recording start\"), always, timetable or motion", "hand"),
		stringSetting("recording.timetable", "record-timetable", "for --record timetable: `TIMES` such as \"mon-fri 07:00-19:00, sat 08:00-12:00\"", ""),
		stringSetting("recording.zone", "record-zone", "time `ZONE` of the timetable, such as Europe/Zurich", "the service's"),
		intSetting("recording.fileMinutes", "record-file", "`MINUTES` of a file of a recording", "10"),
		intSetting("recording.beforeSeconds", "record-before", "`SECONDS` that are recorded before motion, as far as they are in memory", "3"),
		intSetting("recording.afterSeconds", "record-after", "`SECONDS` that are recorded after motion", "10"),
		floatSetting("recording.thresholdPercent", "motion-threshold", "`PER CENT` of the picture that has to change to be motion", "1"),
		stringSetting("recording.mask", "motion-mask", "`CELLS` that are not looked at: nine rows with / between them, of sixteen x and .", ""),
		floatSetting("recording.days", "record-days", "`DAYS` that recordings are kept; 0 is as long as there is room", "0"),
		bytesSetting("recording.bytes", "record-most", "`BYTES` that are kept of it, such as 50G; none is as much as there is room for", "none"),
		boolSetting("recording.goBack", "go-back", "everybody who may watch it may go back in time in it; otherwise engineers alone"),
		stringSetting("lens.projection", "projection", "how the picture is projected: flat, equirectangular, top-bottom (two of them, for two eyes) or fisheye", "flat"),
		floatSetting("lens.fieldOfView", "field-of-view", "`DEGREES` of a fisheye, 90 to 240", "180"),
		stringSetting("outlet.to", "outlet", "where its HLS and stills are put besides, for a web server of your own: folder:NAME, https://HOST/PATH (PUT, WebDAV) or s3+https://HOST/BUCKET/PREFIX; empty for nowhere", ""),
		stringSetting("outlet.user", "outlet-user", "`USER` there, or access key", ""),
		outletPassword(),
		floatSetting("outlet.stillSeconds", "outlet-still", "`SECONDS` from one still.jpg there to the next; 0 puts none", "0"),
		combinedSetting("turns", "it shows other `FEEDS` in turn, each with its seconds: lower-station:20,upper-station:10; none for none"),
		combinedSetting("mosaic", "it shows up to nine `FEEDS` as one picture, a,b; none for none"),
		stringSetting("combined.size", "combined-size", "`SIZE` of turns that are transcoded, or of a mosaic", "1280x720"),
		floatSetting("combined.frameRate", "mosaic-rate", "fps of a mosaic", "10"),
		boolSetting("combined.alwaysTranscode", "turns-transcode", "transcode what is on even where all send in the same way"),
		boolSetting("combined.names", "mosaic-names", "draw the titles in a mosaic"),
		listSetting("delivery.off", "off-deliveries", "`DELIVERIES` that it does not give: hls, fragments, webrtc, motion-jpeg, still, rtsp; none for all on"),
	)
}

// flags are those of settings; told says that defaults are, too.
func flags(settings []settingFlag, told bool) (list []cli.Flag) {
	for _, s := range settings {
		if !told {
			switch f := s.flag.(type) {
			case *cli.StringFlag:
				f.DefaultText = ""
			case *cli.FloatFlag:
				f.DefaultText, f.HideDefault = "", true
			case *cli.IntFlag:
				f.DefaultText, f.HideDefault = "", true
			}
		}
		list = append(list, s.flag)
	}
	return append(list, &cli.BoolFlag{Name: "password-stdin", Usage: "read the camera's password from standard input"})
}

// patch gathers the settings whose flags were given.
func patch(c *cli.Command, settings []settingFlag) (client.Patch, error) {
	p := client.Patch{}
	for _, s := range settings {
		if c.IsSet(s.flag.Names()[0]) {
			p.Set(s.path, s.value(c))
		}
	}
	if c.Bool("password-stdin") {
		secret, err := password(c)
		if err != nil {
			return nil, err
		}
		p.Set("camera.password", secret)
	}
	return p, nil
}

// newFeed are the settings of a new feed: the defaults and what was given.
func newFeed(name, url string, given client.Patch) (apitypes.NewFeed, error) {
	in := apitypes.NewFeed{Name: name, FeedSettings: apitypes.Defaults(url)}
	body, err := json.Marshal(given)
	if err != nil {
		return in, err
	}
	return in, json.Unmarshal(body, &in.FeedSettings)
}

// flagOf is the flag of a field that the service found wrong, or the field's own name.
func flagOf(location string) string {
	path := strings.TrimPrefix(location, "body.")
	for _, s := range feedSettings() {
		if s.path == path {
			return "--" + s.flag.Names()[0]
		}
	}
	switch path {
	case "camera.url", "url":
		return "URL"
	case "name":
		return "NAME"
	case "body", "":
		return "input"
	}
	return path
}

// password returns the password that was given in whatever way.
func password(c *cli.Command) (string, error) {
	if !c.Bool("password-stdin") {
		return c.String("password"), nil
	}
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && err != io.EOF {
		return "", fmt.Errorf("no password could be read: %w", err)
	}
	return strings.TrimRight(line, "\r\n"), nil
}
