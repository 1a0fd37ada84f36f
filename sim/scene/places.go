package scene

import (
	"math/rand/v2"
	"strings"
	"time"

	"golang.org/x/image/font"
)

// place is what a camera looks at.
type place interface {
	// paint draws what never changes.
	paint(c *canvas, rnd *rand.Rand, face font.Face, name string)
	// move draws what moves, over what never changes.
	move(s *Scene, out *i420, at time.Time)
}

// placeOf chooses by the camera's name; one that says nothing is at the lower station.
func placeOf(name string) place {
	for _, x := range []struct {
		part string
		place
	}{{"winch", winchRoom{}}, {"360", panorama{}}, {"summit", summit{}}, {"upper", upperStation{}}} {
		if strings.Contains(strings.ToLower(name), x.part) {
			return x.place
		}
	}
	return lowerStation{}
}

// lowerStation looks up the line, from the platform at its foot.
type lowerStation struct{}

// upward is the line as it is seen from below.
var upward = line{front: point{560, 800}, bend: point{610, 330}, far: point{985, 168}}

func (lowerStation) paint(c *canvas, rnd *rand.Rand, face font.Face, name string) {
	paintLandscape(c, upward, rnd)
	paintStation(c, face, name)
}

func (lowerStation) move(s *Scene, out *i420, at time.Time) { upward.cars(s, out, at) }
