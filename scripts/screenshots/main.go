// Command screenshots takes the pictures in docs/screenshots from the running
// demo.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/client"
	"webostrum/service"
	"webostrum/testkit"
)

const (
	width, height = 1280, 800
	patience      = 90 * time.Second
	settle        = 700 * time.Millisecond // transitions
)

func main() {
	out := flag.String("out", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "take only pictures whose name holds this")
	flag.Parse()
	if err := run(*out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func run(out, only string) error {
	data, err := os.MkdirTemp("", "webostrum-shots-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(data) }()
	demo, err := testkit.StartDemo(data)
	if err != nil {
		return err
	}
	defer func() { _, _ = demo.Terminate(5 * time.Second) }()
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	page, stop, err := browser.Open(context.Background(), width, height)
	if err != nil {
		return err
	}
	defer stop()
	s := &shooter{demo: demo, page: page, out: out, only: only}
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	s.token = local.Token
	if s.camera, err = cameraURL(data, "lower-station"); err != nil {
		return err
	}
	if err := addRenditions(data); err != nil {
		return err
	}
	if err := addPeople(data); err != nil {
		return err
	}
	if err := s.pages(); err != nil {
		return err
	}
	if err := s.running(); err != nil {
		return err
	}
	return s.terminals()
}

type shooter struct {
	demo   *testkit.Demo
	page   *browser.Page
	out    string
	only   string
	camera string // URL of the RTSP camera
	token  string // of an engineer
}

func cameraURL(data, feed string) (string, error) {
	local, err := service.ReadLocal(data)
	if err != nil {
		return "", err
	}
	f, err := client.New(local.Address, local.Token).Feed(context.Background(), feed)
	return f.Camera.URL, err
}

// addRenditions gives the lower station something to show.
func addRenditions(data string) error {
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	c := client.New(local.Address, local.Token)
	for _, r := range []apitypes.NewRendition{
		{Name: "small", Size: "533x300", FrameRate: 10, Text: "{place}  {date} {time}", TextCorner: "top-right"},
		{Name: "panel", Codec: "JPEG", Size: "1/2", FrameRate: 5},
	} {
		if _, err := c.AddRendition(context.Background(), "lower-station", r); err != nil {
			return err
		}
	}
	return nil
}

// addPeople gives the page of people somebody to show.
func addPeople(data string) error {
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	c, ctx := client.New(local.Address, local.Token), context.Background()
	for _, a := range []apitypes.NewAccount{
		{Name: "night-shift", Role: "viewer", Password: "seven-otters-at-dawn", Feeds: []string{"winch-room"}},
		{Name: "ticket-hall", Role: "panel", Password: "seven-otters-at-dusk", Feeds: []string{"lower-station", "upper-station"}},
	} {
		if _, err := c.AddAccount(ctx, a); err != nil {
			return err
		}
	}
	if _, err := c.AddLink(ctx, "winch-room", apitypes.NewLink{Name: "town-hall", LinkSettings: apitypes.LinkSettings{Sites: []string{"townhall.example"}, Most: 20}}); err != nil {
		return err
	}
	for _, t := range []apitypes.NewToken{{Name: "dashboards", Scope: "metrics"}, {Name: "weather page", Scope: "media", Feeds: []string{"summit-mast"}}} {
		if _, err := c.AddToken(ctx, t); err != nil {
			return err
		}
	}
	return nil
}

func (s *shooter) wanted(name string) bool { return s.only == "" || strings.Contains(name, s.only) }

// shoot opens a page, does what is to be done there, waits for what must be on
// it, and takes the picture.
func (s *shooter) shoot(name, path, until string, do ...func() error) error {
	if !s.wanted(name) {
		return nil
	}
	if err := s.page.Open(s.demo.Address + path); err != nil {
		return err
	}
	for _, step := range do {
		if err := step(); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	if err := s.page.Until(until, patience); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	time.Sleep(settle)
	png, err := s.page.Picture()
	if err != nil {
		return err
	}
	fmt.Println(name)
	return os.WriteFile(filepath.Join(s.out, name+".png"), png, 0o644)
}

const (
	playing    = `document.querySelector("webostrum-player")?.dataset.status === "playing" && Number(document.querySelector("webostrum-player").dataset.delay) > 0`
	allPlaying = `[...document.querySelectorAll("webostrum-player")].every(p => p.state === "playing")`
	details    = `document.querySelector("webostrum-player").shadowRoot.querySelector("[aria-label=Details]").click()`
)

func (s *shooter) pages() error {
	if err := s.page.Open(s.demo.Enter); err != nil {
		return err
	}
	wait := func(d time.Duration) func() error {
		return func() error { time.Sleep(d); return nil }
	}
	steps := []func() error{
		func() error {
			return s.shoot("watch", "/watch/lower-station", playing, wait(12*time.Second), func() error { return s.page.Run(details) })
		},
		func() error { return s.shoot("feed", "/feeds/lower-station", playing, wait(time.Minute)) },
		func() error {
			measured := `[...document.querySelectorAll("[data-way]")].filter((t) => /from the pixels.*a second/.test(t.textContent)).length === 5`
			record := func() error { return s.page.Press("Record a minute") }
			return s.shoot("compare", "/feeds/lower-station/compare", measured+` && document.body.textContent.includes("Record a minute")`, record, wait(65*time.Second))
		},
		func() error {
			measure := func() error { return s.page.Press("Measure here") }
			return s.shoot("plan", "/feeds/lower-station/plan", `document.querySelectorAll("[data-measured]:not([data-measured=''])").length === 4`, measure)
		},
		func() error { return s.shoot("wall", "/wall", allPlaying, wait(2*time.Second)) },
		func() error {
			open := func() error { return s.page.Press("Put it into a page") }
			return s.shoot("embed", "/feeds/lower-station", `document.querySelector("[data-snippet]")`, open, wait(6*time.Second))
		},
		func() error {
			open := func() error { return s.page.Press("Change who may watch") }
			return s.shoot("audience", "/feeds/winch-room", `document.querySelector("[role=radiogroup]")`, open)
		},
		func() error { return s.shoot("people", "/people", `document.querySelectorAll("li").length > 4`) },
		s.kept,
		s.phone,
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}
