package stills

import (
	"bytes"
	"image/jpeg"

	corejpeg "webostrum/core/jpeg"
)

const (
	evenOver    = 5 // pictures to both sides
	evenQuality = 95
	mostGain    = 2.0
	mostPixels  = 8192 * 8192
)

// evener evens out how bright pictures are: a camera's exposure that goes up and down makes
// films flicker.
type evener struct {
	read  func(i int) ([]byte, error) // a picture as JPEG
	count int
	known map[int]seen // those around
}

// seen is a picture, and the mean of its luma; below 0 where there is none.
type seen struct {
	data []byte
	luma float64
}

// out gives a picture the brightness of those around it.
func (e *evener) out(i int) ([]byte, error) {
	sum, n := 0.0, 0
	for k := max(0, i-evenOver); k <= min(e.count-1, i+evenOver); k++ {
		if b := e.look(k).luma; b >= 0 {
			sum, n = sum+b, n+1
		}
	}
	own := e.look(i)
	delete(e.known, i-evenOver-1)
	if own.luma < 0 {
		return e.read(i) // which says what is wrong with it
	}
	if own.luma < 1 {
		return own.data, nil
	}
	gain := min(max(sum/float64(n)/own.luma, 1/mostGain), mostGain)
	picture, err := corejpeg.Pixels(own.data, mostPixels)
	if err != nil {
		return nil, err
	}
	var table [256]uint8
	for v := range table {
		table[v] = uint8(min(255, float64(v)*gain+0.5))
	}
	for at, v := range picture.Y {
		picture.Y[at] = table[v]
	}
	var out bytes.Buffer
	err = jpeg.Encode(&out, picture, &jpeg.Options{Quality: evenQuality})
	return out.Bytes(), err
}

// look reads a picture, and remembers it as long as it is one of those around.
func (e *evener) look(i int) seen {
	if s, ok := e.known[i]; ok {
		return s
	}
	if e.known == nil {
		e.known = make(map[int]seen)
	}
	s := seen{luma: -1}
	if data, err := e.read(i); err == nil {
		if p, err := corejpeg.Pixels(data, mostPixels); err == nil {
			s = seen{data, mean(p.Y)}
		}
	}
	e.known[i] = s
	return s
}

func mean(luma []byte) float64 {
	sum := 0
	for _, v := range luma {
		sum += int(v)
	}
	return float64(sum) / float64(max(1, len(luma)))
}
