// Package scene paints what the simulated cameras see: places of the Morrow Crag
// Funicular, each with something that moves, the camera's name, a clock with tenths, and a QR code of the capture time in milliseconds since
// 1970, from which delay can be measured in the pixels that a viewer gets.
package scene

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"time"

	"github.com/boombuler/barcode/qr"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomonobold"
)

// Scene paints pictures of one size. It is not safe for concurrent use.
type Scene struct {
	width, height int
	base          *i420 // what never changes
	clockFace     font.Face
	nameFace      font.Face
	name          string
	place         place
	clockAt       float64 // where the clock begins, scene units
}

// New prepares a scene. Width and height are in pixels and even; title is the
// camera's name as it is written on the picture.
func New(width, height int, title string) *Scene {
	c := newCanvas(width, height)
	s := &Scene{
		width: width, height: height, name: title, place: placeOf(title),
		clockFace: newFace(gomonobold.TTF, 30, c.scaleY),
		nameFace:  newFace(gobold.TTF, 24, c.scaleY),
	}
	rnd := rand.New(rand.NewPCG(7, 7600)) // the same mountain every day
	s.place.paint(c, rnd, newFace(gobold.TTF, 21, c.scaleY), sign(title))
	s.captionBar(c)
	s.base = fromRGBA(c.img)
	return s
}

// Size is the bytes of a picture.
func (s *Scene) Size() int { return len(s.base.pix) }

// Paint writes the picture of a moment as I420, BT.709, limited range, into
// dst, which must have Size bytes.
func (s *Scene) Paint(dst []byte, at time.Time) {
	out := s.paintPlace(dst, at)
	s.clock(out, at)
	s.lamp(out, s.stamp(out, at), at)
}

// PaintClock is Paint without the QR code, as a still of a camera has it.
func (s *Scene) PaintClock(dst []byte, at time.Time) { s.clock(s.paintPlace(dst, at), at) }

// PaintPlace is Paint without the clock and the QR code, for films that are shown at
// another time.
func (s *Scene) PaintPlace(dst []byte, at time.Time) { s.paintPlace(dst, at) }

func (s *Scene) paintPlace(dst []byte, at time.Time) *i420 {
	copy(dst, s.base.pix)
	out := &i420{pix: dst, width: s.width, height: s.height}
	s.place.move(s, out, at)
	return out
}

const captionTop, captionHeight = 664, 56

// captionBar is the part of the caption that never changes.
func (s *Scene) captionBar(c *canvas) {
	c.rect(color.NRGBA{14, 22, 28, 190}, 0, captionTop, 900, captionHeight)
	s.clockAt = max(54+c.text(s.nameFace, color.White, 24, 700, s.name), 470)
}

func (s *Scene) clock(out *i420, at time.Time) {
	c := s.patch(s.clockAt, captionTop+8, 900-s.clockAt, captionHeight-12)
	c.text(s.clockFace, rgb(0xffd98a), s.clockAt, 701, at.UTC().Format("2006-01-02  15:04:05.0"))
	out.over(c)
}

// stamp draws the QR code at the lower right, with its quiet zone of four
// modules (ISO/IEC 18004, 9.1). It returns where; nowhere when there is no room.
func (s *Scene) stamp(out *i420, at time.Time) image.Rectangle {
	code, err := qr.Encode(strconv.FormatInt(at.UnixMilli(), 10), qr.M, qr.Numeric)
	if err != nil {
		panic(fmt.Sprintf("scene: thirteen digits make no QR code: %v", err)) // cannot happen
	}
	const quiet = 4
	modules := code.Bounds().Dx()
	unit := max(2, int(math.Round(6*float64(s.height)/sceneHeight)))
	side := (modules + 2*quiet) * unit
	if side+4 > min(s.width, s.height) {
		return image.Rectangle{}
	}
	left, top := (s.width-side-4)&^1, (s.height-side-4)&^1
	box := image.Rect(left, top, left+side, top+side)
	out.fill(box, 235)
	for y := range modules {
		for x := range modules {
			if r, _, _, _ := code.At(x, y).RGBA(); r == 0 {
				px, py := left+(x+quiet)*unit, top+(y+quiet)*unit
				out.luma(image.Rect(px, py, px+unit, py+unit), 16)
			}
		}
	}
	return box
}

// lamp draws what is lit at each full second and fades from then on, left of the QR
// code, so that audio and picture can be laid beside each other: how bright it is tells
// how long ago the click was.
func (s *Scene) lamp(out *i420, code image.Rectangle, at time.Time) {
	const lampSide, lampGap, rim = 56.0, 8.0, 5.0
	scale := float64(s.height) / sceneHeight
	side, gap := int(lampSide*scale)&^1, int(lampGap*scale)&^1+2
	box := image.Rect(code.Min.X-gap-side, code.Max.Y-side, code.Min.X-gap, code.Max.Y)
	if code.Empty() || box.Min.X < 0 {
		return
	}
	out.fill(box, 16)
	if since := time.Duration(at.Nanosecond()); since < FlashLasts {
		out.fill(box.Inset(int(rim*scale)), byte(flashBright-(flashBright-flashFaint)*since/FlashLasts))
	}
}

// patch is a small transparent canvas over a part of the scene, on even pixels.
func (s *Scene) patch(x, y, w, h float64) *canvas {
	sx, sy := float64(s.width)/sceneWidth, float64(s.height)/sceneHeight
	box := image.Rect(int(x*sx)&^1, int(y*sy)&^1, int((x+w)*sx+2)&^1, int((y+h)*sy+2)&^1)
	box = box.Intersect(image.Rect(0, 0, s.width, s.height))
	return &canvas{
		img:    image.NewRGBA(image.Rect(0, 0, box.Dx(), box.Dy())),
		scaleX: sx, scaleY: sy, origin: box.Min,
	}
}

// sign is what stands on the station's sign: the camera's name, as far as it fits.
func sign(title string) string {
	const most = 14
	text := strings.ToUpper(strings.ReplaceAll(title, "-", " "))
	return text[:min(len(text), most)]
}
