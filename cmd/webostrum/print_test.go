package main

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/fault"
)

func TestNumbersForPeople(t *testing.T) {
	assert.Equal(t, []string{"-", "459 kbit/s", "1.20 Mbit/s"}, []string{bits(0), bits(459_000), bits(1_204_000)})
	assert.Equal(t, []string{"-", "24.9 fps"}, []string{rate(0), rate(24.94)})
	assert.Equal(t, []string{"-", "640x360"}, []string{size(0, 0), size(640, 360)})
	assert.Equal(t, []string{"-", "2.08 s"}, []string{seconds(0), seconds(2.08)})
	now := time.Now()
	for d, want := range map[time.Duration]string{
		-time.Hour: "0 s", 5 * time.Second: "5 s", 3 * time.Minute: "3 min", 5 * time.Hour: "5 h", 72 * time.Hour: "3 d",
	} {
		assert.Equal(t, want, ago(now.Add(-d)))
	}
}

func TestExitCodes(t *testing.T) {
	problem := func(status int, code string) error {
		p := &apitypes.Problem{Code: code}
		p.Status = status
		return fmt.Errorf("wrapped: %w", p)
	}
	tests := []struct {
		err  error
		want int
	}{
		{errors.New("something"), exitFailed},
		{usagef("wrong"), exitUsage},
		{fmt.Errorf("x: %w", client.ErrUnreachable), exitUnreachable},
		{fault.New(fault.PortClosed, nil, ""), exitUnreachable},
		{fault.New(fault.SignInRefused, nil, ""), exitRefused},
		{fault.New(fault.PathUnknown, nil, ""), exitNotFound},
		{fault.New(fault.NotRTSP, nil, ""), exitFailed},
		{problem(502, string(fault.NoAnswer)), exitUnreachable},
		{problem(404, "feed-unknown"), exitNotFound},
		{problem(422, "input-refused"), exitUsage},
		{problem(403, "not-allowed"), exitRefused},
		{problem(500, "service-failed"), exitFailed},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, exitCode(tt.err), tt.err)
	}
}

func TestExplain(t *testing.T) {
	text := explain(fault.New(fault.SignInRefused, nil, "signed in as viewer"))
	for _, line := range strings.Split(text, "\n") {
		assert.LessOrEqual(t, len(line), 110)
	}
	assert.Contains(t, text, "(signed in as viewer)")
	assert.Contains(t, text, "\n  Enter user and password again.")
	assert.True(t, strings.HasSuffix(text, "[camera-sign-in-refused]"))
	assert.Equal(t, "a b", wrap("  a\n b ", ""))
}

func TestSizes(t *testing.T) {
	w, h, err := parseSize("1280x720")
	require.NoError(t, err)
	assert.Equal(t, []int{1280, 720}, []int{w, h})
	for _, bad := range []string{"", "1280", "x", "axb", "1280x"} {
		_, _, err := parseSize(bad)
		assert.Equal(t, exitUsage, exitCode(err), bad)
	}
}

// TestEveryCommandHelps runs the help of each command: a command whose flags
// clash would panic.
func TestEveryCommandHelps(t *testing.T) {
	for _, line := range []string{
		"", "serve", "demo", "sim", "sim tell", "sim tell reboot", "feed", "feed add", "feed list", "feed show", "feed edit", "feed remove",
		"feed start", "feed stop", "inspect", "events", "openapi",
	} {
		var out bytes.Buffer
		args := append(append([]string{"webostrum"}, strings.Fields(line)...), "--help")
		require.NoError(t, newApp(&out, &out).Run(t.Context(), args), line)
		assert.Contains(t, out.String(), "USAGE", line)
	}
}
