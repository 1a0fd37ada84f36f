package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/testkit"
)

func formatFloat(v float64) string { return strconv.FormatFloat(v, 'f', 0, 64) }

func TestCommands(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "320x240", "--keyframes", "1s")
	steps := []struct {
		name string
		args []string
		code int
		want []string
	}{
		{"nothing yet", []string{"feed", "list"}, 0, []string{"No feeds yet"}},
		{"inspect", []string{"inspect", "--user", user, "--password", password, "--seconds", "2", w.cameraURL()}, 0, []string{"Constrained Baseline", "320x240", " fps", "kbit/s", "keyframe interval", "B-frames           no", "0 of "}},
		{"wrong password", []string{"inspect", "--user", user, "--password", "no", w.cameraURL()}, 4, []string{"does not accept", "camera-sign-in-refused"}},
		{"no such path", []string{"inspect", "--user", user, "--password", password, w.cameraURL() + "x"}, 3, []string{"nothing under that path"}},
		{"closed port", []string{"inspect", "rtsp://127.0.0.1:1/"}, 5, []string{"nothing listens"}},
		{"no URL", []string{"inspect", "ftp://127.0.0.1/"}, 2, []string{"rtsp://"}},
		{"add", []string{"feed", "add", "--user", user, "--password", password, "--title", "Lower station", feed, w.cameraURL()}, 0, []string{"Lower station", "kept, sealed", "/watch/lower-station"}},
		{"add again", []string{"feed", "add", feed, w.cameraURL()}, 4, []string{"a feed of that name", "name-taken"}},
		{"bad name", []string{"feed", "add", "Bad Name", w.cameraURL()}, 2, []string{"NAME:"}},
		{"nothing given", []string{"feed", "add"}, 2, []string{"needs a name and a URL"}},
		{"show nothing", []string{"feed", "show"}, 2, []string{"which feed"}},
		{"show what is not there", []string{"feed", "show", "nix"}, 3, []string{"no feed of that name"}},
		{"unknown flag", []string{"feed", "list", "--colour"}, 2, []string{"--help"}},
		{"bad output", []string{"feed", "list", "--output", "xml"}, 2, []string{"table, json"}},
		{"edit", []string{"feed", "edit", "--audience=everyone", "--segment", "1", feed}, 0, []string{"Everyone who has the address", "segments of 1 s"}},
		{"edit nothing", []string{"feed", "edit", feed}, 2, []string{"nothing to change"}},
		{"edit too much", []string{"feed", "edit", "--segment", "999", feed}, 2, []string{"--segment:"}},
		{"stop", []string{"feed", "stop", feed}, 0, []string{"is off"}},
		{"start", []string{"feed", "start", feed}, 0, []string{"lower-station is"}},
		{"events", []string{"events", "--feed", feed}, 0, []string{"the feed was added", "switched off", "live"}},
		{"who may watch", []string{"feed", "edit", "--audience", "named", "--accounts", "ghost", feed}, 2, []string{"no such account: ghost", "add the account first"}},
		{"sites", []string{"feed", "edit", "--sites", "example.org/page", feed}, 2, []string{"has a path"}},
		{"a panel", []string{"account", "add", "--role", "panel", "--feeds", feed, "kitchen"}, 0, []string{"kitchen is added, as panel.", "shown only now"}},
		{"accounts", []string{"account", "list"}, 0, []string{"kitchen", "panel", "lower-station"}},
		{"a role", []string{"account", "role", "engineer", "viewer"}, 4, []string{"command line"}},
		{"a link", []string{"link", "add", "--for", "30d", "--most", "3", "--sites", "townhall.example", feed, "hall"}, 0, []string{"/watch/lower-station/link/", "townhall.example", "0 of 3"}},
		{"the same again", []string{"link", "add", feed, "hall"}, 4, []string{"name-taken"}},
		{"a link of the past", []string{"link", "add", "--ends", "2020-01-01", feed, "past"}, 2, []string{"has passed"}},
		{"changing a link", []string{"link", "edit", "--ends", "never", "--sites", "none", feed, "hall"}, 0, []string{"never", "those of the feed", "0 of 3"}},
		{"links", []string{"link", "list", feed}, 0, []string{"hall", "never", "0 of 3"}},
		{"no such link", []string{"link", "show", feed, "none"}, 3, []string{"link list lower-station"}},
		{"another key", []string{"link", "new-key"}, 0, []string{"key 2", "0 links ended"}},
		{"into a page", []string{"embed", "--link", "hall", "--prefer", "delay", "--as", "iframe", feed}, 0, []string{"<iframe src=", "/link/", "prefer=delay", "Only this machine"}},
		{"into a page, wrong", []string{"embed", "--as", "carrier-pigeon", feed}, 2, []string{"iframe, element"}},
		{"ending a link", []string{"link", "remove", feed, "hall"}, 0, []string{"opens nothing any more"}},
		{"a token without scope", []string{"token", "add", "robot"}, 2, []string{"--scope"}},
		{"a token", []string{"token", "add", "--scope", "metrics", "dashboards"}, 0, []string{"shown only now", "Bearer"}},
		{"tokens", []string{"token", "list"}, 0, []string{"dashboards", "metrics", "never"}},
		{"ending no token", []string{"token", "end", "x"}, 2, []string{"is no ID"}},
		{"ending a token that is not there", []string{"token", "end", "999"}, 3, []string{"no such token"}},
		{"sessions", []string{"session", "list"}, 0, []string{"None."}},
		{"by whom", []string{"events", "--kind", "change"}, 0, []string{"engineer", "link hall was ended"}},
		{"no service", []string{"--data", filepath.Join(w.data, "none"), "feed", "list"}, 5, []string{"webostrum serve"}},
		{"token", []string{"--token", "forged", "feed", "list"}, 4, []string{"sign-in"}},
	}
	for _, s := range steps {
		if s.name == "events" {
			w.state("live")
		}
		out, code := w.cli(s.args...)
		assert.Equal(t, s.code, code, "%s: %s", s.name, out)
		for _, want := range s.want {
			assert.Contains(t, out, want, s.name)
		}
		assert.NotContains(t, out, password, s.name)
	}
	out, code := w.cli("feed", "list", "--output", "json")
	require.Zero(t, code)
	var feeds []apitypes.Feed
	require.NoError(t, json.Unmarshal([]byte(out), &feeds), out)
	require.Len(t, feeds, 1)
	assert.Equal(t, feed, feeds[0].Name)
	out, code = w.cli("feed", "remove", feed)
	assert.Zero(t, code, out)
	_, code = w.cli("feed", "show", feed)
	assert.Equal(t, 3, code)
}

func TestSettingsAndTheirOrder(t *testing.T) {
	w := newWorld(t)
	settings := filepath.Join(t.TempDir(), "settings.yaml")
	require.NoError(t, os.WriteFile(settings, []byte("data: /nowhere/at/all\n"), 0o600))
	out, code := w.cli("--config", settings, "feed", "list")
	assert.Zero(t, code, "the variable goes before the file: %s", out)
	out, code = w.cli("--config", settings, "--data", filepath.Join(w.data, "x"), "feed", "list")
	assert.Equal(t, 5, code, "the flag goes before the variable")
	assert.Contains(t, out, filepath.Join(w.data, "x"))
	require.NoError(t, os.WriteFile(settings, []byte("data: [unclosed"), 0o600))
	_, code = w.cli("--config", settings, "feed", "list")
	assert.Equal(t, 2, code)
}

func TestFirstStartShowsThePasswordOnce(t *testing.T) {
	w := newWorld(t)
	assert.Regexp(t, `password\s+[a-z2-7]{4}-[a-z2-7]{4}-[a-z2-7]{4}-[a-z2-7]{4}`, w.service.Log())
	info, err := os.Stat(filepath.Join(w.data, "cli.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	_, err = w.service.Terminate(5 * time.Second)
	require.NoError(t, err)
	w.serve()
	assert.NotContains(t, w.service.Log(), "password")
}

func TestKilledServiceLosesNoFeed(t *testing.T) {
	w := newWorld(t)
	w.film("--size", "320x240", "--keyframes", "1s")
	w.addFeed()
	w.state("live")
	w.service.Kill()
	w.serve()
	w.state("live")
	f, err := w.client().Feed(t.Context(), feed)
	require.NoError(t, err)
	assert.True(t, f.Credentials)
	assert.Equal(t, "everyone", f.Audience.Who)
}

func TestTermEndsWithinFiveSeconds(t *testing.T) {
	t.Parallel()
	w, _ := watching(t, "--size", "640x360", "--keyframes", "1s")
	took, err := w.service.Terminate(5 * time.Second)
	require.NoError(t, err, "with a viewer and a camera connected")
	t.Logf("ended after %v", took.Round(time.Millisecond))
}

func TestPortThatIsTaken(t *testing.T) {
	w := newWorld(t)
	p, err := testkit.Start("--data", t.TempDir(), "serve", "--listen", w.listen)
	require.NoError(t, err)
	defer p.Kill()
	_, err = p.Find(`(choose another with --listen)`, patience)
	require.NoError(t, err)
}
