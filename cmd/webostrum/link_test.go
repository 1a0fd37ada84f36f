package main

import (
	"bytes"
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
)

func TestLongDuration(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]time.Duration{"90m": 90 * time.Minute, "12h": 12 * time.Hour, "30d": 30 * 24 * time.Hour, "0.5d": 12 * time.Hour} {
		got, err := longDuration(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "3x", "-1h", "0d", "d", "1e9d", "0s"} {
		_, err := longDuration(text)
		assert.Error(t, err, "%q", text)
	}
}

// settingsBy reads a link's settings from flags, on top of what there was.
func settingsBy(t *testing.T, before apitypes.LinkSettings, args ...string) (apitypes.LinkSettings, error) {
	t.Helper()
	now := time.Date(2026, 11, 26, 7, 30, 0, 0, time.UTC)
	c := &cli.Command{Flags: linkFlags(), Action: func(_ context.Context, c *cli.Command) error { return linkSettings(c, &before, now) }}
	err := c.Run(context.Background(), append([]string{"link"}, args...))
	return before, err
}

func TestLinkFlags(t *testing.T) {
	t.Parallel()
	old := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	before := apitypes.LinkSettings{Ends: &old, Sites: []string{"example.org"}, Most: 5}
	s, err := settingsBy(t, before)
	require.NoError(t, err)
	assert.Equal(t, before, s, "what is not given stays")
	s, err = settingsBy(t, before, "--for", "2d", "--sites", "a.example,b.example", "--deliveries", "hls", "--most", "0")
	require.NoError(t, err)
	assert.Equal(t, time.Date(2026, 11, 28, 7, 30, 0, 0, time.UTC), *s.Ends)
	assert.Equal(t, apitypes.LinkSettings{Ends: s.Ends, Sites: []string{"a.example", "b.example"}, Deliveries: []string{"hls"}}, s)
	s, err = settingsBy(t, before, "--ends", "never", "--sites", "none")
	require.NoError(t, err)
	assert.Nil(t, s.Ends)
	assert.Empty(t, s.Sites)
	s, err = settingsBy(t, before, "--ends", "2027-05-01T18:00:00Z")
	require.NoError(t, err)
	assert.Equal(t, time.Date(2027, 5, 1, 18, 0, 0, 0, time.UTC), s.Ends.UTC())
	_, err = settingsBy(t, before, "--ends", "soon")
	require.ErrorContains(t, err, "is no time")
	_, err = settingsBy(t, before, "--ends", "2027-05-01", "--for", "1d")
	assert.ErrorContains(t, err, "--ends or --for")
}

// TestQRCode is as high as it is wide in half blocks, with a quiet zone around it.
func TestQRCode(t *testing.T) {
	t.Parallel()
	lines := strings.Split(qrCode("http://cams.example/watch/gate"), "\n")
	width := len([]rune(strings.TrimSuffix(strings.TrimPrefix(lines[0], "\x1b[30;107m"), "\x1b[0m")))
	assert.Equal(t, (width+1)/2, len(lines))
	assert.Equal(t, strings.Repeat(" ", width), strings.TrimSuffix(strings.TrimPrefix(lines[0], "\x1b[30;107m"), "\x1b[0m"))
	assert.Equal(t, strings.Repeat("x", 5000), qrCode(strings.Repeat("x", 5000)), "what is too long for one is printed")
}

func TestShowEmbedding(t *testing.T) {
	t.Parallel()
	e := apitypes.Embedding{Iframe: "<iframe>", Element: "<element>", Address: "http://a", Notes: []string{"Mind the gap."}}
	for form, want := range map[string]string{
		"iframe": "<iframe>\nNote: Mind the gap.\n", "image": "This feed gives no such delivery.\nNote: Mind the gap.\n",
	} {
		var b bytes.Buffer
		showEmbedding(&b, e, form)
		assert.Equal(t, want, b.String())
	}
	var b bytes.Buffer
	showEmbedding(&b, e, "all")
	assert.NotContains(t, b.String(), "plain image", "what there is not is left out")
}
