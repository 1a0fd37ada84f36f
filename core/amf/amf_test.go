package amf_test

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/amf"
)

func TestRoundTrip(t *testing.T) {
	long := strings.Repeat("x", math.MaxUint16+1)
	values := []any{"connect", 1.5, true, false, nil, amf.Object{"app": "summit-360", "n": 7.0, "inner": amf.Object{"b": true}}, long}
	got, err := amf.Decode(amf.Append(nil, values...))
	require.NoError(t, err)
	assert.Equal(t, values, got)
	o := got[5].(amf.Object)
	assert.Equal(t, "summit-360", o.Text("app"))
	assert.Equal(t, 7.0, o.Number("n"))
	assert.Empty(t, o.Text("n"), "it is no string")
	assert.Zero(t, o.Number("app"))
}

// TestBytes are written by hand after the specification.
func TestBytes(t *testing.T) {
	for name, x := range map[string]struct {
		bytes []byte
		want  any
	}{
		"number":      {[]byte{0, 0x40, 0x45, 0, 0, 0, 0, 0, 0}, 42.0},
		"string":      {[]byte{2, 0, 3, 'a', 'b', 'c'}, "abc"},
		"ECMA array":  {[]byte{8, 0xff, 0xff, 0xff, 0xff, 0, 1, 'k', 1, 1, 0, 0, 9}, amf.Object{"k": true}},
		"typed":       {[]byte{16, 0, 1, 'T', 0, 1, 'k', 5, 0, 0, 9}, amf.Object{"k": nil}},
		"strict":      {[]byte{10, 0, 0, 0, 2, 1, 0, 6}, []any{false, nil}},
		"date":        {[]byte{11, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, 0.0},
		"long string": {[]byte{12, 0, 0, 0, 1, 'z'}, "z"},
		"unsupported": {[]byte{13}, nil},
	} {
		got, err := amf.Decode(x.bytes)
		require.NoError(t, err, name)
		assert.Equal(t, []any{x.want}, got, name)
	}
}

func TestHostile(t *testing.T) {
	for name, b := range map[string][]byte{
		"objects in objects":    bytes.Repeat([]byte{3, 0, 1, 'a'}, 100_000),
		"arrays in arrays":      bytes.Repeat([]byte{10, 0, 0, 0, 9}, 100_000),
		"an array of 4 billion": {10, 0xff, 0xff, 0xff, 0xff},
		"a string of 4 GiB":     {12, 0xff, 0xff, 0xff, 0xff, 'a'},
		"very many values":      bytes.Repeat([]byte{5}, 100_000),
		"an object with no end": {3, 0, 1, 'a', 5},
		"an unknown marker":     {7},
		"a number cut short":    {0, 1, 2},
	} {
		_, err := amf.Decode(b)
		assert.ErrorIs(t, err, amf.ErrMalformed, name)
	}
	got, err := amf.Decode([]byte{2, 0, 1, 'a', 0x7f})
	assert.Error(t, err)
	assert.Equal(t, []any{"a"}, got, "what stands before a mistake counts")
}

func FuzzDecode(f *testing.F) {
	f.Add(amf.Append(nil, "connect", 1, amf.Object{"app": "a", "o": amf.Object{}}))
	f.Fuzz(func(t *testing.T, b []byte) {
		values, _ := amf.Decode(b)
		if len(values) > len(b) {
			t.Fatalf("%d values of %d bytes", len(values), len(b))
		}
	})
}
