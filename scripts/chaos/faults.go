package main

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"webostrum/wait"
)

// fault is something that fails for a while; it returns what has it work again.
type fault struct {
	name string
	do   func(w *world, c *camera) (mend func())
}

func told(name string, on, off []string) fault {
	return fault{name, func(_ *world, c *camera) func() {
		c.tell(on...)
		return func() { c.tell(off...) }
	}}
}

// faults are all that can fail. Each hits one camera, drawn by chance, or everything.
var faults = []fault{
	told("camera freezes", []string{"freeze", "on"}, []string{"freeze", "off"}),
	told("camera refuses passwords", []string{"refuse", "on"}, []string{"refuse", "off"}),
	told("camera loses packets", []string{"lose", "0.1"}, []string{"lose", "0"}),
	told("camera swaps packets", []string{"reorder", "0.1"}, []string{"reorder", "0"}),
	told("camera answers late", []string{"answer-after", "2s"}, []string{"answer-after", "0s"}),
	told("camera hangs up", []string{"hang-up", "on"}, []string{"hang-up", "off"}),
	told("camera's clock jumps", []string{"jump", "1h"}, []string{"jump", "-1h"}),
	told("camera drops all", []string{"drop"}, []string{"drop"}),
	told("camera reboots", []string{"reboot"}, []string{"drop"}),
	{"camera's process dies", func(_ *world, c *camera) func() {
		c.process.Kill()
		return func() { _ = c.start() } // it is looked at by whether the feed comes back
	}},
	{"camera's process hangs", func(_ *world, c *camera) func() {
		c.process.Freeze()
		return c.process.Thaw
	}},
	{"line is slow", func(_ *world, c *camera) func() {
		c.line.delay.Store(int64(400 * time.Millisecond))
		return c.line.heal
	}},
	{"line is a hole", func(_ *world, c *camera) func() {
		c.line.hole.Store(true)
		return func() { c.line.heal(); c.line.cut() }
	}},
	{"line is cut", func(_ *world, c *camera) func() {
		c.line.refuse.Store(true)
		c.line.cut()
		return c.line.heal
	}},
	{"codec workers die", func(w *world, _ *camera) func() {
		w.mu.Lock()
		pid := w.service.Pid()
		w.mu.Unlock()
		killChildren(pid)
		return func() {}
	}},
	{"disk is full", func(w *world, _ *camera) func() {
		if !w.mount {
			return func() {}
		}
		w.fill(true)
		return func() { w.fill(false) }
	}},
	{"settings are changed", func(w *world, c *camera) func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		_, _ = w.cl.EditFeed(ctx, c.name, map[string]any{"delivery": map[string]any{"within": 1 + w.chance.IntN(6)}}) // the disk may be full
		return func() {}
	}},
	{"feed is stopped and started", func(w *world, c *camera) func() {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		_, _ = w.cl.StopFeed(ctx, c.name)
		return func() { w.startFeed(c.name) }
	}},
	{"service is killed", func(w *world, _ *camera) func() {
		w.mu.Lock()
		w.down = true
		w.mu.Unlock()
		w.service.Kill()
		return w.comeBack
	}},
	{"service is ended", func(w *world, _ *camera) func() {
		w.mu.Lock()
		w.down = true
		w.mu.Unlock()
		if _, err := w.service.Terminate(15 * time.Second); err != nil {
			w.broke("the service did not end when it was asked to: %v", err)
		}
		return w.comeBack
	}},
}

// drawn are the faults whose names hold one of the parts that are named.
func drawn(parts string) (list []fault) {
	for _, f := range faults {
		if slices.ContainsFunc(strings.Split(parts, ","), func(part string) bool { return strings.Contains(f.name, part) }) {
			list = append(list, f)
		}
	}
	return list
}

// startFeed switches a feed on, as often as it takes. On a full disk the service refuses to,
// and somebody makes room.
func (w *world) startFeed(name string) {
	for range 50 {
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		_, err := w.cl.StartFeed(ctx, name)
		cancel()
		if err == nil {
			return
		}
		w.fill(false)
		time.Sleep(200 * time.Millisecond)
	}
}

// comeBack starts the service again, after a look at its records.
func (w *world) comeBack() {
	w.fill(false) // a service does not start with a full disk, and says so
	w.mu.Lock()
	w.report.Restarts++
	w.mu.Unlock()
	if stacks, err := os.ReadFile(filepath.Join(w.data, "stuck.txt")); err == nil {
		w.broke("the service hung when it was ended:\n%s\n%s", stacks, w.service.Log())
		_ = os.Remove(filepath.Join(w.data, "stuck.txt"))
	}
	w.wholeFiles()
	program := w.program()
	out, _ := exec.Command(program, "--data", w.data, "check", "--output", "json").Output() // ends with 1 where backups are not set up
	if !strings.Contains(strings.Join(strings.Fields(string(out)), " "), `"what": "records", "good": true`) {
		w.broke("the records are not whole after the service has gone: %s", out)
	}
	if err := w.startService(); err != nil {
		w.broke("the service does not start again: %v", err)
	}
}

func (w *world) program() string {
	path, err := os.Readlink("/proc/" + strconv.Itoa(w.cameras[0].process.Pid()) + "/exe")
	if err != nil {
		return "bin/webostrum"
	}
	return path
}

// killChildren kills the processes that a process has started.
func killChildren(pid int) {
	out, err := exec.Command("pgrep", "-P", strconv.Itoa(pid)).Output()
	if err != nil {
		return
	}
	for line := range strings.Lines(string(out)) {
		child, err := strconv.Atoi(strings.TrimSpace(line))
		if err != nil {
			continue
		}
		if p, err := os.FindProcess(child); err == nil {
			_ = p.Kill()
		}
	}
}

// storm has things fail, a few at a time.
func (w *world) storm(ctx context.Context, length time.Duration) {
	end := time.Now().Add(length)
	var mends []func()
	mend := func(i int) {
		mends[i]()
		mends = append(mends[:i], mends[i+1:]...)
	}
	for time.Now().Before(end) && ctx.Err() == nil {
		f := faults[w.chance.IntN(len(faults))]
		w.fault(f.name)
		heal := f.do(w, w.cameras[w.chance.IntN(len(w.cameras))])
		if strings.HasPrefix(f.name, "service") { // one at a time, and soon back
			wait.For(ctx, time.Duration(w.chance.IntN(3000))*time.Millisecond)
			heal()
		} else {
			mends = append(mends, heal)
		}
		for len(mends) > 3 {
			mend(w.chance.IntN(len(mends)))
		}
		wait.For(ctx, time.Duration(w.chance.Int64N(int64(2*faultGap))))
	}
	for len(mends) > 0 {
		mend(0)
	}
}
