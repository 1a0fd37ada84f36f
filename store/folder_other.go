//go:build !unix

package store

import (
	"fmt"
	"os"
)

// lockFolder keeps a second service out of a data folder where the system does so by
// itself for files that are open.
func lockFolder(path string) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, ownerOnly)
	if err != nil {
		return nil, fmt.Errorf("the data folder cannot be locked: %w", err)
	}
	return f, nil
}

// freeBytes is not known here.
func freeBytes(string) (free, size uint64, ok bool) { return 0, 0, false }
