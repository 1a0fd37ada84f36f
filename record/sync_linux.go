package record

import (
	"os"

	"golang.org/x/sys/unix"
)

// syncData writes a file's data, and what is needed to read it, to the disk.
func syncData(f *os.File) error { return unix.Fdatasync(int(f.Fd())) }
