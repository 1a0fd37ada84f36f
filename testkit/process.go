// Package testkit is what end-to-end tests, measurements and screenshots share: the
// built programs, running.
package testkit

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Root returns the top folder of the project.
func Root() (string, error) {
	dir, err := os.Getwd()
	for err == nil {
		if _, e := os.Stat(filepath.Join(dir, "go.mod")); e == nil {
			return dir, nil
		}
		parent := filepath.Dir(dir)
		if parent == dir {
			break
		}
		dir = parent
	}
	return "", fmt.Errorf("no go.mod above the working folder")
}

// Program returns the path of a built program.
func Program(name string) (string, error) {
	root, err := Root()
	if err != nil {
		return "", err
	}
	path := filepath.Join(root, "bin", name)
	if _, err := os.Stat(path); err != nil {
		return "", fmt.Errorf("%s is not built: run \"make build\"", name)
	}
	return path, nil
}

// Process is a running webostrum.
type Process struct {
	cmd   *exec.Cmd
	lines chan string
	done  chan struct{}

	mu  sync.Mutex
	log strings.Builder // guarded by mu
}

// Start starts webostrum with arguments. Kill or Terminate ends it.
func Start(args ...string) (*Process, error) {
	program, err := Program("webostrum")
	if err != nil {
		return nil, err
	}
	p := &Process{cmd: exec.Command(program, args...), lines: make(chan string, 1000), done: make(chan struct{})}
	out, in := io.Pipe()
	p.cmd.Stdout, p.cmd.Stderr = in, in
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	if err := p.cmd.Start(); err != nil {
		return nil, err
	}
	go p.read(out)
	go func() {
		_ = p.cmd.Wait()
		_ = in.Close()
		close(p.done)
	}()
	return p, nil
}

func (p *Process) read(out io.Reader) {
	s := bufio.NewScanner(out)
	for s.Scan() {
		p.mu.Lock()
		p.log.WriteString(s.Text() + "\n")
		p.mu.Unlock()
		select {
		case p.lines <- s.Text():
		default: // nobody waits for a line
		}
	}
}

// Log returns all that it has printed.
func (p *Process) Log() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.log.String()
}

// Find waits for a line that fits and returns the first group.
func (p *Process) Find(pattern string, within time.Duration) (string, error) {
	re := regexp.MustCompile(pattern)
	timer := time.NewTimer(within)
	defer timer.Stop()
	for {
		select {
		case line := <-p.lines:
			if m := re.FindStringSubmatch(line); m != nil {
				return m[1], nil
			}
		case <-p.done:
			return "", fmt.Errorf("webostrum ended before it printed %s:\n%s", pattern, p.Log())
		case <-timer.C:
			return "", fmt.Errorf("webostrum did not print %s within %v:\n%s", pattern, within, p.Log())
		}
	}
}

// Kill ends it with SIGKILL.
func (p *Process) Kill() {
	_ = p.cmd.Process.Kill()
	<-p.done
}

// stacksWithin is how long a process has to print the stacks of its goroutines.
const stacksWithin = 3 * time.Second

// Terminate sends SIGTERM and returns how long the end took; it is an error
// when it takes longer than within, which says what it was doing.
func (p *Process) Terminate(within time.Duration) (time.Duration, error) {
	begun := time.Now()
	_ = p.cmd.Process.Signal(syscall.SIGTERM)
	timer := time.NewTimer(within)
	defer timer.Stop()
	select {
	case <-p.done:
		return time.Since(begun), nil
	case <-timer.C:
	}
	said := len(p.Log())
	_ = p.cmd.Process.Signal(syscall.SIGQUIT)
	timer.Reset(stacksWithin)
	select {
	case <-p.done:
	case <-timer.C:
	}
	p.Kill()
	return time.Since(begun), fmt.Errorf("still running %v after SIGTERM:\n%s", within, p.Log()[said:])
}

// Demo is a running demo.
type Demo struct {
	*Process
	Address string // http://host:port
	Enter   string // address that opens signed in
	Data    string // data folder
	Control string // address of the cameras' control
	Args    []string
}

// StartDemo runs the demo on free ports, with a data folder.
func StartDemo(data string) (*Demo, error) {
	ports, err := FreePorts(5)
	if err != nil {
		return nil, err
	}
	d := &Demo{Data: data, Control: ports[1]}
	d.Args = []string{"demo", "--data", data, "--listen", ports[0], "--webrtc-listen", "127.0.0.1:0", "--camera-listen", "127.0.0.1:0", "--control", ports[1], "--rtmp-listen", ports[2], "--stream-listen", ports[3], "--rtsp-listen", ports[4]}
	return d, d.Again()
}

// Again starts the demo once more, with the same folder and ports.
func (d *Demo) Again() error {
	p, err := Start(d.Args...)
	if err != nil {
		return err
	}
	d.Process = p
	if d.Enter, err = p.Find(`^\s+(http://\S+/enter/\S+)$`, 20*time.Second); err != nil {
		p.Kill()
		return err
	}
	d.Address = d.Enter[:strings.Index(d.Enter, "/enter/")]
	return nil
}

// Eventually asks again and again until ok returns true, or ctx ends.
func Eventually(ctx context.Context, ok func() bool) error {
	ticker := time.NewTicker(50 * time.Millisecond)
	defer ticker.Stop()
	for !ok() {
		select {
		case <-ticker.C:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// Pid is the process's number.
func (p *Process) Pid() int { return p.cmd.Process.Pid }

// Freeze stops the process where it is, until Thaw.
func (p *Process) Freeze() { _ = p.cmd.Process.Signal(syscall.SIGSTOP) }

// Thaw has it go on.
func (p *Process) Thaw() { _ = p.cmd.Process.Signal(syscall.SIGCONT) }
