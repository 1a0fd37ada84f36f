package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"time"

	"webostrum/browser/engines"
	"webostrum/client"
	"webostrum/core/plan"
	"webostrum/testkit"
)

const engineFor = 30 * time.Second // a page of another engine is measured

// screen is a page in any browser.
type screen interface {
	Open(url string) error
	Run(statements string) error
	Number(expression string) (float64, error)
	Until(expression string, within time.Duration) error
}

// tab is a page of another engine as a screen.
type tab struct{ engines.Tab }

func (t tab) Open(url string) error {
	ctx, cancel := context.WithTimeout(context.Background(), playsWithin)
	defer cancel()
	return t.Tab.Open(ctx, url)
}

func (t tab) text(expression string) (string, error) {
	ctx, cancel := context.WithTimeout(context.Background(), playsWithin)
	defer cancel()
	return t.Text(ctx, expression)
}

func (t tab) Run(statements string) error {
	_, err := t.text("(() => {" + statements + "; return true })()")
	return err
}

func (t tab) Number(expression string) (float64, error) {
	text, err := t.text("String(Number(" + expression + "))")
	if err != nil {
		return 0, err
	}
	return strconv.ParseFloat(text, 64)
}

func (t tab) Until(expression string, within time.Duration) error {
	ctx, cancel := context.WithTimeout(context.Background(), within)
	defer cancel()
	return engines.Until(ctx, t.Tab, expression)
}

// otherEngines measures how old the pictures are that Firefox and WebKitGTK show.
func otherEngines() ([]result, error) {
	data, err := os.MkdirTemp("", "webostrum-bench-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(data) }()
	demo, err := testkit.StartDemo(data)
	if err != nil {
		return nil, err
	}
	defer demo.Kill()
	c, err := localClient(demo)
	if err != nil {
		return nil, err
	}
	if _, err := c.EditFeed(context.Background(), demoFeed, client.Patch{"delivery": client.Patch{"within": 0.5}}); err != nil {
		return nil, err
	}
	var results []result
	for _, e := range []struct {
		name  string
		start func(context.Context) (engines.Tab, error)
		aim   [2]string
	}{
		{"Firefox", engines.Firefox, [2]string{"200 ms, 95th percentile 300 ms", "500 ms"}},
		{"WebKitGTK", engines.WebKit, [2]string{"under 1.2 s, no stalls", "under 1.2 s, no stalls"}},
	} {
		more, err := demoIn(demo, c, e.name, e.start, e.aim)
		if errors.Is(err, engines.ErrNone) {
			fmt.Printf("  %s is not installed: run \"scripts/packages.sh engines\"\n", e.name)
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", e.name, err)
		}
		results = append(results, more...)
	}
	return results, nil
}

func demoIn(demo *testkit.Demo, c *client.Client, name string, start func(context.Context) (engines.Tab, error), aim [2]string) (results []result, err error) {
	browser, err := start(context.Background())
	if err != nil {
		return nil, err
	}
	defer browser.Close()
	t := &theatre{demo, tab{browser}}
	for i, w := range []way{{name: "live fragments", query: "by=fragments", delivery: plan.Fragments}, {name: "HLS within 0.5 s", query: "by=hls", delivery: plan.HLS}} {
		if err := t.open("?" + w.query); err != nil {
			return nil, err
		}
		s, err := t.measureDelay(onShow, engineFor)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", w.name, err)
		}
		expected, err := expectedDelay(context.Background(), c, w, map[string]string{"Firefox": plan.Firefox, "WebKitGTK": plan.WebKit}[name])
		if err != nil {
			return nil, err
		}
		results = append(results, result{
			"delay in " + name + " from the pixels, 720p25: " + w.name, fmt.Sprintf("%.0f ms, 95th percentile %.0f ms, %.0f stalls in half a minute", s.median, s.high, s.stalls),
			fmt.Sprintf("%.0f ms expected by the plan", expected), fmt.Sprintf("%.2f", s.median/expected), aim[i],
		})
	}
	return results, nil
}
