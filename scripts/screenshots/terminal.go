package main

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"webostrum/testkit"
)

// terminals takes pictures of commands in a real terminal window.
func (s *shooter) terminals() error {
	program, err := testkit.Program("webostrum")
	if err != nil {
		return err
	}
	commands := map[string][]string{
		"cli-feeds":   {"feed list", "feed show summit-360", "events --limit 1"},
		"cli-inspect": {"inspect --transports --user viewer --password funicular " + s.camera, "inspect --user viewer --password wrong " + s.camera},
	}
	time.Sleep(8 * time.Second) // until rates are known and segments made
	for name, lines := range commands {
		if !s.wanted(name) {
			continue
		}
		if err := s.terminal(name, program, lines); err != nil {
			return err
		}
		fmt.Println(name)
	}
	return nil
}

// terminal runs the commands in an xterm under Xvfb and takes its picture.
func (s *shooter) terminal(name, program string, lines []string) error {
	done := filepath.Join(s.demo.Data, name+".done")
	var script strings.Builder
	fmt.Fprintf(&script, "export WEBOSTRUM_DATA=%s\nwebostrum() { %s \"$@\"; }\n", s.demo.Data, program)
	for _, l := range lines {
		fmt.Fprintf(&script, "printf '\\033[1;33m$\\033[0m webostrum %s\\n'\nwebostrum %s\necho\n", l, l)
	}
	fmt.Fprintf(&script, "touch %s\nsleep 60\n", done)
	file := filepath.Join(s.demo.Data, name+".sh")
	if err := os.WriteFile(file, []byte(script.String()), 0o700); err != nil {
		return err
	}
	display, stop, err := xServer()
	if err != nil {
		return err
	}
	defer stop()
	term := exec.Command("xterm", "-geometry", "140x41+0+0", "-fa", "DejaVu Sans Mono", "-fs", "11", "-bg", "#0c1214", "-fg", "#ecebe4", "-b", "10", "-e", "bash", file)
	term.Env = append(os.Environ(), "DISPLAY="+display)
	if err := term.Start(); err != nil {
		return err
	}
	defer func() { _ = term.Process.Kill(); _ = term.Wait() }()
	if err := waitFor(done); err != nil {
		return err
	}
	time.Sleep(500 * time.Millisecond) // the terminal draws
	shot := exec.Command("import", "-display", display, "-window", "root", filepath.Join(s.out, name+".png"))
	return shot.Run()
}

// xServer starts an X server on a display that is free.
func xServer() (display string, stop func(), err error) {
	read, write, err := os.Pipe()
	if err != nil {
		return "", nil, err
	}
	defer func() { _ = read.Close() }()
	screen := exec.Command("Xvfb", "-displayfd", "3", "-screen", "0", fmt.Sprintf("%dx%dx24", width, height))
	screen.ExtraFiles = []*os.File{write} // becomes descriptor 3
	err = screen.Start()
	_ = write.Close()
	if err != nil {
		return "", nil, fmt.Errorf("no X server for the terminal: %w", err)
	}
	stop = func() { _ = screen.Process.Kill(); _ = screen.Wait() }
	number, err := bufio.NewReader(read).ReadString('\n')
	if err != nil {
		stop()
		return "", nil, fmt.Errorf("no X server for the terminal: %w", err)
	}
	return ":" + strings.TrimSpace(number), stop, nil
}

func waitFor(path string) error {
	for range 1200 {
		if _, err := os.Stat(path); err == nil {
			return nil
		}
		time.Sleep(100 * time.Millisecond)
	}
	return fmt.Errorf("%s did not appear", path)
}
