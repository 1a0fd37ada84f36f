package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"webostrum/browser"
	"webostrum/client"
	"webostrum/core/plan"
	"webostrum/service"
	"webostrum/sim"
	"webostrum/testkit"
)

const (
	delayFor    = time.Minute
	delayEvery  = 100 * time.Millisecond
	joins       = 20
	playsWithin = 60 * time.Second
	settleFor   = 5 * time.Second
	demoFeed    = "lower-station"
)

// tools are functions that the measuring pages have: gather keeps how far behind the
// picture on show is.
const tools = `
	window.shown = () => {
		const root = document.querySelector("webostrum-player")?.shadowRoot;
		const image = root?.querySelector("img");
		return image && !image.hidden ? image : root?.querySelector("video");
	};
	window.all = [];
	window.gather = (every) => {
		window.all = [];
		window.stalls = 0;
		window.shown().addEventListener("waiting", () => window.stalls++); window.timer = setInterval(() => { const d = window.behind(window.shown()); if (d > 0) window.all.push(d); }, every);
	};
	window.at = (share) => { const s = [...window.all].sort((a, b) => a - b); return s[Math.min(s.length - 1, Math.floor(s.length * share))] ?? 0; };
	window.join = (by) => {
		document.body.innerHTML = "";
		const player = document.createElement("webostrum-player");
		player.setAttribute("by", by);
		player.setAttribute("feed", "` + demoFeed + `");
		window.joined = 0;
		const begun = performance.now();
		document.body.append(player);
		const video = player.shadowRoot.querySelector("video");
		video.requestVideoFrameCallback(() => { window.joined = performance.now() - begun; });
	};`

// theatre is a running demo and a page that looks at it.
type theatre struct {
	demo *testkit.Demo
	page screen
}

// cinema is a theatre with Chromium.
type cinema struct {
	*theatre
	page *browser.Page
}

func openTheatre() (*cinema, func(), error) {
	data, err := os.MkdirTemp("", "webostrum-bench-")
	if err != nil {
		return nil, nil, err
	}
	demo, err := testkit.StartDemo(data)
	if err != nil {
		return nil, nil, err
	}
	page, stop, err := browser.Open(context.Background(), 1280, 800)
	if err != nil {
		demo.Kill()
		return nil, nil, err
	}
	end := func() {
		stop()
		demo.Kill()
		_ = os.RemoveAll(data)
	}
	return &cinema{&theatre{demo, page}, page}, end, page.Open(demo.Enter)
}

// open goes to a watch page and gives it the tools.
func (t *theatre) open(query string) error { return t.openFeed(demoFeed, query) }

// openFeed is open of another feed.
func (t *theatre) openFeed(feed, query string) error {
	if err := t.page.Open(t.demo.Address + "/watch/" + feed + query); err != nil {
		return err
	}
	if err := testkit.ReadClocks(t.page); err != nil {
		return err
	}
	return t.page.Run(tools)
}

const onShow = `document.querySelector("webostrum-player")?.dataset.status === "playing"`

// seen is what was measured on the screen.
type seen struct{ median, high, stalls float64 }

// measureDelay gathers delays for a while, after it has settled.
func (t *theatre) measureDelay(ready string, span time.Duration) (s seen, err error) {
	if err := t.page.Until(ready, playsWithin); err != nil {
		return s, err
	}
	time.Sleep(settleFor)
	if err := t.page.Run(fmt.Sprintf("window.gather(%d)", delayEvery.Milliseconds())); err != nil {
		return s, err
	}
	time.Sleep(span)
	for expression, into := range map[string]*float64{"window.at(0.5)": &s.median, "window.at(0.95)": &s.high, "window.stalls": &s.stalls} {
		if *into, err = t.page.Number(expression); err != nil {
			return s, err
		}
	}
	return s, nil
}

// way is a delivery, as it is measured.
type way struct {
	name     string
	query    string
	delivery plan.Delivery
	settings client.Patch // of delivery; nil leaves them
	audio    string       // of the feed
	listen   bool
	aim      string
}

var waysToMeasure = []way{
	{"WebRTC", "by=webrtc", plan.WebRTC, client.Patch{"within": 0.5}, "on", false, "under 150 ms"},
	{"live fragments", "by=fragments", plan.Fragments, nil, "on", false, "200 ms, 95th percentile 300 ms"},
	{"live fragments, with sound", "by=fragments&audio=on", plan.Fragments, nil, "on", true, "–"},
	{"Motion JPEG, transcoded", "by=motion-jpeg", plan.MotionJPEG, nil, "on", false, "–"},
	{"low-latency HLS within 0.5 s, with sound", "by=hls", plan.HLS, nil, "on", false, "500 ms"},
	{"low-latency HLS within 0.5 s", "by=hls", plan.HLS, nil, "off", false, "500 ms"},
	{"low-latency HLS within 2 s", "by=hls", plan.HLS, client.Patch{"within": 2}, "on", false, "under 2 s"},
	{"HLS with segments of 1 s, as plain players", "by=hls-plain", plan.HLS, client.Patch{"within": 10, "segmentSeconds": 1}, "on", false, "–"},
}

// delays measures how old the pictures are that a browser shows, beside what the plan has
// said.
func delays() ([]result, error) {
	t, end, err := openTheatre()
	if err != nil {
		return nil, err
	}
	defer end()
	c, err := localClient(t.demo)
	if err != nil {
		return nil, err
	}
	ctx := context.Background()
	var results []result
	for _, w := range waysToMeasure {
		change := client.Patch{"audio": client.Patch{"mode": w.audio, "hls": w.audio}}
		if w.settings != nil {
			change["delivery"] = w.settings
		}
		if _, err := c.EditFeed(ctx, demoFeed, change); err != nil {
			return nil, err
		}
		time.Sleep(settleFor + 5*time.Second) // a list of some segments
		if err := t.open("?" + w.query); err != nil {
			return nil, err
		}
		s, err := t.measureDelay(onShow, delayFor)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", w.name, err)
		}
		expected, err := expectedDelay(ctx, c, w, plan.Chromium)
		if err != nil {
			return nil, err
		}
		results = append(results, result{
			"delay in Chromium from the pixels, 720p25: " + w.name, fmt.Sprintf("%.0f ms, 95th percentile %.0f ms, %.0f stalls in a minute", s.median, s.high, s.stalls),
			fmt.Sprintf("%.0f ms expected by the plan", expected), fmt.Sprintf("%.2f", s.median/expected), w.aim,
		})
	}
	return results, nil
}

func localClient(demo *testkit.Demo) (*client.Client, error) {
	local, err := service.ReadLocal(demo.Data)
	if err != nil {
		return nil, err
	}
	return client.New(local.Address, local.Token), nil
}

// expectedDelay is what the plan says of a way in an engine, milliseconds.
func expectedDelay(ctx context.Context, c *client.Client, w way, engine string) (float64, error) {
	p, err := c.Plan(ctx, demoFeed, client.PlanQuery{Listen: w.listen})
	if err != nil {
		return 0, err
	}
	for _, o := range p.Deliveries {
		for _, x := range o.Players {
			if o.Delivery == string(w.delivery) && x.Engine == engine {
				return 1000 * x.Seconds, nil
			}
		}
	}
	return 0, fmt.Errorf("the plan says nothing of %s in %s", w.delivery, engine)
}

// joining measures the time from asking to the first picture.
func joining() ([]result, error) {
	t, end, err := openTheatre()
	if err != nil {
		return nil, err
	}
	defer end()
	var results []result
	for _, keys := range []time.Duration{2 * time.Second, 10 * time.Second} {
		if err := sim.Tell(context.Background(), t.demo.Control, demoFeed, sim.Order{Reboot: &sim.RebootOrder{KeySeconds: keys.Seconds(), OffSeconds: 0.5}}); err != nil {
			return nil, err
		}
		time.Sleep(settleFor + keys)
		for _, by := range []string{"webrtc", "hls"} {
			r, err := t.joinBy(by, keys)
			if err != nil {
				return nil, err
			}
			results = append(results, r)
		}
	}
	return results, nil
}

// joinBy measures the first picture of a delivery.
func (t *theatre) joinBy(by string, keys time.Duration) (result, error) {
	if err := t.open("?by=" + by); err != nil {
		return result{}, err
	}
	if err := t.page.Until(onShow, playsWithin); err != nil {
		return result{}, err
	}
	var all []float64
	for n := range joins {
		time.Sleep(time.Duration(n*37%20) * 100 * time.Millisecond) // whatever the keyframes do
		if err := t.page.Run(fmt.Sprintf("window.join(%q)", by)); err != nil {
			return result{}, err
		}
		if err := t.page.Until("window.joined > 0", playsWithin); err != nil {
			return result{}, err
		}
		took, err := t.page.Number("window.joined")
		if err != nil {
			return result{}, err
		}
		all = append(all, took)
	}
	m, wait := median(all), float64(keys.Milliseconds())/2
	aim := map[string]string{"webrtc": "under 300 ms", "hls": "under 1 s"}[by]
	return result{
		fmt.Sprintf("from asking to the first picture, %s, a keyframe every %s", map[string]string{"webrtc": "WebRTC", "hls": "HLS within 2 s"}[by], keys),
		fmt.Sprintf("%.0f ms", m), fmt.Sprintf("%.0f ms to the next keyframe", wait), fmt.Sprintf("%.2f", m/wait), aim,
	}, nil
}
