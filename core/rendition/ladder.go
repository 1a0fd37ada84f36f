package rendition

import (
	"fmt"

	"webostrum/core/media"
)

// Step is a rendition of a ladder that is proposed.
type Step struct {
	Name    string
	Size    string // as ParseSize reads it
	Width   int    // that it comes to
	Height  int
	BitRate int // bits a second
}

const (
	largeSide = 1080
	fullSide  = 720
	halfSide  = 540
)

// Ladder proposes smaller renditions of a picture: two for 1080 lines and for 720, one for
// 540, none below.
func Ladder(width, height int) (steps []Step) {
	lines := min(width, height)
	var sizes []int
	switch {
	case lines >= largeSide:
		sizes = []int{720, 360}
	case lines >= fullSide:
		sizes = []int{480, 270}
	case lines >= halfSide:
		sizes = []int{270}
	}
	for _, n := range sizes {
		size := fmt.Sprintf("x%d", n)
		if height > width { // upright
			size = fmt.Sprintf("%dx", n)
		}
		s, _ := ParseSize(size) // its own
		e, _ := Rendition{Codec: media.H264, Size: s}.Resolve(width, height)
		steps = append(steps, Step{Name: fmt.Sprintf("lines-%d", n), Size: size, Width: e.Width, Height: e.Height, BitRate: e.BitRate})
	}
	return steps
}
