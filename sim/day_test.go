package sim_test

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/sim"
)

// TestADayGetsLightAndDarkAgain in simulated time.
func TestADayGetsLightAndDarkAgain(t *testing.T) {
	t.Parallel()
	var bright []float64
	day := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	err := sim.Day(context.Background(), "summit-mast", 320, 180, day, time.Hour, func(at time.Time, picture []byte) error {
		p, err := jpeg.Decode(bytes.NewReader(picture))
		require.NoError(t, err)
		sum := 0
		y := p.(*image.YCbCr).Y
		for _, v := range y {
			sum += int(v)
		}
		bright = append(bright, float64(sum)/float64(len(y)))
		return nil
	})
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(bright), 8, "a day of November")
	noon := bright[len(bright)/2]
	assert.Greater(t, noon, 2*bright[0])
	assert.Greater(t, noon, 2*bright[len(bright)-1])
}
