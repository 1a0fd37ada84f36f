//go:build unix

package record

import (
	"os"

	"golang.org/x/sys/unix"
)

// freeBytes is what may still be written to the disk of a folder, and how large that is.
func freeBytes(folder string) (free, size int64, err error) {
	var st unix.Statfs_t
	if err := unix.Statfs(folder, &st); err != nil {
		return 0, 0, err
	}
	return int64(st.Bavail) * int64(st.Bsize), int64(st.Blocks) * int64(st.Bsize), nil
}

// syncFolder has a new name in a folder outlive a cut of power.
func syncFolder(folder string) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	return f.Sync()
}
