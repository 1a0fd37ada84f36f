// Package arrival tells when pictures were taken that come over HTTP: by the time
// at which they arrive, smoothed, or by a time that the camera has written beside
// them.
package arrival

import "time"

const (
	// A camera whose clock is further off was never set; its times then only
	// tell how pictures lie to each other.
	maxWallError = 10 * time.Second

	// A picture further from where it was expected than this is a pause, or
	// another frame rate, and no jitter.
	mostJitter = 250 * time.Millisecond

	pull    = 0.1  // of the distance to each arrival, in expected times
	relearn = 0.05 // of the distance to each interval, in the expected interval

	// How fast the smoothed offset of a camera's clock may follow upwards.
	creepPerSecond = 500 * time.Microsecond
)

// Clock is the clock of one connection. The zero value is ready.
type Clock struct {
	begun    bool
	arrived  time.Time     // of the picture before
	expected time.Time     // smoothed arrival of the picture before
	interval time.Duration // expected

	stamped bool
	offset  time.Duration // least of arrival less stamp, creeping up
	wallOff time.Duration
}

// Read takes the arrival of a picture, and the time that the camera wrote beside
// it, or zero. It returns when the picture was taken.
func (c *Clock) Read(arrived, stamp time.Time) (captured time.Time) {
	if !stamp.IsZero() {
		captured = c.byStamp(arrived, stamp)
	} else {
		c.stamped = false
		captured = c.smooth(arrived)
	}
	c.begun, c.arrived = true, arrived
	return captured
}

// FromCamera says whether times come from the camera's clock, and WallOffset by
// how much that differs from ours.
func (c *Clock) FromCamera() bool { return c.stamped && c.wallOff.Abs() <= maxWallError }

// WallOffset is like FromCamera.
func (c *Clock) WallOffset() time.Duration { return c.wallOff }

func (c *Clock) byStamp(arrived, stamp time.Time) time.Time {
	late := arrived.Sub(stamp)
	switch {
	case !c.stamped || late < c.offset || late-c.offset > maxWallError:
		c.offset = late
	default:
		c.offset += min(late-c.offset, time.Duration(arrived.Sub(c.arrived).Seconds()*float64(creepPerSecond)))
	}
	c.stamped, c.wallOff = true, -c.offset
	if c.FromCamera() {
		return stamp
	}
	return stamp.Add(c.offset)
}

func (c *Clock) smooth(arrived time.Time) time.Time {
	if !c.begun || c.interval == 0 {
		if c.begun {
			c.interval = arrived.Sub(c.arrived)
		}
		c.expected = arrived
		return arrived
	}
	step := arrived.Sub(c.arrived)
	expected := c.expected.Add(c.interval)
	off := arrived.Sub(expected)
	if off.Abs() > mostJitter || step > 3*c.interval {
		c.expected, c.interval = arrived, min(step, time.Second)
		return arrived
	}
	c.expected = expected.Add(time.Duration(pull * float64(off)))
	c.interval += time.Duration(relearn * float64(step-c.interval))
	return c.expected
}
