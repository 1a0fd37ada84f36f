package testkit

import (
	_ "embed"
	"fmt"
	"os"
	"path/filepath"
)

//go:embed clock.js
var clockScript string

// ReadClocks gives a page window.clockIn(picture, part), the capture time that stands
// in a picture's QR clock, milliseconds since 1970, or 0; and window.behind(picture),
// how many milliseconds ago that was, or 0.
func ReadClocks(page interface{ Run(statements string) error }) error {
	root, err := Root()
	if err != nil {
		return err
	}
	jsQR, err := os.ReadFile(filepath.Join(root, "web/node_modules/jsqr/dist/jsQR.js"))
	if err != nil {
		return fmt.Errorf("run \"make build\" first: %w", err)
	}
	return page.Run(string(jsQR) + "; window.clockIn = " + clockScript + `;
		window.behind = (picture) => { const now = Date.now(), at = window.clockIn(picture); return at && now - at; };`)
}
