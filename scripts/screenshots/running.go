package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/client"
	"webostrum/service"
	"webostrum/store"
	"webostrum/testkit"
	"webostrum/testkit/night"
)

const (
	nightFeeds   = 200
	nightCameras = 4
)

// running takes the pictures of a service that has run for a while with many feeds: the morning
// of a night that never was, the list, ways in with a phone's check, and usage.
func (s *shooter) running() error {
	if !s.wanted("morning") && !s.wanted("feeds-many") && !s.wanted("ways-in") && !s.wanted("reach-phone") {
		return nil
	}
	data, err := os.MkdirTemp("", "webostrum-shots-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(data) }()
	stop, base, err := morningAfter(data)
	if err != nil {
		return err
	}
	defer stop()
	page, closePage, err := browser.Open(context.Background(), width, height)
	if err != nil {
		return err
	}
	defer closePage()
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	if err := page.SignIn(local.Token); err != nil {
		return err
	}
	other := &shooter{demo: &testkit.Demo{Address: base, Data: data}, page: page, out: s.out, only: s.only, token: local.Token}
	for _, shot := range []struct{ name, path, until string }{
		{"feeds-many", "/", `document.body.innerText.includes("of 200 live") && document.querySelectorAll("[role=img][aria-label^='24 hours']").length > 20`},
		{"morning", "/morning", `document.body.innerText.includes("went down together")`},
	} {
		if err := other.shoot(shot.name, shot.path, shot.until); err != nil {
			return err
		}
	}
	return other.waysIn()
}

// morningAfter runs a service over the records of a night, with one camera for all its feeds.
func morningAfter(data string) (stop func(), base string, err error) {
	ports, err := testkit.FreePorts(3 + 2*nightCameras)
	if err != nil {
		return nil, "", err
	}
	records, err := store.Open(data)
	if err != nil {
		return nil, "", err
	}
	next := 0
	camera := func(string) string { // each takes 64 connections
		next = (next + 1) % nightCameras
		return "rtsp://" + ports[3+2*next] + "/lower-station"
	}
	err = night.Write(records, night.Config{Feeds: nightFeeds, Until: time.Now(), Seed: 7, User: "viewer", Pass: "funicular", Broken: "rtsp://127.0.0.1:1/none", Good: camera})
	if err == nil {
		err = addUsage(records)
	}
	if err != nil {
		return nil, "", err
	}
	if err := records.Close(); err != nil {
		return nil, "", err
	}
	var all []*testkit.Process
	stop = func() {
		for _, p := range all {
			p.Kill()
		}
	}
	for i := range nightCameras {
		sim, err := testkit.Start("sim", "--listen", ports[3+2*i], "--control", ports[4+2*i], "--size", "160x90", "--rate", "5", "--keyframes", "1s")
		if err != nil {
			stop()
			return nil, "", err
		}
		all = append(all, sim)
	}
	p, err := testkit.Start("--data", data, "serve", "--listen", ports[0], "--https-listen", ports[1], "--own-authority", "--webrtc-listen", ports[2], "--rtsp-listen", "", "--rtmp-listen", "", "--search-on", "lo", "--outside", "http://"+ports[0])
	if err != nil {
		stop()
		return nil, "", err
	}
	all = append(all, p)
	if _, err := p.Find(`(Open the console)`, patience); err != nil {
		stop()
		return nil, "", err
	}
	return stop, "http://" + ports[0], nil
}

// addUsage has viewers take something on each of the last thirty days.
func addUsage(records *store.Store) error {
	feeds, err := records.Feeds()
	if err != nil {
		return err
	}
	var list []store.Usage
	for day := range 30 {
		at := store.Day(time.Now().AddDate(0, 0, -day))
		for i, delivery := range []string{"hls", "webrtc", "motion-jpeg", "fragments"} {
			busy := int64(3 + (day*7+i*5)%9)
			for k, f := range feeds[:6] {
				list = append(list, store.Usage{FeedID: f.ID, Day: at, Delivery: delivery, Bytes: busy * int64(6-k) * 1_100_000_000 / int64(1+2*i), ViewerMillis: busy * 900_000 * int64(6-k), Most: int(busy) + k})
			}
		}
	}
	if err := records.SetSetting("allowance", `{"bytes":9000000000000,"stop":false}`); err != nil {
		return err
	}
	return records.AddUsage(list)
}

// waysIn has a phone make a check, and shows its page and the console's.
func (s *shooter) waysIn() error {
	if !s.wanted("ways-in") && !s.wanted("reach-phone") {
		return nil
	}
	ctx := context.Background()
	c := client.New(s.demo.Address, s.token)
	var k apitypes.ReachCheck
	make := func() error {
		if err := s.page.Press("Make a check"); err != nil {
			return err
		}
		if err := s.page.Until(`document.body.innerText.includes("webostrum reach --from")`, patience); err != nil {
			return err
		}
		code, err := s.page.Text(`/reach\/([a-z0-9]+)/.exec(document.body.innerText)[1]`)
		if err != nil {
			return err
		}
		if k, err = c.ReachCheck(ctx, code); err != nil {
			return err
		}
		return s.reachPhone(k.URL)
	}
	return s.shoot("ways-in", "/ways-in", `document.body.innerText.includes("WebRTC over TCP")`, make)
}

func (s *shooter) reachPhone(url string) error {
	page, stop, err := browser.Open(context.Background(), width, height)
	if err != nil {
		return err
	}
	defer stop()
	if err := page.Phone(); err != nil {
		return err
	}
	if err := page.Open(url); err != nil {
		return err
	}
	if err := page.Until(`document.body.dataset.done === "yes"`, patience); err != nil {
		return fmt.Errorf("reach-phone: %w", err)
	}
	png, err := page.Picture()
	if err != nil {
		return err
	}
	fmt.Println("reach-phone")
	return os.WriteFile(filepath.Join(s.out, "reach-phone.png"), png, 0o644)
}
