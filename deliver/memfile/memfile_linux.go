// Package memfile keeps segments in memory that the kernel can send by itself:
// anonymous files (memfd_create(2)). Sending one to a viewer copies nothing
// within the service. Where there are no such files, or no more of them, the
// bytes stay in the service's own memory.
package memfile

import (
	"fmt"
	"io"
	"os"

	"golang.org/x/sys/unix"

	"webostrum/core/hls"
)

// Keep copies the parts into an anonymous file. It is for hls.Config.Keep.
func Keep(parts [][]byte) hls.Body {
	inMemory := hls.NewBody(parts)
	fd, err := unix.MemfdCreate("webostrum-segment", unix.MFD_CLOEXEC)
	if err != nil {
		return inMemory
	}
	f := os.NewFile(uintptr(fd), "segment") // closed when nothing refers to it any more
	for _, p := range parts {
		if _, err := f.Write(p); err != nil {
			_ = f.Close()
			return inMemory
		}
	}
	return &body{file: f, size: inMemory.Size()}
}

type body struct {
	file *os.File
	size int64
}

func (b *body) Size() int64 { return b.size }

// Open opens the file once more, so that each reader has its own place in it.
func (b *body) Open() (io.ReadSeekCloser, error) {
	conn, err := b.file.SyscallConn()
	if err != nil {
		return nil, err
	}
	var f *os.File
	var failed error
	err = conn.Control(func(fd uintptr) {
		f, failed = os.Open(fmt.Sprintf("/proc/self/fd/%d", fd))
	})
	if err != nil || failed != nil {
		return nil, fmt.Errorf("memfile: the segment cannot be opened: %w", firstError(err, failed))
	}
	return f, nil
}

func firstError(a, b error) error {
	if a != nil {
		return a
	}
	return b
}
