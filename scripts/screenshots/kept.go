package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"webostrum/browser"
)

// What is done on the pages of what is kept: a press on the timeline, and a time that is
// marked; a film in the afternoon; a look to the east.
const (
	timeline = `HTMLElement.prototype.setPointerCapture = () => {}; const bar = document.querySelector("[aria-label='Timeline of recordings']"), r = bar.getBoundingClientRect(); const at = (kind, share) => bar.dispatchEvent(new PointerEvent(kind, { bubbles: true, clientX: r.left + share * r.width, clientY: r.top + 20, button: 0, pointerId: 1 }));`
	goBack   = timeline + `at("pointerdown", 0.93); at("pointerup", 0.93);`
	markTime = timeline + `at("pointerdown", 0.9); at("pointermove", 0.92); at("pointermove", 0.95); at("pointerup", 0.95);`
	tenMin   = `[...document.querySelectorAll("button")].find((b) => b.textContent === "10 min").click()`
	noon     = `const v = document.querySelector("video"); v.pause(); v.currentTime = 9`
	east     = `document.querySelector("webostrum-player").lookAt({ pan: 62, tilt: 4, fov: 95 }); document.querySelector("webostrum-player").shadowRoot.querySelector("section").dispatchEvent(new PointerEvent("pointermove", { bubbles: true }))`
)

// kept takes the pictures of recordings, films, turns and a picture that is all around.
func (s *shooter) kept() error {
	run := func(statements string, settle time.Duration) func() error {
		return func() error {
			time.Sleep(settle)
			return s.page.Run(statements)
		}
	}
	const begun = 25 * time.Second // of a recording, to be gone back in
	back := `document.querySelector("webostrum-player")?.dataset.method === "recording" && document.querySelector("webostrum-player").dataset.status === "playing"`
	steps := []func() error{
		func() error {
			return s.shoot("recordings", "/feeds/lower-station/recordings", back, run(tenMin, begun), run(goBack, 2*time.Second), run(markTime, 4*time.Second))
		},
		func() error {
			return s.shoot("films", "/feeds/summit-mast/films", `document.querySelector("video")?.currentTime === 9 && !document.querySelector("video").seeking`, func() error { return s.page.Until(`document.querySelector("video")?.readyState > 2`, patience) }, run(noon, 0))
		},
		func() error {
			return s.shoot("around", "/watch/summit-360", playing, func() error { return s.page.Until(playing, patience) }, run(east, time.Second))
		},
		s.turns,
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// turns takes the picture of whose turn it is, on a phone.
func (s *shooter) turns() error {
	if !s.wanted("turns-phone") {
		return nil
	}
	page, stop, err := browser.Open(context.Background(), width, height)
	if err != nil {
		return err
	}
	defer stop()
	if err := page.Phone(); err != nil {
		return err
	}
	if err := page.Open(s.demo.Enter); err != nil {
		return err
	}
	if err := page.Open(s.demo.Address + "/feeds/along-the-line/turns"); err != nil {
		return err
	}
	if err := page.Until(playing+` && document.querySelector("[aria-pressed=true]")`, patience); err != nil {
		return fmt.Errorf("turns-phone: %w", err)
	}
	time.Sleep(5 * time.Second) // the player's bar goes
	png, err := page.Picture()
	if err != nil {
		return err
	}
	fmt.Println("turns-phone")
	return os.WriteFile(filepath.Join(s.out, "turns-phone.png"), png, 0o644)
}
