// Paint writes the pictures of the film to standard output, raw, for scripts/reel.sh.
package main

import (
	"bufio"
	"fmt"
	"os"
	"time"

	"webostrum/sim/reel"
	"webostrum/sim/scene"
)

func main() {
	if err := paint(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// paint paints a round trip, faster than the cars go, so that the film ends where it begins.
func paint() error {
	const lasts = 16 * time.Second
	frames := int(lasts.Seconds() * reel.FrameRate)
	s := scene.New(reel.Width, reel.Height, "passing-loop")
	out := bufio.NewWriter(os.Stdout)
	pix := make([]byte, s.Size())
	for i := range frames {
		s.PaintPlace(pix, time.UnixMilli(scene.RoundTrip.Milliseconds()*int64(i)/int64(frames)))
		if _, err := out.Write(pix); err != nil {
			return err
		}
	}
	return out.Flush()
}
