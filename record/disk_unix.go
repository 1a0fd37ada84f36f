//go:build unix

package record

import "os"

// syncFolder has a new name in a folder outlive a cut of power.
func syncFolder(folder string) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	return f.Sync()
}
