package main

import (
	"fmt"
	"math"

	"webostrum/testkit"
)

const (
	clicks      = 25 // one a second
	clicksFirst = 8  // that are left out: browsers take some seconds to settle
)

// lipSync measures by how much audio and pictures are apart in a browser.
func lipSync() ([]result, error) {
	t, end, err := openTheatre()
	if err != nil {
		return nil, err
	}
	defer end()
	var results []result
	for _, feed := range []struct{ name, audio string }{{"lower-station", "AAC"}, {"upper-station", "G.711"}} {
		for _, way := range []struct{ prefer, name string }{{"delay", "WebRTC"}, {"reach", "HLS, segments of 2 s"}} {
			if err := t.page.Open(t.demo.Address + "/watch/" + feed.name + "?audio=on&prefer=" + way.prefer); err != nil {
				return nil, err
			}
			if err := t.page.Until(onShow, playsWithin); err != nil {
				return nil, err
			}
			if err := testkit.Listen(t.page, `document.querySelector("webostrum-player").shadowRoot.querySelector("video")`); err != nil {
				return nil, err
			}
			if err := t.page.Until(fmt.Sprintf("window.offsets.length >= %d", clicks), 2*playsWithin); err != nil {
				return nil, err
			}
			const sorted = "window.offsets.slice(%d).sort((a, b) => a - b)"
			middle, err := t.page.Number(fmt.Sprintf("("+sorted+")[%d]", clicksFirst, (clicks-clicksFirst)/2))
			if err != nil {
				return nil, err
			}
			worst, err := t.page.Number(fmt.Sprintf("Math.max(...window.offsets.slice(%d).map(Math.abs))", clicksFirst))
			if err != nil {
				return nil, err
			}
			results = append(results, result{
				fmt.Sprintf("audio beside its picture in Chromium, %s camera, %s", feed.audio, way.name),
				fmt.Sprintf("%+.0f ms at the median, %.0f ms at the worst of %d", middle, worst, clicks-clicksFirst), "0 ms", fmt.Sprintf("%.0f ms", math.Abs(middle)), "within 40 ms",
			})
		}
	}
	return results, nil
}
