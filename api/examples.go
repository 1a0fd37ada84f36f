package api

import (
	"maps"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/snippet"
)

// explanation is what the document says of an operation besides its types.
type explanation struct {
	text    string
	request any
	answer  any
}

// exampleTime stands in all examples, so that the document changes only with the API.
var exampleTime = time.Date(2026, time.November, 26, 7, 30, 0, 0, time.UTC)

// parameterExamples are of the parameters in paths and queries.
var parameterExamples = map[string]any{
	"code": "k7w2m4x9pab3c5d7", "from": "2026-11-01", "to": "2026-11-30", "severity": "warning", "by": "anna", "search": "hung up", "until": exampleTime, "fold": true, "dry-run": true, "remove-others": false,
	"source": "daylight", "file": "summit-mast-20261125T000000Z-20261126T000000Z.mp4", "schedule": "daylight",
	"webostrum_session": "c2hvd24gb25jZQ", "name": "lower-station", "rendition": "small", "request": "picture-settings", "account": "night-shift",
	"link": "town-hall", "all": true, "address": "https://cams.example.org", "prefer": "delay", "within": 3, "viewers": 30, "uplink": 20_000_000, "listen": true, "engine": []string{"WebKit"}, "audio": true, "start": "press", "controls": "none", "fit": "cover", "poster": "still", "width": 640, "height": 360, "feed": "lower-station", "kind": "state", "since": exampleTime, "before": 1200, "after": 1150, "limit": 50,
}

// exampleIDs are of the parameter id, which is another thing in each operation.
var exampleIDs = map[string]any{"end-viewer": "k7w2", "show-search": "k7w2m4x9pa", "end-token": 12, "end-session": 31, "cancel-film": 3}

func exampleSettings() apitypes.FeedSettings {
	s := apitypes.Defaults("rtsp://192.0.2.7:554/main")
	s.Title, s.Audience.Who = "Lower station", "everyone"
	return s
}

func exampleFeed() apitypes.Feed {
	return apitypes.Feed{
		Name: "lower-station", Enabled: true, Credentials: true, FeedSettings: exampleSettings(),
		AudienceMeans: "Everyone who has the address can watch, without signing in.", Deliveries: []string{"hls", "fragments", "webrtc", "motion-jpeg", "still"}, Links: 2,
		State: "live", Since: exampleTime, Reason: "Frames come and go out.", Run: "r8m2", Codec: "H264", Width: 1280, Height: 720,
		BitRate: 2_010_000, FrameRate: 25, Keyframe: 2, Target: 2, Viewers: 3,
		Session: &apitypes.Session{Transport: "tcp", Codec: "H264", Profile: "Main", Level: "3.1", Slices: 1, Packets: 91_230, SenderReports: true},
		AudioStatus: apitypes.AudioStatus{
			Codec: "AAC", ClockRate: 16000, Channels: 1,
			HLS:    apitypes.AudioDelivery{Codec: "AAC", Why: "AAC goes out as it comes."},
			WebRTC: apitypes.AudioDelivery{Codec: "Opus", Transcoded: true, Why: "Browsers take Opus by WebRTC, so AAC is transcoded."},
		},
		Renditions: []apitypes.Rendition{exampleRendition()}, Requests: []apitypes.CameraRequest{exampleRequest()},
	}
}

func examplePublishing(key string) apitypes.Publishing {
	return apitypes.Publishing{
		Key: key, Needed: true, Means: "Whoever knows the feed's key may send to it.",
		Destinations: []apitypes.Destination{{Protocol: "RTMP", Address: "rtmp://192.0.2.10:1935/lower-station", Key: "The key is the stream's name, which publishers call the stream key."}},
	}
}

func examplePublisher() apitypes.Publisher {
	zoom := 1.0
	return apitypes.Publisher{Protocol: "WHIP", Address: "192.0.2.44:51000", Since: exampleTime, Camera: &apitypes.PublisherCamera{
		Cameras: []string{"Front", "Back"}, Camera: 1, Torch: new(bool), Zoom: &zoom, Zooms: &apitypes.ZoomRange{Min: 1, Max: 8, Step: 0.1},
		Focus: []string{"continuous", "manual"}, Focused: "continuous", Width: 1280, Height: 720,
	}}
}

func exampleNewRendition() apitypes.NewRendition {
	return apitypes.NewRendition{Name: "small", Codec: "H264", Size: "640x360", FrameRate: 12.5, BitRate: 400_000, Text: "{place}  {date} {time}"}
}

func exampleRendition() apitypes.Rendition {
	return apitypes.Rendition{
		NewRendition: exampleNewRendition(), Running: true, Users: 1, OutWidth: 640, OutHeight: 360, Share: 0.06, OutFrameRate: 12.5,
		Path: "/media/lower-station/hls/small/index.m3u8",
	}
}

func exampleRequest() apitypes.CameraRequest {
	return apitypes.CameraRequest{Name: "picture-settings", Method: "GET", Target: "/settings?size=***", AtConnection: true}
}

func exampleEvent() apitypes.Event {
	return apitypes.Event{ID: 1199, At: exampleTime, Feed: "lower-station", Kind: "state", Severity: "info", Text: "live"}
}

func exampleAccount() apitypes.Account {
	return apitypes.Account{Name: "night-shift", Role: "viewer", Created: exampleTime, Feeds: []string{"winch-room"}}
}

func exampleLinkSettings() apitypes.LinkSettings {
	ends := exampleTime.AddDate(0, 6, 0)
	return apitypes.LinkSettings{Ends: &ends, Sites: []string{"townhall.example"}, Deliveries: []string{}, Most: 50}
}

const exampleText = "AAEAAAAAAAfZ3bJ0yq1m0c2hvd24gb25"

func exampleLink() apitypes.Link {
	const path = "lower-station/link/" + exampleText
	return apitypes.Link{
		NewLink: apitypes.NewLink{Name: "town-hall", LinkSettings: exampleLinkSettings()}, Feed: "lower-station", Created: exampleTime, Viewers: 3,
		Watch: "/watch/" + path, Embed: "/embed/" + path, Media: "/media/" + path + "/", Text: exampleText,
	}
}

func exampleToken() apitypes.Token {
	return apitypes.Token{ID: 12, NewToken: apitypes.NewToken{Name: "dashboards", Scope: "metrics", Feeds: []string{}}, Account: "engineer", Created: exampleTime}
}

func exampleSession() apitypes.BrowserSession {
	return apitypes.BrowserSession{ID: 31, Account: "engineer", Address: "192.0.2.40", Browser: "Mozilla/5.0", Created: exampleTime, Ends: exampleTime.AddDate(0, 1, 0), Own: true}
}

func exampleEmbedding() apitypes.Embedding {
	o := snippet.Options{Base: "https://cams.example.org", Feed: "lower-station", Title: "Lower station", Prefer: "delay"}
	return apitypes.Embedding{Address: o.Page(), Iframe: o.Iframe(), Element: o.Element(), Image: o.Image(false), Video: o.Video(), Script: o.Script(), Reach: reachOutside, Notes: []string{}}
}

// explanations says of each operation, by its id, what its summary leaves open.
func explanations() map[string]explanation {
	feed := exampleFeed()
	small, oneSecond, sixty := "480x", 1.0, 60.0
	return map[string]explanation{
		"sign-in-page": {text: "Strangers are told the first account's name until somebody has signed in, and nothing after that.", answer: apitypes.SignInPage{FirstAccount: "engineer"}},
		"sign-in": {
			text:    "Sets the session's cookie, which requests that change something need together with the Origin of the service's own pages. Wrong tries are slowed down by account and by address.",
			request: apitypes.SignIn{Name: "engineer", Password: "correct horse battery"}, answer: apitypes.Me{Name: "engineer", Role: "engineer"},
		},
		"sign-out":     {text: "Ends the session, and within a second whatever it let somebody watch."},
		"me":           {text: "The account of the session or token, and what it may do: engineers everything, viewers watch.", answer: apitypes.Me{Name: "engineer", Role: "engineer"}},
		"list-feeds":   {text: "Viewers are not told of cameras' addresses, requests and answers.", answer: apitypes.FeedList{Feeds: []apitypes.Feed{feed}}},
		"add-feed":     {text: "The camera is opened at once unless enabled is false. What is left out has its default. The answer does not wait for the camera; ask for the feed, or listen to live, for how it went.", request: apitypes.NewFeed{Name: feed.Name, FeedSettings: exampleSettings()}, answer: feed},
		"show-feed":    {text: "Viewers are not told of the camera's address, requests and answers.", answer: feed},
		"edit-feed":    {text: "A JSON merge patch (RFC 7396) of the settings: members left out stay, null brings a default back. A camera on another host needs its password again.", request: map[string]any{"audience": map[string]any{"who": "everyone"}, "delivery": map[string]any{"segmentSeconds": 1}}, answer: feed},
		"remove-feed":  {text: "Ends the feed and all who watch it, and forgets its address and credentials. Its events stay."},
		"start-feed":   {text: "A feed that is on and waits for its next try is tried now.", answer: feed},
		"stop-feed":    {text: "The camera's connection is closed, and all who watch are told.", answer: feed},
		"feed-history": {text: "What came from the camera, second by second, for five minutes at most.", answer: apitypes.History{Points: []apitypes.Point{{At: exampleTime, BitRate: 2_010_000, FrameRate: 25}}}},
		"feed-delay": {text: "By what the feed and its settings are, part by part. What the viewer's line and screen add is not in it.", answer: apitypes.DelayList{Deliveries: []apitypes.Delay{{
			Delivery: "webrtc", Seconds: 0.1, Parts: []apitypes.DelayPart{{Name: "frame", Seconds: 0.04, Why: "a frame leaves when the next one comes"}},
		}}}},
		"add-ladder": {text: "Two smaller renditions of 720 lines and more, one of 540. They are edited and removed like any others.", answer: apitypes.RenditionList{Renditions: []apitypes.Rendition{exampleRendition()}}},
		"plan-feed":  {text: "From what the camera sends now: pass through or transcode for each delivery, why, the delay to expect with its parts, what it takes, and what would make it better.", answer: examplePlan()},
		"plan-camera": {text: "Looks into the camera first, as inspect does; nothing is kept.", request: apitypes.Prospect{
			Camera: apitypes.Inspection{URL: "rtsp://192.0.2.7:554/main", User: "viewer", Password: "funicular", Seconds: 4}, Demand: apitypes.Demand{Viewers: 30, Within: 2, Uplink: 20e6},
		}, answer: examplePlan()},
		"list-viewers": {text: "All who watch any feed, those of each method, the longest first.", answer: apitypes.ViewerList{Viewers: []apitypes.Viewer{{ID: "k7w2", Feed: "lower-station", Method: "webrtc", Address: "192.0.2.40", Since: exampleTime, Bytes: 18_400_000, Estimate: 6_200_000}}}},
		"end-viewer":   {text: "Players are told that they were ended, and do not come back by themselves for a minute."},
		"inspect": {text: "Opens the camera, reads for some seconds, and says what it sends and what to look out for. Nothing is kept. Answers after that time; eight at a time.", request: apitypes.Inspection{URL: "rtsp://192.0.2.7:554/main", User: "viewer", Password: "funicular", Seconds: 4},
			answer: apitypes.Report{URL: "rtsp://192.0.2.7:554/main", Transport: "tcp", Codec: "H264", Profile: "Main", Level: "3.1", Width: 1280, Height: 720, FrameRate: 25, BitRate: 2_010_000, KeyframeEvery: 2, Slices: 1, Packets: 812, Seconds: 4, Reports: true,
				Tracks: []apitypes.ReportTrack{{Kind: "video", Codec: "H264", ClockRate: 90000, Used: true}}, Notes: []string{}, FirstFrame: 0.3, Jitter: 0.004, Peak: 2_400_000, LargestFrame: 48_000,
				LeastKeyframe: 2, MostKeyframe: 2, RepeatsSets: true, Browsers: []apitypes.ReportBrowser{{Engine: "Chromium", AsIs: []string{"hls", "fragments", "webrtc"}, Made: []string{"motion-jpeg"}}},
				Verdict: "It works: every browser plays its video as it is. Nothing is wrong with it."}},
		"start-search": {text: "On all networks that the service's machine is on, by WS-Discovery and mDNS; nothing is sent to single addresses unless sweep names their network. Answers at once; show-search tells what was found. Two at a time.",
			request: apitypes.NewSearch{Seconds: 4, Sweep: []string{"192.168.1.0/24"}}, answer: exampleSearch()},
		"show-search": {text: "Ask again while running is true. The last sixteen are kept.", answer: exampleSearch()},
		"offered-streams": {text: "Signs in by ONVIF and asks what the camera is and what streams it has. Addresses of other hosts that it gives are taken as on the host that was named, since credentials go nowhere else. Nothing is kept.",
			request: apitypes.DeviceSignIn{Address: "192.0.2.7", User: "viewer", Password: "funicular"}, answer: exampleOffered()},
		"list-events": {text: "Newest first, page by page: before takes the number of the last event of the page before. after asks for what is newer than a number.", answer: apitypes.EventList{Events: []apitypes.Event{exampleEvent()}}},
		"live": {text: "The first event is named \"feeds\" and holds {now, feeds}; those named \"changed\" hold {now, feeds, gone}: the feeds that are others since, and the names of those that are gone, once a second and at every change; events named \"event\" hold one event, for engineers.",
			answer: "event: feeds\ndata: {\"now\":1795678200000,\"feeds\":[]}\n\n"},
		"add-rendition":         {text: "It is made while somebody watches it, and a little longer. Twelve of a feed at most.", request: exampleNewRendition(), answer: exampleRendition()},
		"camera-controls":       {text: "Asks the ONVIF device that the feed knows. It needs the camera's own user and password, which the feed has.", answer: exampleControls()},
		"set-camera-video":      {text: "Members left out stay as they are. What the camera cannot be set to is refused with what it can, before anything is written; the answer is what it says afterwards.", request: apitypes.VideoChange{KeyframeEvery: &oneSecond}, answer: exampleControls()},
		"set-camera-picture":    {text: "Members left out stay as they are.", request: apitypes.PictureChange{Brightness: &sixty}, answer: exampleControls()},
		"move-camera":           {text: "To a preset by its name or token, or by shares of the camera's range: 0.1 is a tenth of it.", request: apitypes.CameraMove{Preset: "Gate"}},
		"follow-camera":         {text: "By what its ONVIF device calls itself, on the networks that the service searches; takes some seconds. User and password stay, and go to where it is found.", answer: exampleFeed()},
		"camera-keyframe":       {text: "The camera sends one as soon as it can. The service asks by itself when pictures are missing."},
		"edit-rendition":        {text: "Members left out stay as they are. Who watches goes on, with the new settings from the next keyframe.", request: apitypes.RenditionChange{Size: &small}, answer: exampleRendition()},
		"remove-rendition":      {text: "Who watches it is sent the camera's own video by HLS, and ends by Motion JPEG."},
		"add-camera-request":    {text: "Values in the target's query and the body are credentials: they are kept sealed and shown as ***.", request: apitypes.CameraRequest{Name: "picture-settings", Method: "GET", Target: "/settings?size=960x540", AtConnection: true}, answer: exampleRequest()},
		"run-camera-request":    {text: "Answers with what the camera said, the first of it, whatever its status.", answer: apitypes.CameraAnswer{Status: http.StatusOK, Millis: 42, Text: "size=960x540"}},
		"remove-camera-request": {text: "It is not sent any more; the camera keeps what it was told."},
		"list-accounts":         {text: "Without their passwords, of which hashes alone are kept.", answer: apitypes.AccountList{Accounts: []apitypes.Account{exampleAccount()}}},
		"add-account":           {text: "The password is hashed, and told to nobody again.", request: apitypes.NewAccount{Name: "night-shift", Password: "correct horse battery", Role: "viewer"}, answer: exampleAccount()},
		"set-password":          {text: "Ends the account's sessions, and within a second what they let somebody watch.", request: apitypes.NewPassword{Password: "correct horse battery"}},
		"remove-account":        {text: "Ends its sessions, and within a second what they let somebody watch. The first account cannot be removed."},
		"list-links":            {text: "With their addresses: they are credentials, so engineers alone are told.", answer: apitypes.LinkList{Links: []apitypes.Link{exampleLink()}}},
		"add-link":              {text: "Whoever has its address may watch this one feed, until the link ends. Its text is signed, so that one that was made up costs nothing.", request: apitypes.NewLink{Name: "town-hall", LinkSettings: exampleLinkSettings()}, answer: exampleLink()},
		"edit-link":             {text: "The settings whole: what is left out has no limit. Its address stays. Whoever may no longer watch by it is ended within a second.", request: exampleLinkSettings(), answer: exampleLink()},
		"renew-link-key":        {text: "Links that were made before stay good, unless endOthers says that they end.", request: apitypes.NewLinkKey{EndOthers: true}, answer: apitypes.LinkKey{Key: 2, Ended: 7}},
		"list-addresses":        {text: "The first is the one that was asked by. Names and addresses that only a router or proxy knows are not among the others.", answer: apitypes.AddressList{Addresses: []apitypes.Address{{URL: "http://192.0.2.10:7600", Reach: "outside", Own: true}}}},
		"show-publishing":       {text: "The addresses are made of the host that this request came to.", answer: examplePublishing("")},
		"renew-publish-key":     {text: "The key is shown this once. Whoever sends by the one before is cut off.", answer: examplePublishing("k3mw-7tqa-x2pd-9rvn")},
		"add-publish-pass":      {text: "The page takes the pass from behind the # of its address, which is sent to no server. Another key for the feed ends all its passes.", request: apitypes.NewPass{Hours: 24}, answer: apitypes.Pass{URL: "https://cams.example.org/publish/visitor-phone#pass.t6qv.x", Pass: "pass.t6qv.x", Ends: exampleTime}},
		"show-publisher":        {text: "With what the camera page says of its camera, where that is who sends.", answer: examplePublisher()},
		"end-publisher":         {text: "It may come back, unless the feed gets another key."},
		"ask-publisher-camera":  {text: "Members left out stay. The page does what its camera can, and tells what came of it: ask for the publisher again.", request: apitypes.CameraWish{Torch: new(bool)}},
		"embed-feed":            {text: "HTML to copy, for the address that is given, and what to know before it is pasted.", answer: exampleEmbedding()},
		"edit-account":          {text: "Members left out stay. What the account may no longer watch ends within a second. There is always one engineer.", request: apitypes.AccountChange{Role: "viewer"}, answer: exampleAccount()},
		"list-tokens":           {text: "Without their texts, of which digests alone are kept.", answer: apitypes.TokenList{Tokens: []apitypes.Token{exampleToken()}}},
		"add-token":             {text: "Its text is in this answer alone. It can do no more than the account that made it, and ends with it.", request: apitypes.NewToken{Name: "dashboards", Scope: "metrics"}, answer: exampleToken()},
		"end-token":             {text: "What goes on by it ends within a second."},
		"list-sessions":         {text: "One's own; engineers may ask for those of all accounts.", answer: apitypes.SessionList{Sessions: []apitypes.BrowserSession{exampleSession()}}},
		"end-session":           {text: "What goes on by it ends within a second. One's own; engineers may end any."},
		"set-own-password":      {text: "Ends one's other sessions, and within a second what they let somebody watch.", request: apitypes.OwnPassword{Present: "correct horse battery", Password: "seven-otters-at-dawn"}},
		"new-second-factor":     {text: "Time-based one-time passwords (RFC 6238) for an authenticator. Nothing changes before a code of it has come back.", answer: apitypes.SecondFactor{Secret: "JBSWY3DPEHPK3PXP", URL: "otpauth://totp/Webostrum:engineer?issuer=Webostrum&secret=JBSWY3DPEHPK3PXP"}},
		"set-second-factor":     {text: "With the secret that was made and a code of it the account has a second factor from now on, and its other sessions end. With a code alone it is taken away.", request: apitypes.SecondCode{Secret: "JBSWY3DPEHPK3PXP", Code: "492039"}},
		"remove-link":           {text: "Whoever watches by it is ended within a second."},
	}
}

// explain writes explanations and examples into the document.
func (a *API) explain() {
	all := explanations()
	maps.Copy(all, runningExplanations())
	for _, path := range a.huma.OpenAPI().Paths {
		for _, op := range []*huma.Operation{path.Get, path.Post, path.Put, path.Patch, path.Delete} {
			if op != nil {
				all[op.OperationID].write(op)
			}
		}
	}
}

func (e explanation) write(op *huma.Operation) {
	op.Description = e.text
	for _, p := range op.Parameters {
		if p.Example = parameterExamples[p.Name]; p.Name == "id" {
			p.Example = exampleIDs[op.OperationID]
		}
	}
	if op.RequestBody != nil {
		for _, m := range op.RequestBody.Content {
			m.Example = e.request
		}
	}
	for status, r := range op.Responses {
		for kind, m := range r.Content {
			if kind != apitypes.ProblemType && status[0] == '2' {
				m.Example = e.answer
			}
		}
	}
	if op.Responses["404"] == nil && len(op.Parameters) > 0 && op.Parameters[0].In == "path" {
		op.Responses["404"] = problemResponse(op)
	}
}

// problemResponse is the answer about something that is not there, as the other
// problems of the operation are described.
func problemResponse(op *huma.Operation) *huma.Response {
	k, _ := fault.Lookup(fault.FeedUnknown)
	r := &huma.Response{Description: "Not Found", Content: map[string]*huma.MediaType{}}
	if other := op.Responses["422"]; other != nil {
		for kind, m := range other.Content {
			r.Content[kind] = &huma.MediaType{Schema: m.Schema, Example: apitypes.Problem{
				Title: "Not Found", Status: http.StatusNotFound, Detail: k.Sentence, Code: string(k.Code), Remedy: k.Remedy,
			}}
		}
	}
	return r
}

func exampleSearch() apitypes.Search {
	return apitypes.Search{ID: "k7w2m4x9pa", Running: true, Notes: []string{}, Found: []apitypes.FoundCamera{{
		Host: "192.0.2.7", ID: "urn:uuid:6f1c4e2a-8a64-4b0e-9d55-1f0a4c7e2b11", Name: "Passing loop", Hardware: "PL 2", Device: "http://192.0.2.7/onvif/device_service", Ways: []string{"WS-Discovery"},
	}}}
}

func exampleOffered() apitypes.OfferedStreams {
	return apitypes.OfferedStreams{
		Device: "http://192.0.2.7/onvif/device_service", Maker: "Morrow Crag Workshop", Model: "PL 2", Firmware: "1.2", Serial: "0815", Notes: []string{}, Streams: []apitypes.OfferedStream{{
			Token: "1", Name: "main", Codec: "H264", Profile: "Main", Width: 1280, Height: 720, FrameRate: 25, BitRate: 2_000_000, KeyframeEvery: 2,
			URL: "rtsp://192.0.2.7:554/main", Possible: true, Means: "Passes through to every browser.", Best: true,
		}},
	}
}

func exampleControls() apitypes.CameraControls {
	return apitypes.CameraControls{
		Video:   apitypes.CameraVideo{Codec: "H264", Profile: "Main", Width: 1280, Height: 720, FrameRate: 25, BitRate: 2_000_000, KeyframeEvery: 1},
		Options: []apitypes.VideoOptions{{Codec: "H264", Sizes: []string{"1920x1080", "1280x720"}, LeastRate: 1, MostRate: 30, LeastBits: 64_000, MostBits: 8_000_000, LeastKeyframe: 1, MostKeyframe: 300}},
		Moves:   true, Presets: []apitypes.CameraPreset{{Token: "1", Name: "Gate"}}, Notes: []string{},
		Picture: []apitypes.PictureLevel{{Name: "brightness", Value: 60, Most: 100}}, Filter: &apitypes.InfraredFilter{Mode: "AUTO", Modes: []string{"ON", "OFF", "AUTO"}},
	}
}

func examplePlan() apitypes.Plan {
	return apitypes.Plan{
		Source:  apitypes.PlanSource{Codec: "H264", Width: 1280, Height: 720, FrameRate: 25, BitRate: 2_010_000, KeyframeEvery: 4},
		Viewers: 30, Within: 2, Uplink: 20e6, Best: "hls", Why: "it keeps within the 2 s asked for, plays everywhere and goes through caches", Cores: 4,
		Lengths: apitypes.PlanLengths{Segment: 2, Part: 0.4, Listed: 6, Notes: []string{}},
		Deliveries: []apitypes.PlanDelivery{{
			Delivery: "hls", Possible: true, Why: "HLS carries the camera's H.264 untouched", Audio: "The camera sends no audio that can be used.", Container: "fragmented MP4 (CMAF) segments and playlists",
			Window: 24, HoldBack: 1.2, Seconds: 1.6, Parts: []apitypes.DelayPart{{Name: "part in the making", Seconds: 0.4, Why: "a part can be fetched once it is whole"}}, Keeps: true,
			BitRate: 2_050_000, Total: 61_500_000, Hour: 27.7e9, Month: 19.9e12, Most: 9, Processor: 0.01, Memory: 480_000,
			Players: []apitypes.PlanPlayer{{Engine: "Chromium", Version: "156", Plays: true, How: "by script", Seconds: 1.6}},
		}},
		Ladder: []apitypes.PlanRendition{{Name: "lines-480", Size: "x480", Width: 854, Height: 480, BitRate: 1_024_800}},
		Sizes:  []apitypes.PlanSize{{Size: "1/2", Width: 640, Height: 360}},
		Advice: []apitypes.PlanAdvice{{Do: "Set the camera's keyframe interval to 1 s; it is 4.0 s.", Gain: "Players that are not ours wait up to 4 s for a keyframe."}},
	}
}
