package amf

import (
	"encoding/binary"
	"maps"
	"math"
	"slices"
)

// Append appends values: float64, int, bool, string, Object, and nil for null. Members of
// objects go in the order of their names. Other types are written as null.
func Append(dst []byte, values ...any) []byte {
	for _, v := range values {
		dst = appendValue(dst, v)
	}
	return dst
}

func appendValue(dst []byte, v any) []byte {
	switch v := v.(type) {
	case float64:
		return binary.BigEndian.AppendUint64(append(dst, markNumber), math.Float64bits(v))
	case int:
		return appendValue(dst, float64(v))
	case bool:
		if v {
			return append(dst, markBoolean, 1)
		}
		return append(dst, markBoolean, 0)
	case string:
		if len(v) > math.MaxUint16 {
			return append(binary.BigEndian.AppendUint32(append(dst, markLongString), uint32(len(v))), v...)
		}
		return appendName(append(dst, markString), v)
	case Object:
		dst = append(dst, markObject)
		for _, name := range slices.Sorted(maps.Keys(v)) {
			dst = appendValue(appendName(dst, name), v[name])
		}
		return append(dst, 0, 0, markEnd)
	}
	return append(dst, markNull)
}

func appendName(dst []byte, name string) []byte {
	return append(binary.BigEndian.AppendUint16(dst, uint16(len(name))), name...)
}
