package source

import "webostrum/core/program"

// Of is what is known of a program, as of a camera.
func Of(p program.Facts) Facts {
	f := Facts{
		Codec: p.Codec, B: p.B, Slices: p.Slices, Audio: p.Audio,
		Stats: Stats{Dropped: p.Counts.Dropped, Jumps: p.Counts.Jumps, Keyframes: p.Counts.Keyframes, WithSets: p.Counts.WithSets, AudioLost: p.AudioLost},
	}
	if c := p.Config; c != nil {
		f.Profile, f.Level, f.Width, f.Height, f.Interlaced = c.Profile, c.Level, c.Width, c.Height, c.Interlaced
	}
	return f
}
