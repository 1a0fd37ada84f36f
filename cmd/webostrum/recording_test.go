package main

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/apitypes"
)

// TestOneFileForEachCoding of what was recorded.
func TestOneFileForEachCoding(t *testing.T) {
	at := func(m int) time.Time { return time.Date(2026, 11, 27, 8, m, 0, 0, time.UTC) }
	span := func(from, to, width int) apitypes.RecordedSpan {
		return apitypes.RecordedSpan{Begins: at(from), Ends: at(to), Width: width, Height: 2}
	}
	assert.Equal(t, []part{{at(0), at(30)}}, alike(nil, at(0), at(30)), "the service says that there is nothing")
	assert.Equal(t, []part{{at(0), at(30)}}, alike([]apitypes.RecordedSpan{span(0, 10, 640), span(15, 30, 640)}, at(0), at(30)), "a gap is left out")
	assert.Equal(t, []part{{at(0), at(10)}, {at(12), at(30)}}, alike([]apitypes.RecordedSpan{span(0, 10, 640), span(12, 30, 1280)}, at(0), at(30)))
}
