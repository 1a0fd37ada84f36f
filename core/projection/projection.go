// Package projection cuts flat views out of pictures that show more than a flat one can:
// equirectangular pictures of all around, and fisheyes.
//
// Angles are in degrees: pan to the right, tilt upward, both 0 in the middle of the picture.
package projection

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Kind is how a picture is projected.
type Kind string

// The kinds.
const (
	Equirectangular Kind = "equirectangular" // all around: longitude across, latitude down
	TopBottom       Kind = "top-bottom"      // the same twice, the left eye's above
	Fisheye         Kind = "fisheye"         // equidistant: the distance from the middle is the angle
)

// View is a flat view out of a picture.
type View struct {
	Kind Kind    `json:"kind"`
	Lens float64 `json:"lens,omitempty"` // field of view of a fisheye, degrees; 0 is 180
	Pan  float64 `json:"pan"`
	Tilt float64 `json:"tilt"`
	FOV  float64 `json:"fov"` // across
}

const usualLens = 180

// Validate says what is wrong with a view; nil is none, and right.
func (v *View) Validate() error {
	switch {
	case v == nil:
		return nil
	case v.Kind != Equirectangular && v.Kind != TopBottom && v.Kind != Fisheye:
		return fmt.Errorf("projection %q is not one of equirectangular, top-bottom, fisheye", v.Kind)
	case !(v.Pan >= -360 && v.Pan <= 360 && v.Tilt >= -90 && v.Tilt <= 90):
		return fmt.Errorf("pan %g and tilt %g cannot be had: -360 to 360, and -90 to 90", v.Pan, v.Tilt)
	case !(v.FOV >= 20 && v.FOV <= 140):
		return fmt.Errorf("a view of %g degrees cannot be had: 20 to 140 can", v.FOV)
	case v.Lens != 0 && !(v.Lens >= 90 && v.Lens <= 240):
		return fmt.Errorf("a lens of %g degrees cannot be had: 90 to 240 can", v.Lens)
	}
	return nil
}

// at says where in a picture of unit sides a direction is shown: x to the right, y upward, z
// to the front. ok is false where it is not in the picture.
func (v *View) at(x, y, z float64) (px, py float64, ok bool) {
	if v.Kind == Fisheye {
		lens := v.Lens
		if lens == 0 {
			lens = usualLens
		}
		angle := math.Acos(max(-1, min(1, z)))
		r := angle / (lens / 180 * math.Pi) // 0.5 at the rim
		side := math.Hypot(x, y)
		if r > 0.5 || side == 0 {
			return 0.5, 0.5, side == 0 && z > 0
		}
		return 0.5 + r*x/side, 0.5 - r*y/side, true
	}
	px = 0.5 + math.Atan2(x, z)/(2*math.Pi)
	py = 0.5 - math.Asin(max(-1, min(1, y)))/math.Pi
	if v.Kind == TopBottom {
		py /= 2
	}
	return px, py, true
}

// Table says for each pixel of a view which of a picture it shows: one plane, whose rows are
// stride bytes. Pixels that are not in the picture are -1. A fisheye is a circle in the middle
// of the picture, as high or as wide as that.
func (v *View) Table(width, height, sourceWidth, sourceHeight, stride int) []int32 {
	table := make([]int32, width*height)
	wide := math.Tan(v.FOV / 360 * math.Pi)
	high := wide * float64(height) / float64(width)
	sinPan, cosPan := math.Sincos(v.Pan / 180 * math.Pi)
	sinTilt, cosTilt := math.Sincos(v.Tilt / 180 * math.Pi)
	side := min(sourceWidth, sourceHeight)
	for row := range height {
		y := high * (1 - 2*(float64(row)+0.5)/float64(height))
		for column := range width {
			x := wide * (2*(float64(column)+0.5)/float64(width) - 1)
			n := 1 / math.Sqrt(x*x+y*y+1)
			dx, dy, dz := x*n, y*n, n
			dy, dz = dy*cosTilt+dz*sinTilt, dz*cosTilt-dy*sinTilt
			dx, dz = dx*cosPan+dz*sinPan, dz*cosPan-dx*sinPan
			px, py, ok := v.at(dx, dy, dz)
			if !ok {
				table[row*width+column] = -1
				continue
			}
			var sx, sy int
			if v.Kind == Fisheye {
				sx, sy = (sourceWidth-side)/2+int(px*float64(side)), (sourceHeight-side)/2+int(py*float64(side))
			} else {
				sx, sy = int(px*float64(sourceWidth)), int(py*float64(sourceHeight))
			}
			sx, sy = max(0, min(sourceWidth-1, sx)), max(0, min(sourceHeight-1, sy))
			table[row*width+column] = int32(sy*stride + sx)
		}
	}
	return table
}

// ParseView reads pan, tilt and, if given, field of view of a picture's projection, such as
// "90,-10,80"; the field of view is 90 when left out.
func ParseView(text string, kind Kind, lens float64) (*View, error) {
	const usualFOV = 90
	v := &View{Kind: kind, Lens: lens, FOV: usualFOV}
	parts := strings.Split(strings.ReplaceAll(text, " ", ""), ",")
	if len(parts) < 2 || len(parts) > 3 {
		return nil, fmt.Errorf("%q is no view: write pan, tilt and field of view in degrees, such as 90,-10,80", text)
	}
	for i, to := range []*float64{&v.Pan, &v.Tilt, &v.FOV}[:len(parts)] {
		var err error
		if *to, err = strconv.ParseFloat(parts[i], 64); err != nil {
			return nil, fmt.Errorf("%q is no view: write pan, tilt and field of view in degrees, such as 90,-10,80", text)
		}
	}
	return v, v.Validate()
}
