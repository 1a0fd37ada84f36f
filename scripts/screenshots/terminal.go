package main

import (
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
	camera := s.demo.Camera
	commands := map[string][]string{
		"cli-feeds":   {"feed list", "feed show lower-station", "events --limit 8"},
		"cli-inspect": {"inspect --user viewer --password funicular rtsp://" + camera + "/lower-station", "inspect --user viewer --password wrong rtsp://" + camera + "/lower-station"},
	}
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
	const display = ":97"
	screen := exec.Command("Xvfb", display, "-screen", "0", fmt.Sprintf("%dx%dx24", width, height))
	if err := screen.Start(); err != nil {
		return fmt.Errorf("no X server for the terminal: %w", err)
	}
	defer func() { _ = screen.Process.Kill(); _ = screen.Wait() }()
	if err := waitFor("/tmp/.X11-unix/X97"); err != nil {
		return err
	}
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

func waitFor(path string) error {
	for range 400 {
		if _, err := os.Stat(path); err == nil {
			return nil
		}
		time.Sleep(100 * time.Millisecond)
	}
	return fmt.Errorf("%s did not appear", path)
}
