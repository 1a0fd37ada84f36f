package plan

import (
	"fmt"
	"time"
)

// Part is one part of a delivery's delay.
type Part struct {
	Name   string
	Length time.Duration // on average
	Why    string
}

// Path is what is known of a feed's way to viewers.
type Path struct {
	Arrival   time.Duration // from a picture's capture, by the camera's time, to its arrival
	FrameRate float64       // frames a second; 0 when not known
	Segment   time.Duration // target duration of the HLS list, or the wanted one as long as there is none
}

// holdBack is how many target durations from its end players begin to play a list
// (RFC 8216, 6.3.3).
const holdBack = 3

// Delay lists the parts of a delivery's delay that no player can avoid. What coding
// again takes, and what browsers put on top, is not in it.
func Delay(d Delivery, p Path) []Part {
	var parts []Part
	if p.Arrival > 0 {
		parts = append(parts, Part{"camera and network", p.Arrival, "measured: from capture, by the camera's time, to arrival here"})
	}
	if p.FrameRate > 0 {
		parts = append(parts, Part{"picture on show", time.Duration(float64(time.Second) / p.FrameRate / 2), "a picture stays until the next comes; half of that on average"})
	}
	if d == HLS {
		parts = append(parts,
			Part{"segment in the making", p.Segment / 2, "a segment can be fetched once it is whole; half of it on average"},
			Part{"hold-back", holdBack * p.Segment, fmt.Sprintf("players begin %d target durations before the end of the list", holdBack)},
		)
	}
	return parts
}

// Total is the length of all parts.
func Total(parts []Part) (sum time.Duration) {
	for _, p := range parts {
		sum += p.Length
	}
	return sum
}
