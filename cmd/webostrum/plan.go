package main

import (
	"context"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/media"
	"webostrum/core/plan"
)

func (a *app) plan() *cli.Command {
	return &cli.Command{
		Name: "plan", Usage: "what a feed will be like: pass through or transcode, delay, bits and processor, and what would make it better", OnUsageError: usageError,
		Flags: append(flags(cameraSettings(), true), outputFlag(),
			&cli.IntFlag{Name: "viewers", Usage: "how many watch at once", Value: 1},
			&cli.FloatFlag{Name: "within", Usage: "`SECONDS` that the picture may be behind; 0 is whatever is cheapest (default: the feed's own; 2 for a camera)"},
			&cli.BoolFlag{Name: "listen", Usage: "they have the sound on, for which players keep more in store"},
			&cli.StringFlag{Name: "uplink", Usage: "`RATE` that may leave the building, such as 20M or 500k bits a second"},
			&cli.StringSliceFlag{Name: "engines", Usage: "`ENGINES` that all viewers have, such as WebKit,Firefox (Chromium, Firefox, WebKit); none for any"},
			&cli.FloatFlag{Name: "seconds", Usage: "how long to read of a camera", Value: 4},
		),
		Arguments: []cli.Argument{&cli.StringArg{Name: "what", UsageText: "URL|FEED"}},
		Action:    a.makePlan,
	}
}

func (a *app) makePlan(ctx context.Context, c *cli.Command) error {
	what := c.StringArg("what")
	if what == "" || c.Args().Present() {
		return usagef("plan what? a feed, or a camera: webostrum plan lower-station, webostrum plan rtsp://192.0.2.7/main")
	}
	uplink, err := parseRate(c.String("uplink"))
	if err != nil {
		return err
	}
	if c.Int("viewers") < 1 {
		return usagef("for how many viewers? --viewers 1 or more")
	}
	engines, err := readEngines(listed(c, "engines"))
	if err != nil {
		return err
	}
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	var p *apitypes.Plan
	if !strings.Contains(what, "://") {
		q := client.PlanQuery{Viewers: c.Int("viewers"), Listen: c.Bool("listen"), Uplink: uplink, Engines: engines}
		if c.IsSet("within") {
			within := c.Float("within")
			q.Within = &within
		}
		p, err = cl.Plan(ctx, what, q)
	} else {
		p, err = a.planCamera(ctx, c, cl, what, apitypes.Demand{Viewers: c.Int("viewers"), Listen: c.Bool("listen"), Uplink: uplink, Engines: engines})
	}
	if err != nil {
		return err
	}
	return a.show(c, p, func(w io.Writer) { planText(w, p) })
}

func (a *app) planCamera(ctx context.Context, c *cli.Command, cl *client.Client, address string, demand apitypes.Demand) (p *apitypes.Plan, err error) {
	secret, err := password(c)
	if err != nil {
		return nil, err
	}
	demand.Within = 2
	if c.IsSet("within") {
		demand.Within = c.Float("within")
	}
	in := apitypes.Prospect{
		Camera: apitypes.Inspection{
			URL: address, User: c.String("user"), Password: secret, Transport: c.String("transport"),
			Fetch: c.String("fetch"), Fingerprint: c.String("fingerprint"), Seconds: c.Float("seconds"),
		},
		Demand: demand,
	}
	err = a.wait("Looking into the camera", func() error {
		p, err = cl.PlanCamera(ctx, in)
		return err
	})
	return p, err
}

// readEngines reads names of engines, however they are written.
func readEngines(names []string) (list []string, err error) {
	for _, name := range names {
		i := slices.IndexFunc(plan.Engines, func(e string) bool { return strings.EqualFold(e, name) })
		if i < 0 {
			return nil, usagef("no engine is called %q here: Chromium (Chrome, Edge and others), Firefox or WebKit (Safari, all browsers of iOS)", name)
		}
		list = append(list, plan.Engines[i])
	}
	return list, nil
}

var rateText = regexp.MustCompile(`(?i)^([0-9]+(?:\.[0-9]+)?)\s*([kmg]?)(?:bit/?s?|bps)?$`)

// parseRate reads bits a second, such as 20M, 500k or 1.5 Mbit/s; nothing is 0.
func parseRate(text string) (float64, error) {
	if text == "" {
		return 0, nil
	}
	m := rateText.FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return 0, usagef("a rate of %q is not known: write 20M, 500k or 1.5Mbit/s", text)
	}
	v, err := strconv.ParseFloat(m[1], 64)
	return v * map[string]float64{"": 1, "k": 1e3, "m": 1e6, "g": 1e9}[strings.ToLower(m[2])], err
}

// planText writes a plan as an engineer would say it.
func planText(w io.Writer, p *apitypes.Plan) {
	fmt.Fprintln(w, sourceText(p.Source))
	fmt.Fprintln(w, demandText(p))
	best := bestOf(p)
	fmt.Fprintf(w, "\nUse %s: %s. Expect it to be %s behind.\n", deliveryName(p.Best), p.Why, delayText(best.Seconds))
	for _, n := range p.Lengths.Notes {
		fmt.Fprintln(w, n)
	}
	fmt.Fprintln(w)
	row(w, "DELIVERY", "VIDEO", "EXPECTED DELAY", "A VIEWER", "ALL", "AN HOUR", "30 DAYS", "PROCESSOR", "MOST VIEWERS")
	for _, d := range p.Deliveries {
		row(w, deliveryName(d.Delivery), videoText(d), keepsText(d), bits(d.BitRate), bits(d.Total), volume(d.Hour), volume(d.Month), fmt.Sprintf("%.0f %% of a core", 100*d.Processor), mostText(d))
	}
	partsText(w, best)
	reasonsText(w, p)
	sizesText(w, p)
	playersText(w, p)
	measuredText(w, p)
	adviceText(w, p)
}

func sourceText(s apitypes.PlanSource) string {
	text := fmt.Sprintf("The camera sends %s, %s at %s, %s", plan.Name(media.Codec(s.Codec)), size(s.Width, s.Height), rate(s.FrameRate), bits(s.BitRate))
	if s.KeyframeEvery > 0 {
		text += fmt.Sprintf(", a keyframe every %.1f s", s.KeyframeEvery)
	}
	if s.BFrames {
		text += ", with B-frames"
	}
	return text + "; sound: " + firstOf(s.Audio, "none") + "."
}

func demandText(p *apitypes.Plan) string {
	text := fmt.Sprintf("For %d at a time", p.Viewers)
	if p.Viewers == 1 {
		text = "For one viewer"
	}
	if p.Within > 0 {
		text += fmt.Sprintf(", %g s behind at most", p.Within)
	} else {
		text += ", as cheap as can be"
	}
	if p.Listen {
		text += ", with sound"
	}
	if len(p.Engines) > 0 {
		text += ", all with " + strings.Join(p.Engines, ", ")
	}
	if p.Uplink > 0 {
		text += ", and an uplink of " + bits(p.Uplink)
	}
	return text + "."
}

func bestOf(p *apitypes.Plan) apitypes.PlanDelivery {
	for _, d := range p.Deliveries {
		if d.Delivery == p.Best {
			return d
		}
	}
	return apitypes.PlanDelivery{}
}

func deliveryName(d string) string { return plan.Delivery(d).Name() }

func videoText(d apitypes.PlanDelivery) string {
	switch {
	case !d.Possible:
		return "cannot be had here"
	case d.Transcode:
		return "transcoded"
	}
	return "passes through"
}

func keepsText(d apitypes.PlanDelivery) string {
	if d.Keeps {
		return delayText(d.Seconds)
	}
	return delayText(d.Seconds) + " (too late)"
}

func mostText(d apitypes.PlanDelivery) string {
	if d.Most == 0 {
		return "-"
	}
	return strconv.Itoa(d.Most)
}

func partsText(w io.Writer, d apitypes.PlanDelivery) {
	fmt.Fprintf(w, "\nWhat the %s are made of\n", delayText(d.Seconds))
	for _, x := range d.Parts {
		row(w, delayText(x.Seconds), x.Name, x.Why)
	}
}

func reasonsText(w io.Writer, p *apitypes.Plan) {
	fmt.Fprintln(w, "\nWhy")
	for _, d := range p.Deliveries {
		row(w, deliveryName(d.Delivery), capital(d.Why)+". "+d.Audio)
	}
	l := p.Lengths
	text := fmt.Sprintf("Segments of %g s, a list of %d", l.Segment, l.Listed)
	if l.Part > 0 {
		text += fmt.Sprintf(", parts of %g s", l.Part)
	}
	for _, d := range p.Deliveries {
		if d.Window > 0 {
			text += fmt.Sprintf(": a window of %.1f s; players that are not ours stay %.1f s behind the end of the list", d.Window, d.HoldBack)
		}
	}
	row(w, "Lengths", text+".")
}

func sizesText(w io.Writer, p *apitypes.Plan) {
	if len(p.Sizes) == 0 {
		return
	}
	var list []string
	for _, s := range p.Sizes {
		list = append(list, fmt.Sprintf("%s is %dx%d", s.Size, s.Width, s.Height))
	}
	row(w, "Sizes", "Of this shape that H.264 can be: "+strings.Join(list, ", ")+".")
	if len(p.Ladder) == 0 {
		return
	}
	list = nil
	for _, r := range p.Ladder {
		list = append(list, fmt.Sprintf("%s (%dx%d, %s)", r.Name, r.Width, r.Height, bits(float64(r.BitRate))))
	}
	row(w, "For weak lines", strings.Join(list, ", ")+": \"webostrum rendition ladder FEED\" adds them; they are made while somebody watches them.")
}

func playersText(w io.Writer, p *apitypes.Plan) {
	fmt.Fprintln(w, "\nWhich browsers play it, from the tests of this product and what viewers' players reported")
	for _, d := range p.Deliveries {
		name := deliveryName(d.Delivery)
		for _, x := range d.Players {
			mark, behind := "yes", delayText(x.Seconds)
			if !x.Plays {
				mark, behind = "no", "-"
			}
			row(w, name, x.Engine+" "+x.Version, mark, behind, x.How+reportedText(x.Reported))
			name = ""
		}
	}
}

// reportedText is what viewers' players have reported, as the end of a sentence.
func reportedText(r *apitypes.PlanReported) string {
	if r == nil {
		return ""
	}
	text := fmt.Sprintf("; viewers: %d played, %d could not", r.Plays, r.Failures)
	if r.Hours > 0 {
		text += fmt.Sprintf(", %.1f h, %.1f stalls an hour", r.Hours, r.StallsAnHour)
	}
	if r.Delay > 0 {
		text += ", " + delayText(r.Delay) + " behind"
	}
	return text
}

func measuredText(w io.Writer, p *apitypes.Plan) {
	m := p.Measured
	if m == nil {
		return
	}
	fmt.Fprintln(w, "\nMeasured now")
	row(w, "camera", fmt.Sprintf("%s, %s", bits(m.BitRate), rate(m.FrameRate)))
	row(w, "viewers", m.Viewers)
	row(w, "transcoding", fmt.Sprintf("%.0f %% of a core", 100*m.Processor))
	row(w, "delay", "\"webostrum delay FEED\" measures it in a browser")
}

func adviceText(w io.Writer, p *apitypes.Plan) {
	if len(p.Advice) == 0 {
		fmt.Fprintln(w, "\nThere is nothing to make better.")
		return
	}
	fmt.Fprintln(w, "\nWhat would make it better")
	for i, x := range p.Advice {
		row(w, fmt.Sprintf("%d.", i+1), x.Do, x.Gain)
	}
}

// volume writes an amount of data.
func volume(bytes float64) string {
	switch {
	case bytes < 1e9:
		return fmt.Sprintf("%.0f MB", bytes/1e6)
	case bytes < 1e12:
		return fmt.Sprintf("%.1f GB", bytes/1e9)
	}
	return fmt.Sprintf("%.1f TB", bytes/1e12)
}

func capital(text string) string {
	if text == "" {
		return ""
	}
	return strings.ToUpper(text[:1]) + text[1:]
}
