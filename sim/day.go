package sim

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"math"
	"time"

	"webostrum/core/sun"
	"webostrum/sim/scene"
)

// Where the simulated place is, degrees.
const (
	Latitude  = 47.05
	Longitude = 8.3
)

const dayQuality = 82

// Day paints what a camera would have seen of a day, as JPEG of a size, a picture every so
// often, from a while before the sun rises until a while after it has set: in simulated time,
// as quickly as it can.
func Day(ctx context.Context, name string, width, height int, day time.Time, every time.Duration, put func(at time.Time, picture []byte) error) error {
	const around = 50 * time.Minute
	rise, set, _, ok := sun.Times(day, Latitude, Longitude)
	if !ok {
		rise, set = day, day.Add(24*time.Hour)
	}
	s := scene.New(width, height, name)
	pixels := make([]byte, s.Size())
	out := image.NewYCbCr(image.Rect(0, 0, width, height), image.YCbCrSubsampleRatio420)
	for at := rise.Add(-around).Truncate(every); at.Before(set.Add(around)) && ctx.Err() == nil; at = at.Add(every) {
		s.PaintClock(pixels, at)
		light(out, pixels, at.Sub(rise).Seconds()/set.Sub(rise).Seconds())
		var b bytes.Buffer
		if err := jpeg.Encode(&b, out, &jpeg.Options{Quality: dayQuality}); err != nil {
			return err
		}
		if err := put(at, b.Bytes()); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// light puts a picture of limited range into one of JPEG's, as light as it is at a time of the
// day: 0 is sunrise, 1 is sunset.
func light(out *image.YCbCr, pixels []byte, time float64) {
	high := math.Sin(math.Pi * min(max(time, 0), 1)) // how high the sun is
	dusk := math.Exp(-40 * math.Pow(max(-time, time-1, 0), 2) * 25)
	bright := 0.06 + 0.26*dusk + 0.68*math.Pow(high, 0.6)
	warm := 16 * dusk * math.Pow(1-high, 3)
	luma := len(out.Y)
	var y, cb, cr [256]uint8
	for v := range y {
		y[v] = clamp(float64(v-16) * 255 / 219 * bright)
		c := float64(v-128) * 255 / 224 * (0.35 + 0.65*bright)
		cb[v], cr[v] = clamp(128+c-warm), clamp(128+c+warm)
	}
	for i, v := range pixels[:luma] {
		out.Y[i] = y[v]
	}
	for i, v := range pixels[luma : luma+len(out.Cb)] {
		out.Cb[i] = cb[v]
	}
	for i, v := range pixels[luma+len(out.Cb):] {
		out.Cr[i] = cr[v]
	}
}

func clamp(v float64) uint8 { return uint8(min(max(v+0.5, 0), 255)) }
