package fault_test

import (
	"errors"
	"fmt"
	"io"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/fault"
)

func TestTableIsComplete(t *testing.T) {
	seen := make(map[fault.Code]bool)
	for _, k := range fault.Table() {
		assert.Regexp(t, regexp.MustCompile(`^camera-[a-z-]+$`), string(k.Code))
		assert.False(t, seen[k.Code], "%s stands twice", k.Code)
		seen[k.Code] = true
		assert.NotEqual(t, fault.ClassUnknown, k.Class, k.Code)
		assert.Regexp(t, `^[A-Z].*\.$`, k.Sentence, "one sentence for %s", k.Code)
		assert.Regexp(t, `^[A-Z].*\.$`, k.Remedy, "what to do about %s", k.Code)
	}
}

func TestErrors(t *testing.T) {
	err := fmt.Errorf("wrapped: %w", fault.New(fault.PortClosed, io.EOF, "tried %s", "192.0.2.7:554"))
	f := fault.As(err)
	assert.Equal(t, fault.PortClosed, f.Kind.Code)
	assert.Contains(t, f.Error(), "(tried 192.0.2.7:554)")
	assert.True(t, errors.Is(f, io.EOF))
	assert.Equal(t, fault.Garbled, fault.As(io.EOF).Kind.Code)
	_, ok := fault.Lookup("no-such-code")
	assert.False(t, ok)
}
