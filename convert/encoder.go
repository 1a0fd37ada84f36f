// Package convert is the service's side of the codec worker: it finds the
// program, starts one process for each conversion, feeds it and ends it.
package convert

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"time"

	"webostrum/core/convert"
)

// Program is the worker's file name.
const Program = "webostrum-codecs"

// ErrNoWorker is returned when the worker program is nowhere to be found.
var ErrNoWorker = errors.New("the codec worker " + Program + " is missing, so nothing can be encoded here; " +
	"build it with \"make build\", or say where it is with WEBOSTRUM_CODECS")

// Find returns the worker's path: the one given, or the one beside this
// program, or the one in PATH.
func Find(given string) (string, error) {
	if given != "" {
		if _, err := os.Stat(given); err != nil {
			return "", fmt.Errorf("%w (%w)", ErrNoWorker, err)
		}
		return given, nil
	}
	if self, err := os.Executable(); err == nil {
		beside := filepath.Join(filepath.Dir(self), Program)
		if _, err := os.Stat(beside); err == nil {
			return beside, nil
		}
	}
	if path, err := exec.LookPath(Program); err == nil {
		return path, nil
	}
	return "", ErrNoWorker
}

const (
	writeTimeout = 5 * time.Second // a worker that takes no picture for so long hangs
	endTimeout   = time.Second
)

// Encoder is one running worker that encodes. Encode and Close are for one
// goroutine.
type Encoder struct {
	cmd   *exec.Cmd
	conn  *convert.Conn
	stdin *os.File
	done  chan struct{} // closed when the worker has ended
	err   error         // why; set before done is closed
	once  sync.Once
}

// StartEncoder starts a worker. coded is called with each coded picture, from
// one goroutine; data is its to keep. Close the encoder.
func StartEncoder(program string, order convert.EncodeOrder, coded func(convert.Stamp, []byte)) (*Encoder, error) {
	if err := order.Validate(); err != nil {
		return nil, err
	}
	childIn, stdin, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	stdout, childOut, err := os.Pipe()
	if err != nil {
		return nil, errors.Join(err, childIn.Close(), stdin.Close())
	}
	e := &Encoder{cmd: exec.Command(program), stdin: stdin, done: make(chan struct{})}
	e.cmd.Stdin, e.cmd.Stdout, e.cmd.Stderr = childIn, childOut, nil
	e.conn = convert.NewConn(stdout, stdin)
	err = e.cmd.Start()
	_ = childIn.Close()
	_ = childOut.Close()
	if err != nil {
		return nil, errors.Join(err, stdin.Close(), stdout.Close())
	}
	go e.read(stdout, coded)
	if err := e.conn.WriteOrder(order); err != nil {
		e.Close()
		return nil, err
	}
	return e, nil
}

// read takes what the worker sends until it ends; Close waits for it.
func (e *Encoder) read(stdout *os.File, coded func(convert.Stamp, []byte)) {
	defer close(e.done)
	for {
		kind, body, err := e.conn.Read()
		if err != nil {
			break
		}
		switch kind {
		case convert.KindCoded:
			if s, data, err := convert.ReadStamped(body); err == nil {
				coded(s, append([]byte(nil), data...))
			}
		case convert.KindFailed:
			e.err = errors.New(string(body))
		}
	}
	_ = stdout.Close()
	if err := e.cmd.Wait(); e.err == nil {
		e.err = fmt.Errorf("the codec worker ended: %v", err)
	}
}

// Encode hands a raw picture over. An error means that the worker is gone or
// hangs: close it and start another.
func (e *Encoder) Encode(s convert.Stamp, i420 []byte) error {
	select {
	case <-e.done:
		return e.err
	default:
	}
	_ = e.stdin.SetWriteDeadline(time.Now().Add(writeTimeout))
	return e.conn.WriteStamped(convert.KindPicture, s, i420)
}

// PID is the worker's process number.
func (e *Encoder) PID() int { return e.cmd.Process.Pid }

// Close ends the worker and waits for its end; one that does not go by itself
// is killed.
func (e *Encoder) Close() {
	e.once.Do(func() {
		_ = e.stdin.Close()
		select {
		case <-e.done:
		case <-time.After(endTimeout):
			_ = e.cmd.Process.Kill()
			<-e.done
		}
	})
}
