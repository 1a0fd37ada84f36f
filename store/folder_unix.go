//go:build unix

package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// lockFolder keeps a second service out of a data folder, until the file is closed or
// the process ends.
func lockFolder(path string) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, ownerOnly)
	if err != nil {
		return nil, fmt.Errorf("the data folder cannot be locked: %w", err)
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		if errors.Is(err, unix.EWOULDBLOCK) {
			err = ErrInUse
		}
		return nil, errors.Join(fmt.Errorf("%w (%s): stop that one, or choose another folder with --data", err, filepath.Dir(path)), f.Close())
	}
	return f, nil
}

// freeBytes is what a user may still write to the disk of a folder, and how large that is.
func freeBytes(folder string) (free, size uint64, ok bool) {
	var st unix.Statfs_t
	if err := unix.Statfs(folder, &st); err != nil {
		return 0, 0, false
	}
	return uint64(st.Bavail) * uint64(st.Bsize), uint64(st.Blocks) * uint64(st.Bsize), true
}
