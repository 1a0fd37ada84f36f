package api

import (
	"time"

	"webostrum/apitypes"
)

// runningExplanations are those of the operations by which the service is run.
func runningExplanations() map[string]explanation {
	check := apitypes.ReachCheck{
		Code: "k7w2m4x9pab3c5d7", Feed: "lower-station", URL: "https://cams.example.org/reach/k7w2m4x9pab3c5d7", Others: []string{"http://192.0.2.10:7600/reach/k7w2m4x9pab3c5d7"}, Ends: exampleTime.Add(time.Hour),
		Devices: []apitypes.ReachDevice{{ID: "81", Address: "198.51.100.4", Browser: "Chrome 156", At: exampleTime, Findings: []apitypes.ReachFinding{exampleFinding()}}},
	}
	rules := apitypes.RuleList{Router: "192.168.1.1", By: "PCP", Outside: "198.51.100.7", Rules: []apitypes.Rule{{Protocol: "UDP", Outside: 7601, Inside: 7601, For: "WebRTC", Ends: exampleTime.Add(time.Hour)}}}
	up := 99.62
	strip := apitypes.Strip{Begins: exampleTime.Add(-24 * time.Hour), Cell: 300, Cells: "lllldlll"}
	alerts := usualAlerts()
	alerts.Webhook = apitypes.AlertWebhook{URL: "https://hooks.example.org/cameras", Signed: true}
	return map[string]explanation{
		"show-outlet": {text: "Where it is put to nowhere, to is empty.", answer: apitypes.OutletState{To: "folder:lower-station", Newest: &exampleTime, Files: 9}},
		"show-turn":   {text: "Of a feed whose settings say that it takes turns.", answer: exampleTurn("")},
		"put-on":      {text: "It comes on with its next keyframe, and stays until another is put on, they take turns again, or it is not live any more.", request: apitypes.PutOn{Feed: "upper-station"}, answer: exampleTurn("upper-station")},
		"list-stills": {text: "What was taken by a schedule that is no more stays in its folder and is not listed.", answer: apitypes.StillList{
			Schedules: []apitypes.ScheduleState{{Name: "daylight", Next: &exampleTime, Files: 480, Bytes: 38_000_000, Latest: "/media/summit-mast/stills/daylight/latest.jpg"}},
			Stills:    []apitypes.KeptStill{{At: exampleTime, Bytes: 82_000, Address: "/media/summit-mast/stills/daylight/2026-11-26/summit-mast-20261126T103000Z.jpg"}},
		}},
		"list-films":        {text: "And those in the making, for engineers.", answer: apitypes.FilmList{Films: []apitypes.Film{exampleFilm()}, Jobs: []apitypes.FilmJob{}}},
		"make-film":         {text: "One is made at a time; the answer tells its number, and list-films how far it is.", request: apitypes.NewFilm{Source: "daylight", From: exampleTime.Add(-24 * time.Hour), To: exampleTime, Seconds: 60, Format: "mp4"}, answer: apitypes.FilmJob{ID: 3, Source: "daylight", From: exampleTime.Add(-24 * time.Hour), To: exampleTime, Format: "mp4"}},
		"remove-film":       {text: "The file, and nothing that it was made of."},
		"cancel-film":       {text: "What is there of it so far is thrown away."},
		"show-recordings":   {text: "Of feeds that are gone, too: what was recorded outlives them.", answer: exampleRoom()},
		"list-recordings":   {text: "Stretches of time without gaps, in which the picture is coded in one way. For engineers, and where the feed lets viewers go back for those who may watch it.", answer: exampleRecordings()},
		"keep-recordings":   {text: "The files that have something in that time; those that are being written cannot be marked yet.", request: apitypes.KeepRecordings{From: exampleTime, To: exampleTime.Add(10 * time.Minute), Keep: true}, answer: apitypes.RecordingsChanged{Files: 2}},
		"remove-recordings": {text: "Files that reach beyond that time stay, and what is marked to be kept.", answer: apitypes.RecordingsChanged{Files: 6, Bytes: 900_000_000}},
		"start-recording":   {text: "Whatever the feed's settings say, until it is stopped or the time is over.", request: apitypes.RecordNow{Minutes: 30}, answer: exampleRecordings().State},
		"stop-recording":    {text: "What its settings have recorded goes on.", answer: apitypes.RecordingState{}},
		"show-motion":       {text: "It is measured while somebody asks, and all the time where the feed is recorded on motion.", answer: apitypes.Motion{Threshold: 1, Points: []apitypes.MotionPoint{{At: exampleTime, Changed: 2.4}}, Cells: [][]float64{{0, 0, 12.5}}}},
		"show-reach":        {text: "Every port that somebody comes to, whether it is listened on now, and the rule that a router needs for it.", answer: exampleReach()},
		"add-reach-check":   {text: "Whoever has its code can watch the one feed for an hour, and reports what gets through. The sixteen newest are kept.", request: apitypes.NewReachCheck{Feed: "lower-station"}, answer: check},
		"show-reach-check":  {text: "Each device's newest finding of each trial, in words.", answer: check},
		"ask-router":        {text: "By PCP, NAT-PMP or UPnP, whichever it knows, for the ports that viewers outside need. It is renewed by itself, and taken back when the service ends.", answer: rules},
		"withdraw-rules":    {text: "A router that does not answer forgets the rules within an hour.", answer: apitypes.RuleList{Rules: []apitypes.Rule{}}},
		"feed-availability": {text: "Cells tell the worst that lasted for a hundredth of their time. The time in which the service did not run, or the feed was not wanted, does not count.", answer: apitypes.Availability{Feed: "lower-station", Now: "live", Day: strip, Month: strip, DayUp: &up, MonthUp: &up, Outages: []apitypes.Outage{{Began: exampleTime, Seconds: 312, Over: true, Code: "camera-no-answer", Reason: "Nothing answers at the camera's address."}}}},
		"list-availability": {text: "Made anew twice a minute at most.", answer: apitypes.StripList{Begins: strip.Begins, Cell: strip.Cell, Strips: []apitypes.FeedStrip{{Feed: "lower-station", Cells: strip.Cells, Up: &up}}}},
		"morning": {text: "Written as a colleague would: what is wrong now first, then what was, with what belongs together told once.", answer: apitypes.Morning{
			Since: exampleTime.Add(-12 * time.Hour), Until: exampleTime, Headline: "All 7 feeds are live. Since Thu 18:00, 1 was down and is back.", Wrong: []apitypes.MorningItem{}, Poor: []apitypes.MorningItem{}, Service: []apitypes.MorningEvent{}, Quiet: 6,
			Was: []apitypes.MorningItem{{Feeds: []string{"winch-room"}, Text: "was down from 02:13, for 14 minutes. Nothing answers at the camera's address.", Began: exampleTime, Seconds: 840, Times: 1}},
		}},
		"show-usage":    {text: "Days are of UTC, kept for 400. What viewers get from a cache in front is not in it.", answer: exampleUsage()},
		"usage-table":   {text: "A line for each day, feed and delivery: day, feed, delivery, bytes, viewer_hours, most_viewers.", answer: "day,feed,delivery,bytes,viewer_hours,most_viewers\n2026-11-26,lower-station,hls,18400000,2.500,3\n"},
		"set-allowance": {text: "Of a month of the calendar, in UTC. At four fifths of it there is a warning.", request: apitypes.UsageLimit{Bytes: 2e12, Stop: true}, answer: apitypes.UsageLimit{Bytes: 2e12, Stop: true}},
		"show-alerts":   {text: "Without secrets and passwords.", answer: alerts},
		"set-alerts":    {text: "The settings whole. Secrets that are left out stay, as long as the host does.", request: alerts, answer: alerts},
		"test-alerts":   {text: "By each way that is set, at once, quiet time or not.", answer: apitypes.AlertTest{Results: []apitypes.AlertResult{{By: "webhook"}}}},
		"export-feeds":  {text: "Without credentials. What is hidden of addresses is shown as ***, and may be sent back so.", answer: exampleFile()},
		"import-feeds":  {text: "Feeds are added or changed as the file says; others stay unless remove-others is set. With one that cannot be as it says, nothing is changed.", request: exampleFile(), answer: apitypes.FeedFileResult{Added: []string{"gate"}, Changed: []string{}, Removed: []string{}, Keys: []string{}, Unchanged: 6, Done: true}},
	}
}

func exampleFinding() apitypes.ReachFinding {
	return apitypes.ReachFinding{Trial: "https", Name: "HTTPS", Outcome: "works", Millis: 140, Sentence: "HTTPS works from here."}
}

func exampleReach() apitypes.Reach {
	return apitypes.Reach{
		Outside: "https://cams.example.org", Inside: []string{"192.168.1.20"}, Notes: []string{},
		Ports: []apitypes.ReachPort{{For: "WebRTC", Protocol: "UDP", Listen: "0.0.0.0:7601", Port: 7601, Open: true, Who: reachNetwork, Rule: "UDP 7601 to 192.168.1.20, port 7601", Whom: forViewers}},
	}
}

func exampleUsage() apitypes.Usage {
	return apitypes.Usage{
		From: "2026-11-01", To: "2026-11-26", Bytes: 18_400_000, Hours: 2.5, Month: 18_400_000, Allowance: apitypes.UsageLimit{Bytes: 2e12},
		Rows:   []apitypes.UsageRow{{Day: "2026-11-26", Feed: "lower-station", Delivery: "hls", Bytes: 18_400_000, Hours: 2.5, Most: 3}},
		Totals: []apitypes.UsageTotal{{Feed: "lower-station", Bytes: 18_400_000, Hours: 2.5, Most: 3}},
	}
}

func exampleFile() apitypes.FeedFile {
	return apitypes.FeedFile{Feeds: []apitypes.FeedEntry{{NewFeed: apitypes.NewFeed{Name: "gate", FeedSettings: apitypes.Defaults("rtsp://192.0.2.7/main")}}}}
}

func exampleRecordings() apitypes.Recordings {
	begins, ends := exampleTime.Add(-time.Hour), exampleTime
	return apitypes.Recordings{
		Feed: "lower-station", State: apitypes.RecordingState{Recording: true, Why: "always", Since: &begins}, Oldest: &begins, Newest: &ends, Bytes: 900_000_000, Files: 6,
		Spans: []apitypes.RecordedSpan{{Begins: begins, Ends: ends, Bytes: 900_000_000, Width: 1280, Height: 720, Codec: "avc1.42C01F", Audio: true, Why: "always"}},
	}
}

func exampleRoom() apitypes.RecordingRoom {
	r := exampleRecordings()
	return apitypes.RecordingRoom{
		Folder: "/var/lib/webostrum/recordings", Files: 6, Bytes: r.Bytes, Free: 65_000_000_000, Disk: 250_000_000_000, Spare: 2_000_000_000,
		Feeds: []apitypes.RecordedFeed{{Feed: r.Feed, Files: r.Files, Bytes: r.Bytes, Oldest: r.Oldest, Newest: r.Newest, State: r.State}},
	}
}

func exampleFilm() apitypes.Film {
	return apitypes.Film{
		Source: "daylight", Name: "summit-mast-20261125T000000Z-20261126T000000Z.mp4", Format: "mp4", From: exampleTime.Add(-24 * time.Hour), To: exampleTime, Bytes: 18_000_000,
		Address: "/media/summit-mast/films/daylight/summit-mast-20261125T000000Z-20261126T000000Z.mp4", Latest: "/media/summit-mast/films/daylight/latest.mp4",
	}
}

func exampleTurn(held string) apitypes.Turn {
	return apitypes.Turn{On: "lower-station", Since: &exampleTime, Held: held, Why: "All send in the same way, so it is passed through, and nothing is transcoded.", Sources: []apitypes.TurnSource{
		{Feed: "lower-station", Title: "Lower station", Seconds: 20, State: "live", Available: true}, {Feed: "upper-station", Title: "Upper station", Seconds: 10, State: "idle", Available: true},
	}}
}
