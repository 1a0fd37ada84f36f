package scene

import (
	"math"
	"time"
)

const (
	humLow, humRise = 85.0, 70.0 // Hz of the rope's hum at rest, and more at full speed
	humQuiet        = 700.0
	humLoud         = 2600.0

	// ClickLasts is how long the click is that audio at each full second, while the
	// lamp in the picture is lit.
	ClickLasts = 12 * time.Millisecond
	clickHertz = 1800.0
	clickLoud  = 22000.0

	// FlashLasts is how long the lamp is lit from each full second on, while its luma
	// falls evenly from the one to the other.
	FlashLasts              = 120 * time.Millisecond
	flashBright, flashFaint = 235, 90
)

// Audio is what is heard at the scene: the hum of the rope, which rises with the
// cars' speed, and a click at each full second. It is not safe for concurrent use.
type Audio struct {
	Rate int // samples a second

	turns float64 // of the hum so far
}

// Fill writes the samples that begin at a moment, for one channel.
func (s *Audio) Fill(dst []int16, at time.Time) {
	step := 1 / float64(s.Rate)
	inTrip := float64(at.UnixNano()%int64(RoundTrip)) / 1e9
	inSecond := float64(at.Nanosecond()) / 1e9
	for i := range dst {
		speed := math.Abs(math.Sin(2 * math.Pi * inTrip / RoundTrip.Seconds()))
		s.turns += (humLow + humRise*speed) * step
		v := (humQuiet + humLoud*speed) * (math.Sin(2*math.Pi*s.turns) + 0.3*math.Sin(6*math.Pi*s.turns)) / 1.3
		if inSecond < ClickLasts.Seconds() {
			v += clickLoud * math.Sin(2*math.Pi*clickHertz*inSecond) * (1 - inSecond/ClickLasts.Seconds())
		}
		dst[i] = int16(max(math.MinInt16, min(math.MaxInt16, v)))
		inTrip += step
		if inSecond += step; inSecond >= 1 {
			inSecond--
		}
	}
	s.turns -= math.Floor(s.turns)
}
