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
		assert.Regexp(t, regexp.MustCompile(`^[a-z]+(-[a-z0-9]+)*$`), string(k.Code))
		assert.Greater(t, k.Status, 399, k.Code)
		assert.False(t, seen[k.Code], "%s stands twice", k.Code)
		seen[k.Code] = true
		assert.True(t, k.Class != fault.ClassUnknown || k.Status >= 500, "only failures of the service have no class: %s", k.Code)
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
	b.WriteString("# What can go wrong\n\nMade from the table in `core/fault`; the same sentences stand in API, command line and console.\n\n")
	b.WriteString("| code | HTTP status | what happened | what to do next |\n|---|---|---|---|\n")
	for _, k := range fault.Table() {
		fmt.Fprintf(&b, "| `%s` | %d | %s | %s |\n", k.Code, k.Status, k.Sentence, k.Remedy)
	}
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(b.String()), 0o644))
	}
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, b.String(), string(got), "run: go test ./core/fault -update")
}

func TestChanged(t *testing.T) {
	full, away := fault.New(fault.DiskFull, nil, "1"), fault.New(fault.Silent, nil, "")
	for _, c := range []struct {
		before, now *fault.Error
		news, over  bool
	}{
		{nil, nil, false, false},
		{nil, full, true, false},
		{full, fault.New(fault.DiskFull, nil, "2"), false, false},
		{full, away, true, false},
		{away, nil, false, true},
	} {
		news, over := fault.Changed(c.before, c.now)
		assert.Equal(t, [2]bool{c.news, c.over}, [2]bool{news, over}, "%v, %v", c.before, c.now)
	}
}
