package h264

import "fmt"

// limits is a row of table A-1: what a level carries.
type limits struct {
	level      uint8
	macroblock float64 // macroblocks a second
	frame      int     // macroblocks a frame
	bitRate    int     // bits a second, baseline and main
}

var levels = []limits{
	{10, 1485, 99, 64_000}, {11, 3000, 396, 192_000}, {12, 6000, 396, 384_000}, {13, 11880, 396, 768_000},
	{20, 11880, 396, 2_000_000}, {21, 19800, 792, 4_000_000}, {22, 20250, 1620, 4_000_000},
	{30, 40500, 1620, 10_000_000}, {31, 108000, 3600, 14_000_000}, {32, 216000, 5120, 20_000_000},
	{40, 245760, 8192, 20_000_000}, {41, 245760, 8192, 50_000_000}, {42, 522240, 8704, 50_000_000},
	{50, 589824, 22080, 135_000_000}, {51, 983040, 36864, 240_000_000}, {52, 2073600, 36864, 240_000_000},
}

// LevelFor returns the lowest level_idc that carries a size in pixels, a rate in frames a
// second and bits a second (A.3.1); the highest when none does.
func LevelFor(width, height int, rate float64, bitRate int) uint8 {
	const side = 16
	frame := (width + side - 1) / side * ((height + side - 1) / side)
	for _, l := range levels {
		if frame <= l.frame && float64(frame)*rate <= l.macroblock && bitRate <= l.bitRate {
			return l.level
		}
	}
	return levels[len(levels)-1].level
}

// CodecString is the RFC 6381 parameter of a stream that is to be made: of main profile, or
// constrained baseline.
func CodecString(main bool, level uint8) string {
	if main {
		return fmt.Sprintf("avc1.4D40%02X", level)
	}
	return fmt.Sprintf("avc1.42C0%02X", level)
}
