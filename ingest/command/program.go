package command

import (
	"errors"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"webostrum/core/fault"
)

// endWithin is how long a program has to end after it was asked to.
const endWithin = 2 * time.Second

// program is one that runs. Reading it reads its standard output, which may go on for ever,
// but not fall silent.
type program struct {
	cmd    *exec.Cmd
	out    *os.File
	quiet  time.Duration
	said   tail
	exited chan error

	mu       sync.Mutex
	released bool // guarded by mu
}

func start(argv []string, quiet time.Duration) (*program, error) {
	out, in, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	p := &program{cmd: exec.Command(argv[0], argv[1:]...), out: out, quiet: quiet, exited: make(chan error, 1)}
	p.cmd.Stdout, p.cmd.Stderr, p.cmd.WaitDelay = in, &p.said, endWithin
	group(p.cmd)
	err = p.cmd.Start()
	_ = in.Close()
	if err != nil {
		_ = out.Close()
		return nil, err
	}
	go func() { p.exited <- p.cmd.Wait() }() // ends with the program; see end
	return p, nil
}

// Read implements io.Reader.
func (p *program) Read(b []byte) (int, error) {
	p.mu.Lock()
	if !p.released {
		_ = p.out.SetReadDeadline(time.Now().Add(p.quiet))
	}
	p.mu.Unlock()
	n, err := p.out.Read(b)
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = fault.New(fault.PublisherStalled, err, "nothing for %v", p.quiet)
	}
	return n, err
}

// release ends the read that waits, and all that follow.
func (p *program) release() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.released = true
	_ = p.out.SetReadDeadline(time.Unix(1, 0))
}

// end ends the program with all that it has started, and returns how it ended.
func (p *program) end() string {
	ended, err := p.wait(endWithin / 4) // by itself, as its output has
	if !ended {
		terminate(p.cmd)
		ended, err = p.wait(endWithin)
	}
	destroy(p.cmd) // what it has started, and itself
	if !ended {
		ended, err = p.wait(endWithin)
	}
	_ = p.out.Close()
	says := "exit status 0"
	switch {
	case !ended:
		says = "it does not end"
	case err != nil:
		says = err.Error()
	}
	if line := p.said.line(); line != "" {
		says += ", its last words: " + line
	}
	return says
}

func (p *program) wait(most time.Duration) (ended bool, err error) {
	select {
	case err = <-p.exited:
		return true, err
	case <-time.After(most):
		return false, nil
	}
}

// tail keeps the end of what is written.
type tail struct {
	mu  sync.Mutex
	buf []byte // guarded by mu
}

const mostTail = 400

// Write implements io.Writer.
func (t *tail) Write(b []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.buf = append(t.buf, b[max(0, len(b)-mostTail):]...)
	t.buf = t.buf[max(0, len(t.buf)-mostTail):]
	return len(b), nil
}

// line is the last that was written.
func (t *tail) line() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	text := strings.TrimSpace(strings.ToValidUTF8(string(t.buf), ""))
	return text[strings.LastIndexAny(text, "\r\n")+1:]
}
