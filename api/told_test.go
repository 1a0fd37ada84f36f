package api_test

import (
	"bufio"
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
)

// TestConsolesAreToldOfWhatChanged and no more than that, after they were told of all.
func TestConsolesAreToldOfWhatChanged(t *testing.T) {
	t.Parallel()
	w := start(t)
	for _, name := range []string{"gate", "yard", "roof"} {
		w.addFeed(name, true)
	}
	c := w.engineerClient()
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, "GET", w.url+"/api/v1/live", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+w.engineer)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	lines := bufio.NewScanner(res.Body)
	lines.Buffer(nil, 1<<20)
	next := func(wanted string) (told apitypes.ChangedFeeds) {
		t.Helper()
		var event string
		for lines.Scan() {
			if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				event = name
			}
			if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok && event == wanted {
				require.NoError(t, json.Unmarshal([]byte(data), &told))
				return told
			}
		}
		t.Fatal("nothing was told")
		return told
	}
	assert.Len(t, next("feeds").Feeds, 3)

	_, err = c.EditFeed(ctx, "yard", client.Patch{"title": "The yard"})
	require.NoError(t, err)
	told := next("changed")
	renamed := func(f apitypes.Feed) bool { return f.Name == "yard" && f.Title == "The yard" }
	for !slices.ContainsFunc(told.Feeds, renamed) {
		told = next("changed")
	}
	require.NoError(t, c.RemoveFeed(ctx, "roof"))
	for len(told.Gone) == 0 {
		told = next("changed")
	}
	assert.Equal(t, []string{"roof"}, told.Gone)
	for _, f := range told.Feeds {
		assert.NotEqual(t, "roof", f.Name)
	}
}
