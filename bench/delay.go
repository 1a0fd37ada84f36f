package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"webostrum/browser"
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
	window.shown = () => document.querySelector("#seen") ?? document.querySelector("webostrum-player")?.shadowRoot.querySelector("video");
	window.all = [];
	window.gather = (every) => { window.all = []; window.timer = setInterval(() => { const d = window.behind(window.shown()); if (d > 0) window.all.push(d); }, every); };
	window.at = (share) => { const s = [...window.all].sort((a, b) => a - b); return s[Math.min(s.length - 1, Math.floor(s.length * share))] ?? 0; };
	window.join = () => {
		document.body.innerHTML = "";
		const player = document.createElement("webostrum-player");
		player.setAttribute("prefer", "delay");
		player.setAttribute("feed", "` + demoFeed + `");
		window.joined = 0;
		const begun = performance.now();
		document.body.append(player);
		const video = player.shadowRoot.querySelector("video");
		video.requestVideoFrameCallback(() => { window.joined = performance.now() - begun; });
	};`

// theatre is a running demo and a browser that looks at it.
type theatre struct {
	demo *testkit.Demo
	page *browser.Page
}

func openTheatre() (*theatre, func(), error) {
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
	return &theatre{demo, page}, end, page.Open(demo.Enter)
}

// open goes to a watch page and gives it the tools.
func (t *theatre) open(query string) error {
	if err := t.page.Open(t.demo.Address + "/watch/" + demoFeed + query); err != nil {
		return err
	}
	if err := testkit.ReadClocks(t.page); err != nil {
		return err
	}
	return t.page.Run(tools)
}

const onShow = `document.querySelector("webostrum-player")?.dataset.status === "playing"`

// measureDelay gathers delays for a while, after it has settled.
func (t *theatre) measureDelay(ready string) (median, high float64, err error) {
	if err := t.page.Until(ready, playsWithin); err != nil {
		return 0, 0, err
	}
	time.Sleep(settleFor)
	if err := t.page.Run(fmt.Sprintf("window.gather(%d)", delayEvery.Milliseconds())); err != nil {
		return 0, 0, err
	}
	time.Sleep(delayFor)
	if median, err = t.page.Number("window.at(0.5)"); err != nil {
		return 0, 0, err
	}
	high, err = t.page.Number("window.at(0.95)")
	return median, high, err
}

// delays measures how old the pictures are that a browser shows.
func delays() ([]result, error) {
	t, end, err := openTheatre()
	if err != nil {
		return nil, err
	}
	defer end()
	const frame = 1000.0 / 25
	var results []result
	add := func(what string, median, high, unavoidable float64, parts, aim string) {
		results = append(results, result{
			"delay in Chromium from the pixels, 720p25: " + what, fmt.Sprintf("%.0f ms, 95th percentile %.0f ms", median, high),
			fmt.Sprintf("%.0f ms that cannot be avoided: %s", unavoidable, parts), fmt.Sprintf("%.1f", median/unavoidable), aim,
		})
	}
	if err := t.open("?prefer=delay"); err != nil {
		return nil, err
	}
	m, h, err := t.measureDelay(onShow)
	if err != nil {
		return nil, err
	}
	add("WebRTC", m, h, frame/2+8, "half a frame until it is shown, coding", "under 150 ms")
	if err := t.open(""); err != nil {
		return nil, err
	}
	if err := t.page.Run(`document.body.innerHTML = "<img id=seen>"; document.querySelector("#seen").src = "/media/` + demoFeed + `/mjpeg";`); err != nil {
		return nil, err
	}
	if m, h, err = t.measureDelay("window.shown().naturalWidth > 0"); err != nil {
		return nil, err
	}
	add("Motion JPEG, transcoded", m, h, frame/2+16, "half a frame, coding, coding again", "–")
	if err := t.open(""); err != nil {
		return nil, err
	}
	if m, h, err = t.measureDelay(onShow); err != nil {
		return nil, err
	}
	const segment = 2000
	add("HLS, segments of 2 s", m, h, 3*segment, "three segments of hold-back", "–")
	return results, nil
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
		if err := t.open("?prefer=delay"); err != nil {
			return nil, err
		}
		if err := t.page.Until(onShow, playsWithin); err != nil {
			return nil, err
		}
		var all []float64
		for n := range joins {
			time.Sleep(time.Duration(n*37%20) * 100 * time.Millisecond) // moments that have nothing to do with keyframes
			if err := t.page.Run("window.join()"); err != nil {
				return nil, err
			}
			if err := t.page.Until("window.joined > 0", playsWithin); err != nil {
				return nil, err
			}
			took, err := t.page.Number("window.joined")
			if err != nil {
				return nil, err
			}
			all = append(all, took)
		}
		m := median(all)
		results = append(results, result{
			fmt.Sprintf("from asking to the first picture, WebRTC, a keyframe every %s", keys),
			fmt.Sprintf("%.0f ms", m), fmt.Sprintf("%.0f ms to the next keyframe", float64(keys.Milliseconds())/2), fmt.Sprintf("%.2f", m/float64(keys.Milliseconds()/2)), "under 300 ms",
		})
	}
	return results, nil
}
