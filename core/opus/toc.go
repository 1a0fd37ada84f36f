// Package opus reads what stands in front of Opus packets (RFC 6716, section 3).
package opus

// ClockRate is the rate that Opus durations and RTP timestamps count in, whatever
// the signal's own (RFC 7587, 4.1).
const ClockRate = 48000

const maxDuration = ClockRate * 120 / 1000 // 120 ms (RFC 6716, 3.2.5)

// Duration returns how many samples at 48 kHz a packet stands for; zero when it is
// no Opus packet.
func Duration(packet []byte) int {
	if len(packet) == 0 {
		return 0
	}
	// | config, 5 | stereo | frames, 2 |
	config, code := packet[0]>>3, packet[0]&3
	frames := 2
	switch {
	case code == 0:
		frames = 1
	case code == 3 && len(packet) < 2:
		return 0
	case code == 3:
		frames = int(packet[1] & 0x3f)
	}
	if d := frames * frameSize(config); d <= maxDuration {
		return d
	}
	return 0
}

// frameSize is the length of a frame by configuration (table 2).
func frameSize(config byte) int {
	const tenMs = ClockRate / 100
	switch {
	case config < 12: // SILK: 10, 20, 40, 60 ms
		return []int{tenMs, 2 * tenMs, 4 * tenMs, 6 * tenMs}[config&3]
	case config < 16: // hybrid: 10, 20 ms
		return tenMs << (config & 1)
	default: // CELT: 2.5, 5, 10, 20 ms
		return tenMs / 4 << (config & 3)
	}
}
