package testkit

import (
	_ "embed"

	"webostrum/browser"
)

//go:embed listen.js
var listenScript string

// Listen listens to the video element that a JavaScript expression finds: the page
// then has window.heard, the loudness from 0 to 1, window.offsets, by how many
// milliseconds the click of the simulated scene came after its flash, and window.calm,
// how long the machine gave the page its time without a break, milliseconds.
func Listen(page *browser.Page, video string) error {
	return page.Run("const video = " + video + "; video.muted = false; void (" + listenScript + ")(video)")
}
