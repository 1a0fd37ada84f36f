package service

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAnEndThatHangs is cut off, and says what hung.
func TestAnEndThatHangs(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	folder, hold := t.TempDir(), make(chan struct{})
	defer close(hold)
	cancel()
	err := ended(ctx, folder, time.Millisecond, func() error { <-hold; return nil })
	require.ErrorContains(t, err, filepath.Join(folder, stuckFile))
	stacks, err := os.ReadFile(filepath.Join(folder, stuckFile))
	require.NoError(t, err)
	assert.Contains(t, string(stacks), "TestAnEndThatHangs")
	failed := errors.New("failed")
	assert.Equal(t, failed, ended(ctx, folder, time.Minute, func() error { return failed }))
}
