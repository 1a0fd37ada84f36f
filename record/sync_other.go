//go:build !linux

package record

import "os"

// syncData writes a file's data to the disk.
func syncData(f *os.File) error { return f.Sync() }
