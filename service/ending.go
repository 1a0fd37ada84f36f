package service

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime/pprof"
	"time"
)

const (
	endWithin = 12 * time.Second // of being asked to; it usually takes less than four
	stuckFile = "stuck.txt"      // in the data folder
)

// ended runs f until it returns. When it does not within a while after ctx has ended, what
// all goroutines were doing is written to a file in the folder, and an error is returned: the
// process can end then, and records suffer nothing by it.
func ended(ctx context.Context, folder string, within time.Duration, f func() error) error {
	done := make(chan error, 1)
	go func() { done <- f() }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	timer := time.NewTimer(within)
	defer timer.Stop()
	select {
	case err := <-done:
		return err
	case <-timer.C:
	}
	path := filepath.Join(folder, stuckFile)
	if err := writeStacks(path); err != nil {
		path = err.Error()
		_ = pprof.Lookup("goroutine").WriteTo(os.Stderr, asPanicsDo) // a full disk may be why
	}
	return fmt.Errorf("the service did not end within %v and is cut off; what it was doing: %s", within, path)
}

const asPanicsDo = 2 // how stacks are written

func writeStacks(path string) error {
	out, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	err = pprof.Lookup("goroutine").WriteTo(out, asPanicsDo)
	if closeErr := out.Close(); err == nil {
		err = closeErr
	}
	return err
}
