package fault_test

import (
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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

var update = flag.Bool("update", false, "write docs/faults.md anew")

// TestDocument keeps docs/faults.md the same as the table.
func TestDocument(t *testing.T) {
	const file = "../../docs/faults.md"
	var b strings.Builder
	b.WriteString("# What can go wrong with a camera\n\nMade from the table in `core/fault`; the same sentences stand in API, command line and console.\n\n")
	b.WriteString("| code | what happened | what to do next |\n|---|---|---|\n")
	for _, k := range fault.Table() {
		fmt.Fprintf(&b, "| `%s` | %s | %s |\n", k.Code, k.Sentence, k.Remedy)
	}
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
	}
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, b.String(), string(got), "run: go test ./core/fault -update")
}
