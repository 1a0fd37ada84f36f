// Package amf reads and writes AMF 0 (Action Message Format, version 0), in which RTMP's
// commands are written. AMF 3 is not read.
//
// Limits: 8 levels of objects within objects; 512 values in one message. Strings are no
// longer than what came.
package amf

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
)

// ErrMalformed is wrapped by what Decode returns.
var ErrMalformed = errors.New("amf: malformed")

// The limits of a message.
const (
	maxDepth  = 8
	maxValues = 512
)

// The markers (2.1).
const (
	markNumber      = 0
	markBoolean     = 1
	markString      = 2
	markObject      = 3
	markNull        = 5
	markUndefined   = 6
	markECMAArray   = 8
	markEnd         = 9
	markStrictArray = 10
	markDate        = 11
	markLongString  = 12
	markUnsupported = 13
	markXML         = 15
	markTyped       = 16
)

// Object is an object, or an associative array.
type Object map[string]any

// Text returns a member that is a string, or the empty string.
func (o Object) Text(name string) string {
	s, _ := o[name].(string)
	return s
}

// Number returns a member that is a number, or 0.
func (o Object) Number(name string) float64 {
	n, _ := o[name].(float64)
	return n
}

// Decode reads all values of a message: float64, bool, string, Object, []any, and nil for
// null and undefined. What was read before an error is returned with it.
func Decode(data []byte) (values []any, err error) {
	d := decoder{rest: data}
	for len(d.rest) > 0 {
		v, err := d.value(0)
		if err != nil {
			return values, err
		}
		values = append(values, v)
	}
	return values, nil
}

type decoder struct {
	rest   []byte
	values int
}

// take returns the next n bytes.
func (d *decoder) take(n int) ([]byte, error) {
	if n > len(d.rest) {
		return nil, fmt.Errorf("%w: %d bytes wanted, %d left", ErrMalformed, n, len(d.rest))
	}
	b := d.rest[:n]
	d.rest = d.rest[n:]
	return b, nil
}

func (d *decoder) value(depth int) (any, error) {
	if d.values++; d.values > maxValues || depth > maxDepth {
		return nil, fmt.Errorf("%w: more than %d values, or %d levels", ErrMalformed, maxValues, maxDepth)
	}
	mark, err := d.take(1)
	if err != nil {
		return nil, err
	}
	switch mark[0] {
	case markNumber:
		return d.number()
	case markBoolean:
		b, err := d.take(1)
		return err == nil && b[0] != 0, err
	case markString:
		return d.text(2)
	case markLongString, markXML:
		return d.text(4)
	case markNull, markUndefined, markUnsupported:
		return nil, nil
	case markObject:
		return d.object(depth)
	case markTyped:
		if _, err := d.text(2); err != nil {
			return nil, err
		}
		return d.object(depth)
	case markECMAArray:
		if _, err := d.take(4); err != nil { // its count, which senders get wrong
			return nil, err
		}
		return d.object(depth)
	case markStrictArray:
		return d.array(depth)
	case markDate:
		n, err := d.number()
		if err == nil {
			_, err = d.take(2) // time zone
		}
		return n, err
	}
	return nil, fmt.Errorf("%w: marker %d", ErrMalformed, mark[0])
}

func (d *decoder) number() (float64, error) {
	b, err := d.take(8)
	if err != nil {
		return 0, err
	}
	return math.Float64frombits(binary.BigEndian.Uint64(b)), nil
}

func (d *decoder) text(sizeLen int) (string, error) {
	b, err := d.take(sizeLen)
	if err != nil {
		return "", err
	}
	n := int64(binary.BigEndian.Uint16(b))
	if sizeLen == 4 {
		n = int64(binary.BigEndian.Uint32(b))
	}
	if n > int64(len(d.rest)) {
		return "", fmt.Errorf("%w: string of %d bytes, %d left", ErrMalformed, n, len(d.rest))
	}
	b, err = d.take(int(n))
	return string(b), err
}

func (d *decoder) object(depth int) (Object, error) {
	o := Object{}
	for {
		name, err := d.text(2)
		if err != nil {
			return nil, err
		}
		if len(name) == 0 && len(d.rest) > 0 && d.rest[0] == markEnd {
			d.rest = d.rest[1:]
			return o, nil
		}
		if o[name], err = d.value(depth + 1); err != nil {
			return nil, err
		}
	}
}

func (d *decoder) array(depth int) ([]any, error) {
	b, err := d.take(4)
	if err != nil {
		return nil, err
	}
	var list []any
	for range binary.BigEndian.Uint32(b) { // an end of the data ends it
		v, err := d.value(depth + 1)
		if err != nil {
			return nil, err
		}
		list = append(list, v)
	}
	return list, nil
}
