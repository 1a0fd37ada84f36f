package e2e

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"net"
	"net/http"
	"strconv"
	"testing"
	"time"

	"github.com/boombuler/barcode/qr"
	"github.com/stretchr/testify/require"

	"webostrum/testkit/webcam"
)

// held is what a camera sees when somebody holds the clock page in front of it: a
// code that stands somewhere in the picture, and not straight.
func held(at time.Time, left, top float64) []byte {
	const (
		width, height = 800, 450
		unit          = 5.0 // pixels a module
		slant         = 0.2
	)
	code, err := qr.Encode(strconv.FormatInt(at.UnixMilli(), 10), qr.M, qr.Numeric)
	if err != nil {
		return nil
	}
	const quiet = 4
	modules := code.Bounds().Dx()
	picture := image.NewGray(image.Rect(0, 0, width, height))
	sin, cos := math.Sincos(slant)
	for i := range picture.Pix {
		x, y := float64(i%width)-left, float64(i/width)-top
		u, v := int(math.Floor((x*cos+y*sin)/unit))-quiet, int(math.Floor((y*cos-x*sin)/unit))-quiet
		switch {
		case u < -quiet || v < -quiet || u >= modules+quiet || v >= modules+quiet:
			picture.Pix[i] = 90
		case u < 0 || v < 0 || u >= modules || v >= modules:
			picture.Pix[i] = 230
		default:
			picture.Pix[i] = color.GrayModel.Convert(code.At(u, v)).(color.Gray).Y
		}
	}
	var file bytes.Buffer
	if err := jpeg.Encode(&file, picture, nil); err != nil {
		return nil
	}
	return file.Bytes()
}

// TestClockHeldBeforeACamera measures a camera that sees the clock page, in one
// place and then in another.
func TestClockHeldBeforeACamera(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	camera := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		webcam.FilmOf(conn, 100*time.Millisecond, func(n int) []byte {
			left, top := 150.0, 80.0
			if n/50%2 == 1 { // five seconds each
				left, top = 420, 150
			}
			return held(time.Now(), left, top)
		})
	})
	w.add(newFeed("phone", camera.URL, everybody))
	page := openPage(t)
	signIn(t, w, page)
	require.NoError(t, page.Open(w.url("/feeds/phone/compare?only=motion-jpeg")))
	tile := `document.querySelector("[data-way=motion-jpeg]")`
	require.NoError(t, page.Until(tile+`?.dataset.by === "pixels"`, patience))
	require.NoError(t, page.Until(`Number(`+tile+`.dataset.looks) >= 28`, patience), "of 40 looks in ten seconds: it is found again where it goes")
}
