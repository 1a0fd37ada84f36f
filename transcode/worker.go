// Package transcode is the service's side of the codec worker: it finds the
// program, starts one process for each feed that is transcoded, feeds it, watches
// it, starts it again when it dies or hangs, and counts what it costs.
package transcode

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/barrier"
	"webostrum/core/workerproto"
)

// Program is the worker's file name.
const Program = "webostrum-codecs"

// ErrNoWorker is returned when the worker program is nowhere to be found.
var ErrNoWorker = errors.New("the codec worker " + Program + " is missing, so nothing can be transcoded here; " +
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

// DecodesAAC asks a worker whether it can decode AAC; it cannot when there is none.
func DecodesAAC(program string) bool {
	if program == "" {
		return false
	}
	ctx, cancel := context.WithTimeout(context.Background(), endTimeout)
	defer cancel()
	said, err := exec.CommandContext(ctx, program, "abilities").Output()
	var can struct{ DecodesAAC bool }
	return err == nil && json.Unmarshal(said, &can) == nil && can.DecodesAAC
}

const (
	writeTimeout = 3 * time.Second // a worker that takes nothing for so long hangs
	endTimeout   = time.Second
)

// Events are told of what a worker sends, from one goroutine.
type Events struct {
	Coded func(workerproto.Stamp, []byte) // data is its to keep
	Tally func(workerproto.Tally)         // may be nil
}

// Worker is one running worker process. Orders and Close are for one goroutine.
type Worker struct {
	cmd   *exec.Cmd
	conn  *workerproto.Conn
	stdin *os.File
	last  atomic.Int64  // when its last message came, nanoseconds since 1970
	done  chan struct{} // closed when the worker has ended
	err   error         // why; set before done is closed
	once  sync.Once
}

// Start starts a worker. Close it.
func Start(program string, on Events) (*Worker, error) {
	childIn, stdin, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	stdout, childOut, err := os.Pipe()
	if err != nil {
		return nil, errors.Join(err, childIn.Close(), stdin.Close())
	}
	w := &Worker{cmd: exec.Command(program), stdin: stdin, done: make(chan struct{})}
	w.cmd.Env = []string{} // nothing of the service's is its business
	said := &beginning{}
	w.cmd.Stdin, w.cmd.Stdout, w.cmd.Stderr = childIn, childOut, said
	w.conn = workerproto.NewConn(stdout, stdin)
	err = w.cmd.Start()
	_ = childIn.Close()
	_ = childOut.Close()
	if err != nil {
		return nil, errors.Join(err, stdin.Close(), stdout.Close())
	}
	go w.read(stdout, on, said)
	return w, nil
}

// read takes what the worker sends until it ends; Close waits for it.
func (w *Worker) read(stdout *os.File, on Events, said *beginning) {
	defer close(w.done)
	if err := barrier.Do(func() error { return w.take(on) }); err != nil {
		w.err = err
		w.Kill()
	}
	_ = stdout.Close()
	if err := w.cmd.Wait(); w.err == nil {
		w.err = fmt.Errorf("the codec worker ended: %v %s", err, said.line())
	}
}

// take passes messages on until the worker's end of the pipe closes. The error is why
// the worker cannot be used any more.
func (w *Worker) take(on Events) error {
	for {
		kind, body, err := w.conn.Read()
		if errors.Is(err, workerproto.ErrMalformed) {
			return err
		}
		if err != nil {
			return nil
		}
		w.last.Store(time.Now().UnixNano())
		switch kind {
		case workerproto.KindCoded:
			if s, data, err := workerproto.ReadStamped(body); err == nil {
				on.Coded(s, append([]byte(nil), data...))
			}
		case workerproto.KindTally:
			var t workerproto.Tally
			if on.Tally != nil && workerproto.ReadJSON(body, &t) == nil {
				on.Tally(t)
			}
		case workerproto.KindFailed:
			return errors.New(string(body))
		}
	}
}

// beginning keeps the beginning of what a dying worker says.
type beginning struct{ text []byte }

func (b *beginning) Write(p []byte) (int, error) {
	const most = 200
	b.text = append(b.text, p[:min(len(p), most-len(b.text))]...)
	return len(p), nil
}

func (b *beginning) line() string {
	line, _, _ := bytes.Cut(bytes.TrimSpace(b.text), []byte("\n"))
	if len(line) == 0 {
		return "(it said nothing)"
	}
	return "(" + string(line) + ")"
}

// write sends a message. An error means that the worker is gone or hangs: close
// it and start another.
func (w *Worker) write(send func() error) error {
	select {
	case <-w.done:
		return w.err
	default:
	}
	_ = w.stdin.SetWriteDeadline(time.Now().Add(writeTimeout))
	if err := send(); err != nil {
		return w.why(err)
	}
	return nil
}

// why prefers what the worker itself said to the broken pipe that it left.
func (w *Worker) why(err error) error {
	if errors.Is(err, os.ErrDeadlineExceeded) {
		return fmt.Errorf("the codec worker hangs: it took nothing for %v", writeTimeout)
	}
	select {
	case <-w.done:
		return w.err
	case <-time.After(endTimeout):
		return err
	}
}

// Input describes the frames that follow.
func (w *Worker) Input(in workerproto.Input) error {
	if err := in.Validate(); err != nil {
		return err
	}
	return w.write(func() error { return w.conn.WriteJSON(workerproto.KindInput, in) })
}

// Output has a rendition made, or the one of that number made differently.
func (w *Worker) Output(o workerproto.Output) error {
	if err := o.Validate(); err != nil {
		return err
	}
	return w.write(func() error { return w.conn.WriteJSON(workerproto.KindOutput, o) })
}

// EndOutput has a rendition no longer made.
func (w *Worker) EndOutput(number uint32) error {
	return w.write(func() error { return w.conn.WriteJSON(workerproto.KindEndOutput, workerproto.Output{Number: number}) })
}

// Frame hands a frame over.
func (w *Worker) Frame(s workerproto.Stamp, data []byte) error {
	return w.write(func() error { return w.conn.WriteStamped(workerproto.KindFrame, s, data) })
}

// AudioInput describes the audio that follows.
func (w *Worker) AudioInput(in workerproto.AudioInput) error {
	if err := in.Validate(); err != nil {
		return err
	}
	return w.write(func() error { return w.conn.WriteJSON(workerproto.KindAudioInput, in) })
}

// AudioOutput has the audio encoded.
func (w *Worker) AudioOutput(o workerproto.AudioOutput) error {
	if err := o.Validate(); err != nil {
		return err
	}
	return w.write(func() error { return w.conn.WriteJSON(workerproto.KindAudioOutput, o) })
}

// Audio hands a unit of audio over.
func (w *Worker) Audio(s workerproto.Stamp, data []byte) error {
	return w.write(func() error { return w.conn.WriteStamped(workerproto.KindAudio, s, data) })
}

// Repeat has the last frame encoded once more.
func (w *Worker) Repeat(s workerproto.Stamp) error {
	return w.write(func() error { return w.conn.WriteStamped(workerproto.KindRepeat, s, nil) })
}

// Ask has the worker send its tally at once.
func (w *Worker) Ask() error {
	return w.write(func() error { return w.conn.Write(workerproto.KindAsk) })
}

// LastMessage is when the worker last sent something; zero before the first time.
func (w *Worker) LastMessage() time.Time {
	if n := w.last.Load(); n > 0 {
		return time.Unix(0, n)
	}
	return time.Time{}
}

// Done is closed when the worker has ended.
func (w *Worker) Done() <-chan struct{} { return w.done }

// PID is the worker's process number.
func (w *Worker) PID() int { return w.cmd.Process.Pid }

// Close ends the worker and waits for its end; one that does not go by itself
// is killed.
func (w *Worker) Close() {
	w.once.Do(func() {
		_ = w.stdin.Close()
		select {
		case <-w.done:
		case <-time.After(endTimeout):
			w.Kill()
			<-w.done
		}
	})
}

// Kill ends the worker without asking.
func (w *Worker) Kill() { _ = w.cmd.Process.Kill() }
