// Package rendition is what can be made of a feed's frames and audio, and the
// arithmetic of it: sizes that codecs can do, frame rates, bit rates, keyframe
// intervals, text on the picture.
package rendition

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"webostrum/core/media"
	"webostrum/core/projection"
)

// Rendition is what somebody asks for, whatever the camera's size.
type Rendition struct {
	Codec      media.Codec
	Size       Size
	FrameRate  float64 // fps at most; 0 means all that come
	BitRate    int     // H264: bits a second; 0 means what suits the size
	KeySeconds float64 // H264: from one keyframe to the next; 0 means 2 s
	Profile    Profile // H264: empty means Baseline
	Quality    int     // JPEG: 1 to 100; 0 means 80
	Text       *Text

	// Pad has every picture made of exactly the size that is given, even sides, with black
	// beside those of another shape, and of the colours of JPEG whatever they came in: what
	// comes of different cameras can follow each other in one stream.
	Pad bool

	// View cuts a flat view out of a picture of another projection; its size is that which is
	// asked for, or 16:9 of half the picture's width.
	View *projection.View
}

const (
	defaultQuality   = 80
	viewWide         = 1920 // the shape of a view
	viewHigh         = 1080
	defaultKeyMillis = 2000
	bitsPerPixel     = 0.1 // of a picture; a usual value for a still camera
	leastBitRate     = 150_000
	mostBitRate      = 12_000_000
)

// Resolve says what is made of frames of a size and, in a sentence, how that
// differs from what was asked; the sentence is empty when it does not.
func (r Rendition) Resolve(width, height int) (e Encoding, note string) {
	e = Encoding{
		Codec: r.Codec, FrameRate: r.FrameRate, BitRate: r.BitRate, Quality: r.Quality, Profile: r.Profile,
		KeyMillis: int(math.Round(r.KeySeconds * 1000)), Text: r.Text,
	}
	e.Width, e.Height, note = r.Size.Fit(width, height, r.Codec)
	if r.View != nil {
		e.View = r.View
		shape := Size{Width: r.Size.Width, Height: r.Size.Height}
		if shape.Width == 0 && shape.Height == 0 {
			shape.Width = width / 2
		}
		e.Width, e.Height, note = shape.Fit(viewWide, viewHigh, r.Codec)
	}
	if r.Pad && r.Size.Width > 0 && r.Size.Height > 0 {
		e.Width, e.Height, e.Pad, note = r.Size.Width&^1, r.Size.Height&^1, true, ""
	}
	if r.Codec == media.JPEG {
		e.BitRate, e.KeyMillis, e.Profile = 0, 0, ""
		if e.Quality == 0 {
			e.Quality = defaultQuality
		}
		return e, note
	}
	e.Quality = 0
	if e.KeyMillis == 0 {
		e.KeyMillis = defaultKeyMillis
	}
	if e.Profile == "" {
		e.Profile = Baseline
	}
	if e.BitRate == 0 {
		e.BitRate = min(max(int(float64(e.Width*e.Height)*e.Rate()*bitsPerPixel), leastBitRate), mostBitRate)
	}
	return e, note
}

// Validate says what is wrong with a rendition whatever the camera's size.
func (r Rendition) Validate() error {
	e, _ := r.Resolve(maxWidth, maxHeight)
	return e.Validate()
}

// Size is a size as it is asked for: one side or both in pixels, or a fraction
// of the camera's size. The zero value is the camera's own.
type Size struct {
	Width, Height int     // pixels; 0 follows from the other and the picture's shape
	Fraction      float64 // of the camera's sides; 0 when pixels are given
}

var errSize = errors.New(`write a size like 640x360, 640x or x360 (one side; the other follows), 1/2 or 50%`)

// ParseSize reads a size: "640x360", "640x", "x360", "1/2", "50%", or nothing.
func ParseSize(text string) (s Size, err error) {
	text = strings.ToLower(strings.TrimSpace(text))
	switch {
	case text == "":
		return s, nil
	case strings.HasSuffix(text, "%"):
		s.Fraction, err = strconv.ParseFloat(strings.TrimSuffix(text, "%"), 64)
		s.Fraction /= 100
	case strings.Contains(text, "/"):
		s.Fraction, err = parseFraction(text)
	case strings.Contains(text, "x"):
		return parseSides(text)
	default:
		err = errSize
	}
	if err != nil || !(s.Fraction >= 0.01 && s.Fraction <= 4) {
		return Size{}, fmt.Errorf("size %.40q: %w", text, errSize)
	}
	return s, nil
}

func parseFraction(text string) (float64, error) {
	a, b, _ := strings.Cut(text, "/")
	num, err := strconv.ParseFloat(a, 64)
	if err != nil {
		return 0, err
	}
	den, err := strconv.ParseFloat(b, 64)
	if err != nil || den <= 0 {
		return 0, errSize
	}
	return num / den, nil
}

func parseSides(text string) (s Size, err error) {
	a, b, _ := strings.Cut(text, "x")
	if s.Width, err = parseSide(a); err == nil {
		s.Height, err = parseSide(b)
	}
	if err != nil || s == (Size{}) {
		return Size{}, fmt.Errorf("size %.40q: %w", text, errSize)
	}
	return s, nil
}

func parseSide(text string) (int, error) {
	const most = 100_000
	if text == "" {
		return 0, nil
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > most {
		return 0, errSize
	}
	return n, nil
}

// String writes a size so that ParseSize reads it.
func (s Size) String() string {
	side := func(n int) string {
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	switch {
	case s.Fraction > 0:
		const digits = 6
		return strconv.FormatFloat(s.Fraction*100, 'g', digits, 64) + "%"
	case s == Size{}:
		return ""
	}
	return side(s.Width) + "x" + side(s.Height)
}

// Fit returns the size that is made of frames of a size: within what was
// asked, in the picture's shape, as the codec can do it. note says in a sentence
// how that differs from what was asked.
func (s Size) Fit(width, height int, codec media.Codec) (w, h int, note string) {
	wide, high := float64(width), float64(height)
	scale := s.scale(wide, high)
	fw, fh := wide*scale, high*scale
	var why []string
	if s.Width > 0 && s.Height > 0 && (math.Abs(fw-float64(s.Width)) >= 1 || math.Abs(fh-float64(s.Height)) >= 1) {
		why = append(why, "the picture keeps its shape")
	}
	if most := largest(wide, high, codec); scale > most {
		fw, fh = wide*most, high*most
		why = append(why, fmt.Sprintf("%s can be no larger", name(codec)))
	}
	if codec == media.JPEG {
		w, h = max(1, round(fw)), max(1, round(fh))
	} else {
		var parity []string
		w, h, parity = s.evenSides(fw, fh)
		why = append(why, parity...)
	}
	return w, h, s.note(w, h, fmt.Sprintf("%dx%d", width, height), why)
}

func (s Size) scale(wide, high float64) float64 {
	switch {
	case s.Fraction > 0:
		return s.Fraction
	case s.Width > 0 && s.Height > 0:
		return min(float64(s.Width)/wide, float64(s.Height)/high)
	case s.Width > 0:
		return float64(s.Width) / wide
	case s.Height > 0:
		return float64(s.Height) / high
	}
	return 1
}

// largest is the scale at which a picture of this shape meets the codec's limit.
func largest(wide, high float64, codec media.Codec) float64 {
	if codec == media.JPEG {
		return min(maxJPEGSide/wide, maxJPEGSide/high)
	}
	return min(maxWidth/wide, maxHeight/high)
}

func name(codec media.Codec) string {
	switch codec {
	case media.JPEG:
		return "JPEG"
	case media.VP9:
		return "VP9"
	}
	return "H.264"
}

func round(v float64) int { return int(math.Round(v)) }

// even is the even number nearest to a side; the smaller of two.
func even(side float64) int { return 2 * int(math.Ceil(side/2-0.5)) }

// evenSides finds the even sides nearest to a size.
func (s Size) evenSides(fw, fh float64) (w, h int, why []string) {
	w, h = min(max(minSide, even(fw)), maxWidth), min(max(minSide, even(fh)), maxHeight)
	switch wrongW, wrongH := round(fw)%2 != 0 && s.Width != w, round(fh)%2 != 0 && s.Height != h; {
	case fw < minSide || fh < minSide:
		why = append(why, fmt.Sprintf("H.264 can be no smaller than %d pixels a side", minSide))
	case wrongW && wrongH:
		why = append(why, "width and height must be even")
	case wrongW:
		why = append(why, "the width must be even")
	case wrongH:
		why = append(why, "the height must be even")
	}
	return w, h, why
}

func (s Size) note(w, h int, camera string, why []string) string {
	asked := s.String()
	switch {
	case s == Size{}:
		asked = "the camera's " + camera
	case s.Fraction == 0 && (s.Width == 0 || s.Width == w) && (s.Height == 0 || s.Height == h):
		return ""
	case s.Fraction == 0 && s.Height == 0:
		asked = strconv.Itoa(s.Width) + " pixels wide"
	case s.Fraction == 0 && s.Width == 0:
		asked = strconv.Itoa(s.Height) + " pixels high"
	}
	if len(why) == 0 && s.Fraction == 0 && s != (Size{}) {
		why = []string{"that is the nearest size in the picture's shape"}
	}
	if len(why) == 0 {
		return ""
	}
	return fmt.Sprintf("%s asked, %dx%d made: %s", asked, w, h, strings.Join(why, ", and "))
}
