package api

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
)

// TestAccessThatIsTakenAwayMeanwhile is noticed as something is registered by it: between
// letting a viewer in and that, a camera may have taken a while to start.
func TestAccessThatIsTakenAwayMeanwhile(t *testing.T) {
	t.Parallel()
	g := newGrants()
	done, err := g.hold(time.Time{}, func() bool { return false }, func() { t.Error("nothing goes on that could be ended") })
	require.Error(t, err)
	assert.Equal(t, fault.AccessTaken, fault.As(err).Kind.Code)
	assert.Nil(t, done)
	assert.Empty(t, g.all)

	done, err = g.hold(time.Time{}, func() bool { return true }, func() {})
	require.NoError(t, err)
	assert.Len(t, g.all, 1)
	done()
	assert.Empty(t, g.all)
}

// TestAFileIsNotBegunWithoutAccess answers why.
func TestAFileIsNotBegunWithoutAccess(t *testing.T) {
	t.Parallel()
	a := &API{grants: newGrants()}
	w := httptest.NewRecorder()
	a.sendFile(&countingWriter{ResponseWriter: w}, httptest.NewRequestWithContext(t.Context(), http.MethodGet, "/", nil),
		sentFile{name: "x.mp4", content: strings.NewReader("recorded"), within: time.Minute, may: func() bool { return false }})
	assert.Equal(t, http.StatusForbidden, w.Code)
	assert.NotContains(t, w.Body.String(), "recorded")
}
