package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"regexp"
	"strconv"
	"strings"
	"time"

	"webostrum/reach"
	"webostrum/wait"
)

// What must hold all the time.
const (
	mostMiB         = 600
	mostGoroutines  = 3000
	mostDescriptors = 2000
	answersWithin   = 8 * time.Second
	oldest          = 30 * time.Second // of the newest picture in a list
	growth          = 1.6              // of a calm's figures over those of the first
	slackMiB        = 60
)

// watchers look, and watch as viewers do, until ctx ends.
func (w *world) watchers(ctx context.Context) {
	w.going.Go(func() {
		for wait.For(ctx, lookEvery) {
			w.look(ctx)
		}
	})
	for _, c := range w.cameras {
		w.going.Go(func() {
			w.viewer(ctx, "hls "+c.name, func(ctx context.Context) error { return w.playHLS(ctx, c.name) })
		})
		w.going.Go(func() {
			w.viewer(ctx, "motion-jpeg", func(ctx context.Context) error { return w.readOn(ctx, c.name+"/mjpeg") })
		})
	}
	w.going.Go(func() {
		w.viewer(ctx, "fragments", func(ctx context.Context) error { return w.readOn(ctx, "gate/live.mp4") })
	})
	w.going.Go(func() {
		w.viewer(ctx, "slow reader", func(ctx context.Context) error { return w.readSlowly(ctx, "yard/live.mp4") })
	})
	w.going.Go(func() { w.viewer(ctx, "turns", func(ctx context.Context) error { return w.playHLS(ctx, both) }) })
	w.going.Go(func() { w.viewer(ctx, "webrtc", w.connect) })
}

// viewer watches again and again.
func (w *world) viewer(ctx context.Context, name string, watch func(context.Context) error) {
	for wait.For(ctx, 700*time.Millisecond) {
		some, cancel := context.WithTimeout(ctx, 20*time.Second)
		err := watch(some)
		cancel()
		if err == nil {
			w.mu.Lock()
			w.report.Viewers[strings.Fields(name)[0]]++
			w.mu.Unlock()
		}
	}
}

func (w *world) get(ctx context.Context, path string) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+w.listen+path, nil)
	if err != nil {
		return nil, err
	}
	return http.DefaultClient.Do(req)
}

func (w *world) text(ctx context.Context, path string) (string, error) {
	res, err := w.get(ctx, path)
	if err != nil {
		return "", err
	}
	defer func() { _ = res.Body.Close() }()
	body, err := io.ReadAll(io.LimitReader(res.Body, 4<<20))
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s", res.Status)
	}
	return string(body), err
}

var dateTime = regexp.MustCompile(`#EXT-X-PROGRAM-DATE-TIME:(\S+)`)

// playHLS gets the lists and looks how old the newest picture in them is.
func (w *world) playHLS(ctx context.Context, feed string) error {
	master, err := w.text(ctx, "/media/"+feed+"/hls/index.m3u8")
	if err != nil {
		return err
	}
	variant := ""
	for line := range strings.Lines(master) {
		if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
			variant = line
		}
	}
	list, err := w.text(ctx, "/media/"+feed+"/hls/"+variant)
	if err != nil {
		return err
	}
	times := dateTime.FindAllStringSubmatch(list, -1)
	if len(times) == 0 {
		return fmt.Errorf("the list has no times")
	}
	at, err := time.Parse(time.RFC3339, times[len(times)-1][1])
	if err != nil {
		return err
	}
	age := time.Since(at)
	w.mu.Lock()
	// A camera's clock that jumps is believed by nobody here: capture times come from reports
	// and arrival. What is stalled is forgotten after fifteen seconds.
	w.report.Oldest = max(w.report.Oldest, age.Seconds())
	w.mu.Unlock()
	if age > oldest {
		w.broke("the newest segment of %s is %.0f s old, and still in the list", feed, age.Seconds())
	}
	return nil
}

// readOn reads an answer that goes on.
func (w *world) readOn(ctx context.Context, path string) error {
	res, err := w.get(ctx, "/media/"+path)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("%s", res.Status)
	}
	n, err := io.Copy(io.Discard, res.Body)
	if n > 0 {
		return nil
	}
	return err
}

// readSlowly reads less than is sent.
func (w *world) readSlowly(ctx context.Context, path string) error {
	res, err := w.get(ctx, "/media/"+path)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	b := make([]byte, 256)
	for wait.For(ctx, 100*time.Millisecond) {
		if _, err := res.Body.Read(b); err != nil {
			return err
		}
	}
	return nil
}

// connect watches by WebRTC, over UDP and TCP, by a check of the ways in.
func (w *world) connect(ctx context.Context) error {
	w.mu.Lock()
	cl := w.cl
	w.mu.Unlock()
	k, err := cl.AddReachCheck(ctx, "gate")
	if err != nil {
		return err
	}
	check, err := reach.Parse("http://" + w.listen + "/reach/" + k.Code)
	if err != nil {
		return err
	}
	worked := fmt.Errorf("no way worked")
	err = check.Run(ctx, func(r reach.Result) {
		if strings.HasPrefix(r.Trial, "webrtc") && r.Outcome == "works" {
			worked = nil
		}
	})
	if err != nil {
		return err
	}
	return worked
}

// look looks at what the service takes, and whether it answers.
func (w *world) look(ctx context.Context) {
	w.mu.Lock()
	down := w.down
	w.report.Looks++
	w.mu.Unlock()
	if down {
		return
	}
	ask, cancel := context.WithTimeout(ctx, answersWithin)
	defer cancel()
	f, panics, err := w.figures(ask)
	w.mu.Lock()
	down = w.down
	w.mu.Unlock()
	switch {
	case ctx.Err() != nil || down:
		return
	case err != nil:
		w.broke("the service does not answer: %v", err)
		return
	}
	w.mu.Lock()
	m := &w.report.Most
	m.MiB, m.Goroutines, m.Descriptors = max(m.MiB, f.MiB), max(m.Goroutines, f.Goroutines), max(m.Descriptors, f.Descriptors)
	w.mu.Unlock()
	if f.MiB > mostMiB || f.Goroutines > mostGoroutines || f.Descriptors > mostDescriptors {
		w.broke("the service takes too much: %+v", f)
	}
	if panics > 0 {
		w.broke("the service made %g mistakes of its own", panics)
	}
}

// figures reads what the service takes from its metrics.
func (w *world) figures(ctx context.Context) (f figures, panics float64, err error) {
	w.mu.Lock()
	token := w.cl.Token()
	w.mu.Unlock()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+w.listen+"/metrics", nil)
	if err != nil {
		return f, 0, err
	}
	req.Header.Set("Authorization", "Bearer "+token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return f, 0, err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return f, 0, fmt.Errorf("metrics: %s", res.Status)
	}
	lines := bufio.NewScanner(res.Body)
	for lines.Scan() {
		name, value, _ := strings.Cut(lines.Text(), " ")
		v, _ := strconv.ParseFloat(value, 64)
		switch name {
		case "process_resident_memory_bytes":
			f.MiB = v / (1 << 20)
		case "go_goroutines":
			f.Goroutines = v
		case "process_open_fds":
			f.Descriptors = v
		case "webostrum_panics_total":
			panics = v
		}
	}
	return f, panics, lines.Err()
}

// calm has nothing fail for a while: all feeds have to be live again, and the service has to
// take no more than it did in the first calm.
func (w *world) calm(ctx context.Context, after time.Duration) {
	begun := time.Now()
	left := w.notLive(ctx)
	for len(left) > 0 && time.Since(begun) < calmFor && wait.For(ctx, time.Second) {
		left = w.notLive(ctx)
	}
	if ctx.Err() != nil {
		return
	}
	if len(left) > 0 {
		w.broke("not live after %v without a fault: %s", calmFor, strings.Join(left, "; "))
	}
	back := time.Since(begun).Seconds()
	w.keeps(ctx)
	if !wait.For(ctx, 25*time.Second) { // viewers of before have gone
		return
	}
	f, _, err := w.figures(ctx)
	if err != nil {
		return
	}
	w.mu.Lock()
	w.report.Calms = append(w.report.Calms, calm{after.Minutes(), back, f})
	first := w.report.Calms[0]
	n := len(w.report.Calms)
	w.mu.Unlock()
	fmt.Fprintf(os.Stderr, "%s calm %d: all live after %.0f s, %.0f MiB, %.0f goroutines, %.0f descriptors\n", time.Now().Format(time.TimeOnly), n, back, f.MiB, f.Goroutines, f.Descriptors)
	if f.MiB > growth*first.MiB+slackMiB || f.Goroutines > growth*first.Goroutines+100 || f.Descriptors > growth*first.Descriptors+50 {
		w.broke("the service takes more than in the first calm: %+v after %+v", f, first.figures)
	}
}

// notLive lists feeds that are not live, with their reasons. One that refuses a password is
// tried every few minutes by itself: somebody has to have it tried now.
func (w *world) notLive(ctx context.Context) (list []string) {
	feeds, err := w.cl.Feeds(ctx)
	if err != nil {
		return []string{err.Error()}
	}
	for _, f := range feeds {
		switch {
		case f.State == "refused":
			_, _ = w.cl.StartFeed(ctx, f.Name)
			list = append(list, f.Name+": refused")
		case f.State != "live" && f.State != "idle":
			list = append(list, f.Name+": "+f.Reason)
		}
	}
	return list
}
