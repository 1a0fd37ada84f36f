package main

import (
	"context"
	"fmt"
	"time"

	"webostrum/apitypes"
	"webostrum/browser"
)

// paintedCamera gives the camera page a camera that sees the service's clock: the code of the
// page /clock, at the lower right of a picture that moves.
const paintedCamera = `
	navigator.mediaDevices.getUserMedia = async () => {
		const frame = Object.assign(document.createElement("iframe"), { src: "/clock" });
		frame.style = "position:fixed;left:0;top:0;width:320px;height:320px;opacity:0.01;pointer-events:none;z-index:9";
		document.body.append(frame);
		await new Promise((done) => { frame.onload = done; });
		const canvas = Object.assign(document.createElement("canvas"), { width: 640, height: 360 });
		const pen = canvas.getContext("2d");
		pen.imageSmoothingEnabled = false;
		let n = 0;
		const draw = () => {
			pen.fillStyle = "hsl(" + (n++ % 360) + " 30% 40%)";
			pen.fillRect(0, 0, 640, 360);
			pen.fillStyle = "#fff";
			pen.fillRect((n * 3) % 600, 60, 40, 40);
			pen.drawImage(frame.contentDocument.getElementById("code"), 640 - 108, 360 - 108, 108, 108);
			requestAnimationFrame(draw);
		};
		draw();
		return canvas.captureStream(30);
	};`

const benchPhone = "bench-phone"

// phone measures how old the pictures are that came from a browser's camera page, in another
// browser.
func phone() ([]result, error) {
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
	in := apitypes.NewFeed{Name: benchPhone, FeedSettings: apitypes.Defaults("")}
	in.Publish.Pushed, in.Audience.Who, in.Delivery.Within = true, "everyone", 0.5
	if _, err := c.AddFeed(ctx, in); err != nil {
		return nil, err
	}
	pass, err := c.AddPass(ctx, benchPhone, 1)
	if err != nil {
		return nil, err
	}
	sender, stop, err := browser.Open(ctx, 390, 844, browser.FakeCamera...)
	if err != nil {
		return nil, err
	}
	defer stop()
	if err := sender.Before(paintedCamera); err != nil {
		return nil, err
	}
	if err := sender.Open(pass.URL); err != nil {
		return nil, err
	}
	if err := sender.Press("Start the camera"); err != nil {
		return nil, err
	}
	if err := sender.Until(`document.body.dataset.state === "sending"`, playsWithin); err != nil {
		return nil, err
	}
	time.Sleep(4 * settleFor) // until the browser has found its bit rate
	var results []result
	for _, w := range []struct {
		name, query string
		aim         float64
	}{{"WebRTC", "?by=webrtc", 200}, {"live fragments", "?by=fragments", 600}} {
		if err := t.openFeed(benchPhone, w.query); err != nil {
			return nil, err
		}
		s, err := t.measureDelay(onShow, delayFor/2)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", w.name, err)
		}
		results = append(results, result{
			"delay from the camera page in Chromium to Chromium, from the pixels, 640x360: " + w.name,
			fmt.Sprintf("%.0f ms, 95th percentile %.0f ms, %.0f stalls in half a minute", s.median, s.high, s.stalls),
			fmt.Sprintf("%.0f ms allowed", w.aim), fmt.Sprintf("%.2f", s.median/w.aim), "under 1",
		})
	}
	return results, nil
}
