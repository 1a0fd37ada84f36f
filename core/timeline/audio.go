package timeline

import (
	"time"

	"webostrum/core/media"
)

// AudioUnit is one access unit or block of samples.
type AudioUnit struct {
	Data  []byte // as in media.Sample; handed over
	Ticks int64  // how long it lasts, in the track's clock
}

// Audio makes samples of units of audio. It is not safe for concurrent use.
type Audio struct {
	// Clock is the stamps' own. It is left alone when Video is set.
	Clock Clock

	// Video is the clock of the picture where stamps of both tell the same time, as in a
	// transport stream: what has the same stamp was taken at the same moment. Nothing is
	// passed on before the picture's first.
	Video *Clock

	Publish func(*media.Sample)

	track   *media.Track
	epoch   *media.Epoch
	number  uint64
	origin  int64 // of the track's clock, at which the epoch's PTS is zero
	end     int64 // PTS at which the newest sample ends
	broken  bool  // the timeline broke
	passed  uint64
	dropped uint64
}

// apart is by how much audio may be ahead of the picture, or behind it, when they share a
// clock: what is further off belongs to the other side of a jump.
const apart = 10 * time.Second

// Begin sets the number of the first epoch.
func (a *Audio) Begin(number uint64) { a.number = number }

// Track is how the audio is coded; nil as long as that is not known.
func (a *Audio) Track() *media.Track { return a.track }

// SetTrack says how it is coded from here on.
func (a *Audio) SetTrack(t *media.Track) { a.track, a.broken = t, true }

// Break says that what comes next has nothing to do with what came before.
func (a *Audio) Break() { a.broken = true }

// Counts returns how many units were passed on, and how many left out.
func (a *Audio) Counts() (passed, dropped uint64) { return a.passed, a.dropped }

// NextEpoch is the number to give to the Audio that comes after this one.
func (a *Audio) NextEpoch() uint64 { return a.number }

// Take takes units that follow each other; stamp is of the first, and arrived when it was
// taken if its way here took no time. There must be a track.
func (a *Audio) Take(units []AudioUnit, stamp uint64, arrived time.Time) {
	clock := &a.Clock
	var reading Reading
	if a.Video == nil {
		reading = a.Clock.Read(stamp, arrived)
	} else {
		clock = a.Video
		if !clock.started {
			return // it is no loss
		}
		var ok bool
		if reading, ok = clock.At(stamp); !ok {
			a.broken, a.dropped = true, a.dropped+uint64(len(units))
			return
		}
	}
	if reading.Jumped {
		a.broken = true
	}
	begin := scale(reading.Ticks, clock.Rate, a.track.ClockRate)
	pts := begin
	for _, u := range units {
		a.give(u, pts, reading.Captured.Add(a.track.Duration(pts-begin)), clock.Rate)
		pts += u.Ticks
	}
}

// give publishes one unit. Senders that round their timestamps make units overlap by some
// ticks; one that begins before the last one has half ended is left out.
func (a *Audio) give(u AudioUnit, ticks int64, captured time.Time, rate uint32) {
	if a.broken || a.epoch == nil {
		a.broken = false
		a.epoch = &media.Epoch{Number: a.number, Tracks: []*media.Track{a.track}}
		a.number++
		a.origin, a.end = ticks, 0
	}
	pts := ticks - a.origin
	if rate != a.track.ClockRate && (pts-a.end)*coarse <= int64(a.track.ClockRate) && (a.end-pts)*coarse <= int64(a.track.ClockRate) {
		pts = a.end // stamps of another clock are rounded
	}
	if pts < a.end-u.Ticks/2 {
		a.dropped++
		return
	}
	a.end = pts + u.Ticks
	a.passed++
	a.Publish(&media.Sample{
		Epoch: a.epoch, Track: a.track, DTS: pts, PTS: pts, Length: u.Ticks, Captured: captured, Key: true, Data: u.Data,
	})
}

// coarse is the part of a second by which stamps of another clock may be rounded.
const coarse = 400

// scale converts ticks of one clock to those of another.
func scale(ticks int64, from, to uint32) int64 {
	if from == to {
		return ticks
	}
	f, t := int64(from), int64(to)
	return ticks/f*t + ticks%f*t/f
}
