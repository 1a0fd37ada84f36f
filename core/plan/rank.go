package plan

import "webostrum/core/media"

const bestPixels = 1920 * 1080 // more is seldom seen on a page

// Rank says which of some streams of one camera is the best to watch, and which is the
// lightest; -1 where none can be taken. One that browsers get untouched stands before one
// that has to be transcoded.
func Rank(list []Source) (best, lightest int) {
	best, lightest = -1, -1
	for i, s := range list {
		if !Taken(s.Codec) {
			continue
		}
		if best < 0 || worth(s) > worth(list[best]) {
			best = i
		}
		if lightest < 0 || weight(s) < weight(list[lightest]) {
			lightest = i
		}
	}
	return best, lightest
}

// Taken says whether cameras' video of a codec is taken at all.
func Taken(c media.Codec) bool { return c == media.H264 || c == media.H265 || c == media.JPEG }

// ease is how little stands between a codec and all browsers.
var ease = map[media.Codec]float64{media.H264: 1, media.H265: 0.3, media.JPEG: 0.01}

func worth(s Source) float64 {
	pixels := float64(s.Width * s.Height)
	if pixels > bestPixels {
		pixels = bestPixels / 2 // rather one that fits
	}
	return pixels * ease[s.Codec]
}

func weight(s Source) float64 {
	if s.BitRate > 0 {
		return s.BitRate
	}
	return float64(s.Width*s.Height) * max(s.FrameRate, 1)
}
