package main

import (
	"bytes"
	"context"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTablesFitTheTerminal(t *testing.T) {
	text := "FEED\tSTATE\tREASON\n" +
		"lower-station\tretrying\tThe camera's address answers, but nothing listens on that port.\n" +
		"None of the others is there, and this line stands by itself, however long it is.\n" +
		"tiefenbach-über\tlive\trtsp://192.0.2.7:554/an/address/that/stays/whole\n"
	assert.Equal(t, "FEED             STATE     REASON", strings.Split(layOut(text, 0), "\n")[0], "columns by the widest")
	for _, width := range []int{60, 80} {
		out := layOut(text, width)
		assert.Contains(t, out, "rtsp://192.0.2.7:554/an/address/that/stays/whole", "it can be copied")
		for _, line := range strings.Split(out, "\n") {
			if !strings.Contains(line, "rtsp://") {
				assert.LessOrEqual(t, utf8.RuneCountInString(line), width, line)
			}
		}
	}
	assert.NotEmpty(t, layOut(text, 5), "a terminal of no use still gets its text")
}

func TestProxies(t *testing.T) {
	list, err := prefixes([]string{"192.0.2.9", "2001:db8::1/64"})
	require.NoError(t, err)
	assert.Equal(t, "192.0.2.9/32", list[0].String())
	assert.Equal(t, "2001:db8::/64", list[1].String())
	_, err = prefixes([]string{"proxy.example"})
	assert.ErrorContains(t, err, "--trusted-proxies")
}

// TestMistypedCommands get a suggestion, at every level; groups by themselves say what
// there is.
func TestMistypedCommands(t *testing.T) {
	for line, want := range map[string]string{
		"fed list":                `did you mean "webostrum feed"?`,
		"feed lst":                `did you mean "webostrum feed list"?`,
		"sim tell frieze on":      `did you mean "webostrum sim tell freeze"?`,
		"rendition frobnicate it": `is no command`,
	} {
		var out, errOut bytes.Buffer
		err := newApp(&out, &errOut).Run(context.Background(), append([]string{"webostrum"}, strings.Fields(line)...))
		assert.Equal(t, exitUsage, exitCode(err), line)
		assert.ErrorContains(t, err, want, line)
	}
	for _, line := range []string{"", "feed", "sim tell"} {
		var out, errOut bytes.Buffer
		err := newApp(&out, &errOut).Run(context.Background(), append([]string{"webostrum"}, strings.Fields(line)...))
		require.NoError(t, err, line)
		assert.Contains(t, out.String(), "COMMANDS:", line)
	}
}

// TestCompletion has scripts for the shells that people have.
func TestCompletion(t *testing.T) {
	for _, shell := range []string{"bash", "zsh", "fish"} {
		var out bytes.Buffer
		require.NoError(t, newApp(&out, &out).Run(context.Background(), []string{"webostrum", "completion", shell}))
		assert.Contains(t, out.String(), "webostrum", shell)
	}
}
