// Package motion measures how much of a picture changes, from small grey pictures a few times
// a second: what is a little lighter or darker in every place, as under a cloud, does not
// count, nor does what lies in cells that are masked.
package motion

import (
	"fmt"
	"strings"
)

// The grid that a picture is divided into.
const (
	Columns = 16
	Rows    = 9
)

const (
	// step is how much lighter or darker a place has to be, of 255, beyond what all of the
	// picture is.
	step = 18
	// follow is how quickly what is seen becomes what is usual: 1/8 of the way a picture.
	follow = 8
)

// Mask is the cells that are not looked at.
type Mask [Rows][Columns]bool

// ParseMask reads cells: a row for each of the nine, of sixteen characters, . for one that is
// looked at and x for one that is not, with / between rows. Empty text masks nothing.
func ParseMask(text string) (m Mask, err error) {
	if text == "" {
		return m, nil
	}
	rows := strings.Split(text, "/")
	if len(rows) != Rows {
		return m, fmt.Errorf("a mask has %d rows with / between them, and this has %d", Rows, len(rows))
	}
	for y, row := range rows {
		if len(row) != Columns || strings.Trim(row, ".x") != "" {
			return m, fmt.Errorf("row %d of the mask, %q, is not %d of . and x", y+1, row, Columns)
		}
		for x := range row {
			m[y][x] = row[x] == 'x'
		}
	}
	return m, nil
}

// String is the mask as ParseMask reads it.
func (m Mask) String() string {
	rows := make([]string, Rows)
	for y := range m {
		row := [Columns]byte{}
		for x, masked := range m[y] {
			row[x] = '.'
			if masked {
				row[x] = 'x'
			}
		}
		rows[y] = string(row[:])
	}
	return strings.Join(rows, "/")
}

// Measure is what a picture is like beside those before it.
type Measure struct {
	Changed float64                // per cent of what is looked at
	Cells   [Rows][Columns]float64 // per cent of each cell, masked or not
}

// Detector compares each picture with what is usual. The zero value is ready. It is not safe
// for concurrent use.
type Detector struct {
	Mask          Mask
	width, height int
	usual         []int32 // brightness, times scale
}

const scale = 16

// Next takes the next picture: a byte of brightness a pixel, in rows of stride bytes. The
// first, and one of another size, have not changed.
func (d *Detector) Next(pixels []byte, width, height, stride int) (m Measure) {
	if width <= 0 || height <= 0 || stride < width || len(pixels) < stride*(height-1)+width {
		return m
	}
	fresh := width != d.width || height != d.height
	if fresh {
		d.width, d.height, d.usual = width, height, make([]int32, width*height)
	}
	shift := int32(0)
	if !fresh {
		shift = d.shift(pixels, width, height, stride)
	}
	var changed, count [Rows][Columns]int
	for y := range height {
		row := y * Rows / height
		for x := range width {
			now, at := int32(pixels[y*stride+x])*scale, y*width+x
			column := x * Columns / width
			count[row][column]++
			if fresh {
				d.usual[at] = now
				continue
			}
			if off := now - d.usual[at] - shift; off > step*scale || off < -step*scale {
				changed[row][column]++
			}
			d.usual[at] += (now - d.usual[at]) / follow
		}
	}
	return d.sum(changed, count)
}

// shift is how much lighter all of the picture is than usual: the median of a sample of
// places, so that what moves counts little.
func (d *Detector) shift(pixels []byte, width, height, stride int) int32 {
	const every, levels = 7, 256
	var histogram [2*levels + 1]int
	n := 0
	for at := 0; at < width*height; at += every {
		off := int32(pixels[at/width*stride+at%width]) - d.usual[at]/scale
		histogram[off+levels]++
		n++
	}
	for i, seen := 0, 0; i < len(histogram); i++ {
		if seen += histogram[i]; 2*seen >= n {
			return int32(i-levels) * scale
		}
	}
	return 0
}

func (d *Detector) sum(changed, count [Rows][Columns]int) (m Measure) {
	seen, all := 0, 0
	for y := range Rows {
		for x := range Columns {
			if count[y][x] > 0 {
				m.Cells[y][x] = 100 * float64(changed[y][x]) / float64(count[y][x])
			}
			if !d.Mask[y][x] {
				seen, all = seen+changed[y][x], all+count[y][x]
			}
		}
	}
	if all > 0 {
		m.Changed = 100 * float64(seen) / float64(all)
	}
	return m
}
