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
)

// phone sends from the camera page, in a browser of a phone's size, and shows the page.
func (s *shooter) phone() error {
	const feed = "platform-walk"
	if !s.wanted("camera-page") {
		return nil
	}
	f := apitypes.NewFeed{Name: feed, FeedSettings: apitypes.Defaults("")}
	f.Title, f.Publish.Pushed = "Platform walk", true
	ctx := context.Background()
	c := client.New(s.demo.Address, s.token)
	if _, err := c.AddFeed(ctx, f); err != nil {
		return err
	}
	pass, err := c.AddPass(ctx, feed, 1)
	if err != nil {
		return err
	}
	page, stop, err := browser.Open(ctx, width, height, browser.FakeCamera...)
	if err != nil {
		return err
	}
	defer stop()
	if err := page.Phone(); err != nil {
		return err
	}
	if err := page.Open(pass.URL); err != nil {
		return err
	}
	if err := page.Press("Start the camera"); err != nil {
		return err
	}
	if err := page.Until(`document.getElementById("arriving").textContent.includes("1280x720")`, patience); err != nil {
		return fmt.Errorf("camera-page: %w", err)
	}
	time.Sleep(settle)
	png, err := page.Picture()
	if err != nil {
		return err
	}
	fmt.Println("camera-page")
	return os.WriteFile(filepath.Join(s.out, "camera-page.png"), png, 0o644)
}
