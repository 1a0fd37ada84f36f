package rtmp

import (
	"encoding/binary"
	"fmt"
	"io"
)

// The handshake (5.2): a byte of version, then 1536 bytes each way, then those of the other
// side back.
const (
	version       = 3
	handshakeSize = 1536
	handshakeHead = 8 // time and zero, or time and time
)

// Accept does the server's side of the handshake. random are the bytes that are sent: as
// many as it has, the rest is zero.
func Accept(rw io.ReadWriter, random []byte) error {
	theirs := make([]byte, 1+handshakeSize)
	if _, err := io.ReadFull(rw, theirs); err != nil {
		return err
	}
	if theirs[0] != version {
		return fmt.Errorf("%w: it begins with %d, not with version %d", ErrMalformed, theirs[0], version)
	}
	ours := make([]byte, 1+handshakeSize)
	ours[0] = version
	copy(ours[1+handshakeHead:], random)
	if _, err := rw.Write(append(ours, theirs[1:]...)); err != nil {
		return err
	}
	_, err := io.ReadFull(rw, make([]byte, handshakeSize))
	return err
}

// Greet does the client's side.
func Greet(rw io.ReadWriter, random []byte) error {
	ours := make([]byte, 1+handshakeSize)
	ours[0] = version
	copy(ours[1+handshakeHead:], random)
	if _, err := rw.Write(ours); err != nil {
		return err
	}
	theirs := make([]byte, 1+handshakeSize+handshakeSize)
	if _, err := io.ReadFull(rw, theirs); err != nil {
		return err
	}
	if theirs[0] != version {
		return fmt.Errorf("%w: the server answers with %d, not with version %d", ErrMalformed, theirs[0], version)
	}
	echo := theirs[1 : 1+handshakeSize]
	binary.BigEndian.PutUint32(echo[4:], 0)
	_, err := rw.Write(echo)
	return err
}
