// Package timeline lays what a source sends on a timeline: it unwraps stamps of whatever
// width, notices jumps, tells capture times, and makes samples with decode times and epochs
// of access units. RTP, transport streams and pushed sources share it.
package timeline

import (
	"cmp"
	"time"
)

const (
	// A step of the timestamp that real time does not explain: the sender has
	// set its clock anew.
	jumpForward  = 2 * time.Second
	jumpBackward = time.Second

	// A sender report whose wall clock is further off than this comes from a
	// camera whose clock was never set; its times are not used.
	maxWallError = 10 * time.Second

	// How fast the smoothed offset may follow a drifting camera upwards. A
	// quartz is good to 0.0001; networks are worse for minutes at most.
	creepPerSecond = 500 * time.Microsecond

	// What is known of capture times changes when a report comes. Within an epoch they
	// follow by so much a second, which nobody notices; what would take too long waits for
	// the next epoch.
	slewPerSecond = 20 * time.Millisecond
	maxSlew       = time.Second

	// Reports of two streams whose wall clocks differ by more than this do not tell
	// how the streams lie to each other: one is from before the camera's clock was
	// set.
	maxApart = time.Second
)

// Clock follows one stream's timestamps: it unwraps them, notices jumps,
// and tells at what wall-clock time a timestamp was taken.
type Clock struct {
	Rate uint32 // ticks a second; must be set
	Bits uint   // width of a stamp, such as 33 of a transport stream; 0 means RTP's 32

	// Lead is the clock of another stream of the same camera that this one keeps
	// in step with; nil for none. With reports for both of them they are laid
	// beside each other by those, even when the camera's clock was never set;
	// without, by their arrivals.
	Lead *Clock

	started  bool
	last     uint64
	ticks    int64 // of last, unwrapped
	arrived  time.Time
	epoch    time.Time     // wall-clock reading that offset counts from
	offset   time.Duration // wall clock at tick 0, smoothed from arrivals, less epoch
	reported bool          // there is a sender report for this timeline
	trusted  bool          // and its wall clock is right
	reportAt int64         // ticks of the newest sender report
	reportWT time.Time
	wallOff  time.Duration // by how much the sender's clock differs, newest report
	early    *report       // came before the first packet

	// shift is what capture times lag behind what is known of them, as of the newest
	// timestamp. It goes to zero little by little.
	shift time.Duration

	same    int       // frames in a row whose timestamp was that of the one before
	movedAt time.Time // arrival of the last whose timestamp was another

	// For those who keep in step, as of the newest timestamp: what captured is
	// beyond the sender's own time, and beyond arrival.
	beyondSent, beyondArrival time.Duration
}

type report struct {
	ntp uint64
	ts  uint64
	at  time.Time
}

// Reading is what a timestamp means.
type Reading struct {
	Ticks    int64     // unwrapped; continues over a jump as real time did
	Captured time.Time // wall clock
	Jumped   bool      // the sender's clock was set anew just before
}

func (c *Clock) duration(ticks int64) time.Duration {
	rate := int64(c.Rate)
	return time.Duration(ticks/rate)*time.Second + time.Duration(ticks%rate)*time.Second/time.Duration(rate)
}

// step is how far a stamp is from the newest, whichever way is shorter.
func (c *Clock) step(ts uint64) int64 {
	const word, usual = 64, 32
	spare := word - cmp.Or(c.Bits, usual)
	return int64((ts-c.last)<<spare) >> spare
}

// Read takes the timestamp of a picture and the time of arrival of its first
// packet.
func (c *Clock) Read(ts uint64, now time.Time) Reading {
	if !c.started {
		c.started, c.last, c.arrived, c.epoch, c.movedAt = true, ts, now, now, now
		if e := c.early; e != nil {
			c.early = nil
			c.Report(e.ntp, e.ts, e.at)
			c.shift = 0 // nothing was told otherwise yet
		}
		return c.reading(false)
	}
	step := c.step(ts)
	passed := now.Sub(c.arrived)
	if step = c.standing(step, now); step != c.step(ts) {
		c.reported = false // reports tell of a clock that stands still
	}
	jumped := c.duration(step) < -jumpBackward || c.duration(step)-passed > jumpForward
	if jumped {
		step = int64(passed.Seconds() * float64(c.Rate))
		c.reported, c.shift = false, 0 // another epoch begins
	}
	c.slew(c.duration(step))
	c.ticks += step
	c.last = ts
	c.arrived = now
	late := now.Sub(c.epoch) - c.duration(c.ticks) - c.offset
	if late < 0 || jumped {
		c.offset += late
	} else {
		creep := time.Duration(passed.Seconds() * float64(creepPerSecond))
		c.offset += min(late, max(creep, 0))
	}
	return c.reading(jumped)
}

func (c *Clock) reading(jumped bool) Reading {
	r := Reading{Ticks: c.ticks, Captured: c.captured(c.ticks), Jumped: jumped}
	c.beyondArrival = r.Captured.Sub(c.byArrival(c.ticks))
	if c.reported {
		c.beyondSent = r.Captured.Sub(c.bySender(c.ticks))
	}
	return r
}

// At tells what a stamp of another stream by the same clock means; ok is false as long as
// nothing of this one has come, and for a stamp that is far from the newest.
func (c *Clock) At(ts uint64) (r Reading, ok bool) {
	step := c.step(ts)
	if !c.started || c.duration(step).Abs() > apart {
		return r, false
	}
	return Reading{Ticks: c.ticks + step, Captured: c.captured(c.ticks + step)}, true
}

// stands is how many frames in a row have the same timestamp before that counts as a
// clock that does not run.
const stands = 3

// standing returns the step of a clock, or of real time for one that stands still.
func (c *Clock) standing(step int64, now time.Time) int64 {
	if step != 0 || now.Equal(c.arrived) {
		c.same, c.movedAt = 0, now
		return step
	}
	if c.same++; c.same < stands {
		return step
	}
	passed := now.Sub(c.arrived)
	if c.same == stands && !c.movedAt.IsZero() {
		passed = now.Sub(c.movedAt)
	}
	return int64(passed.Seconds() * float64(c.Rate))
}

// slew takes the shift towards zero.
func (c *Clock) slew(passed time.Duration) {
	most := time.Duration(max(passed.Seconds(), 0) * float64(slewPerSecond))
	c.shift -= min(max(c.shift, -most), most)
}

// Settle says whether capture times are so far from what is known of them that it is
// better to begin an epoch, and if so, has them jump there: from the next timestamp on
// they are right. It is for streams without a lead.
func (c *Clock) Settle() (jumped bool) {
	if c.shift.Abs() <= maxSlew {
		return false
	}
	c.shift = 0
	return true
}

func (c *Clock) captured(ticks int64) time.Time { return c.known(ticks).Add(c.shift) }

// known is when a timestamp was taken, by all that is known now.
func (c *Clock) known(ticks int64) time.Time {
	lead := c.Lead
	switch {
	case lead == nil && c.reported && c.trusted:
		return c.bySender(ticks)
	case lead == nil:
		return c.byArrival(ticks)
	case c.reported && lead.reported && (c.wallOff-lead.wallOff).Abs() <= maxApart:
		return c.bySender(ticks).Add(lead.beyondSent)
	}
	return c.byArrival(ticks).Add(lead.beyondArrival)
}

func (c *Clock) byArrival(ticks int64) time.Time { return c.epoch.Add(c.offset + c.duration(ticks)) }

func (c *Clock) bySender(ticks int64) time.Time {
	return c.reportWT.Add(c.duration(ticks - c.reportAt))
}

// Report takes a sender report: the 64-bit NTP time and the RTP time that
// stand for the same moment (RFC 3550, 6.4.1), and its time of arrival.
func (c *Clock) Report(ntp, ts uint64, now time.Time) {
	if ntp == 0 {
		return
	}
	if !c.started {
		c.early = &report{ntp, ts, now}
		return
	}
	step := c.step(ts)
	if c.duration(step).Abs() > maxWallError {
		return // belongs to the timeline before a jump
	}
	before := c.captured(c.ticks)
	wall := NTPTime(ntp)
	c.wallOff = now.Sub(wall)
	c.trusted = c.wallOff.Abs() <= maxWallError
	c.reported, c.reportAt, c.reportWT = true, c.ticks+step, wall
	if c.Lead == nil { // others follow their lead at once, for lip sync
		c.shift = before.Sub(c.known(c.ticks))
	}
}

// FromReports says whether capture times come from sender reports, and not
// from arrivals.
func (c *Clock) FromReports() bool { return c.reported && c.trusted }

// WallOffset is arrival less the sender's own time in the newest report: a
// second or more means that the camera's clock is not set.
func (c *Clock) WallOffset() time.Duration { return c.wallOff }
