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
	read  func(i int) ([]byte, error)
	count int
	known map[int]float64
}

// out gives a picture the brightness of those around it.
func (e *evener) out(i int, data []byte) ([]byte, error) {
	if e.known == nil {
		e.known = make(map[int]float64)
	}
	sum, n := 0.0, 0
	for k := max(0, i-evenOver); k <= min(e.count-1, i+evenOver); k++ {
		if b, ok := e.brightness(k); ok {
			sum, n = sum+b, n+1
		}
	}
	own, ok := e.brightness(i)
	delete(e.known, i-evenOver-1)
	if !ok || own < 1 || n == 0 {
		return data, nil
	}
	gain := min(max(sum/float64(n)/own, 1/mostGain), mostGain)
	picture, err := corejpeg.Pixels(data, mostPixels)
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

// brightness is the mean of a picture's luma.
func (e *evener) brightness(i int) (float64, bool) {
	if b, ok := e.known[i]; ok {
		return b, b >= 0
	}
	e.known[i] = -1
	data, err := e.read(i)
	if err != nil {
		return 0, false
	}
	p, err := corejpeg.Pixels(data, mostPixels)
	if err != nil {
		return 0, false
	}
	sum := 0
	for _, v := range p.Y {
		sum += int(v)
	}
	e.known[i] = float64(sum) / float64(max(1, len(p.Y)))
	return e.known[i], true
}
