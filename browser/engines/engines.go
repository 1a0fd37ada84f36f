// Package engines drives other browsers than Chromium, for tests that want a second and a
// third opinion: Firefox by WebDriver BiDi, and WebKitGTK by WebDriver (W3C), whose engine
// is that of Safari.
package engines

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"time"

	"webostrum/wait"
)

// Tab is a page in a browser of its own.
type Tab interface {
	// Open goes to an address and waits for the page to load.
	Open(ctx context.Context, url string) error
	// Text evaluates a JavaScript expression and returns its value as text.
	Text(ctx context.Context, expression string) (string, error)
	// Close ends the browser.
	Close()
}

// ErrNone is wrapped when the browser is not installed.
var ErrNone = errors.New("the browser is not installed")

const askEvery = 100 * time.Millisecond

// Until asks again and again until an expression is true, or ctx ends.
func Until(ctx context.Context, tab Tab, expression string) error {
	var last error
	for {
		text, err := tab.Text(ctx, "Boolean("+expression+")")
		if err == nil && text == "true" {
			return nil
		}
		if err != nil {
			last = err
		}
		if !wait.For(ctx, askEvery) {
			return fmt.Errorf("%s did not come true (%w)", expression, errors.Join(ctx.Err(), last))
		}
	}
}

// program is a browser, or what drives it, with a home of its own.
type program struct {
	cmd  *exec.Cmd
	home string
	more []*exec.Cmd // that are ended with it
}

func start(home string, env []string, name string, args ...string) (*program, io.Reader, error) {
	path, err := exec.LookPath(name)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %s", ErrNone, name)
	}
	cmd := exec.Command(path, args...)
	cmd.Env = append(os.Environ(), append(env, "HOME="+home, "XDG_CONFIG_HOME="+home, "XDG_CACHE_HOME="+home, "XDG_DATA_HOME="+home)...)
	said, err := cmd.StderrPipe()
	if err != nil {
		return nil, nil, err
	}
	return &program{cmd: cmd, home: home}, said, cmd.Start()
}

// close ends the programs. Browsers of several processes end with their first one.
func (p *program) close() {
	for _, cmd := range append([]*exec.Cmd{p.cmd}, p.more...) {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	}
	_ = os.RemoveAll(p.home)
}

// find reads lines until one matches, and goes on reading so that nothing is held up.
func find(ctx context.Context, in io.Reader, pattern *regexp.Regexp) (string, error) {
	found := make(chan string, 1)
	go func() { // ends with the program
		lines := bufio.NewScanner(in)
		for lines.Scan() {
			if m := pattern.FindStringSubmatch(lines.Text()); m != nil {
				select {
				case found <- m[1]:
				default:
				}
			}
		}
	}()
	select {
	case text := <-found:
		return text, nil
	case <-ctx.Done():
		return "", fmt.Errorf("the browser does not say where it listens: %w", ctx.Err())
	}
}
