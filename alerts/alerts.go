// Package alerts tells people what is wrong: by webhooks and by e-mail.
package alerts

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"webostrum/core/alert"
	"webostrum/wait"
)

const (
	lookEvery   = 5 * time.Second
	together    = time.Minute
	sendWithin  = 20 * time.Second // one try
	mostWaiting = 64               // messages for one way; the oldest go
)

// pauses are those before another try.
var pauses = []time.Duration{10 * time.Second, time.Minute, 10 * time.Minute}

// Settings say who is told, and when.
type Settings struct {
	Webhook Webhook
	Mail    Mail
	Quiet   alert.Quiet
	Link    string // address of the console, for messages; empty for none
}

// way is one way to tell somebody.
type way interface {
	name() string
	on() bool
	send(ctx context.Context, m alert.Message, link string) error
}

// Config says what to look at.
type Config struct {
	// Wrong returns what is wrong now.
	Wrong func(now time.Time) []alert.Condition
	// Sent is told of each message that went out by a way, or did not in the end.
	Sent func(way string, m alert.Message, err error)
	Log  *slog.Logger

	LookEvery, Together time.Duration // 0 for the usual ones
	Pauses              []time.Duration
}

// Keeper looks, and tells. It is safe for concurrent use.
type Keeper struct {
	cfg Config

	mu       sync.Mutex
	settings Settings // guarded by mu
}

// New makes a keeper.
func New(cfg Config) *Keeper {
	if cfg.LookEvery == 0 {
		cfg.LookEvery = lookEvery
	}
	if cfg.Together == 0 {
		cfg.Together = together
	}
	if cfg.Pauses == nil {
		cfg.Pauses = pauses
	}
	return &Keeper{cfg: cfg}
}

// Set has other settings hold from now on.
func (k *Keeper) Set(s Settings) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.settings = s
}

func (k *Keeper) present() Settings {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.settings
}

// Run looks and tells until ctx ends.
func (k *Keeper) Run(ctx context.Context) {
	engine := alert.Engine{Together: k.cfg.Together}
	hook, mail := make(chan alert.Message, mostWaiting), make(chan alert.Message, mostWaiting)
	var sending sync.WaitGroup
	defer sending.Wait()
	sending.Go(func() { k.deliver(ctx, hook, func(s Settings) way { return s.Webhook }) })
	sending.Go(func() { k.deliver(ctx, mail, func(s Settings) way { return s.Mail }) })
	for wait.For(ctx, k.cfg.LookEvery) {
		engine.Quiet = k.present().Quiet
		m := engine.Step(time.Now(), k.cfg.Wrong(time.Now()))
		if m == nil {
			continue
		}
		push(hook, *m)
		push(mail, *m)
	}
}

// push puts a message into a queue; where that is full the oldest goes.
func push(queue chan alert.Message, m alert.Message) {
	for {
		select {
		case queue <- m:
			return
		default:
		}
		select {
		case <-queue:
		default:
		}
	}
}

// deliver sends messages by a way, one after the other.
func (k *Keeper) deliver(ctx context.Context, queue <-chan alert.Message, of func(Settings) way) {
	for {
		select {
		case <-ctx.Done():
			return
		case m := <-queue:
			if w := of(k.present()); w.on() {
				err := k.trySend(ctx, m, of)
				if ctx.Err() == nil {
					k.cfg.Sent(w.name(), m, err)
				}
			}
		}
	}
}

// trySend tries a few times, each with the settings of then.
func (k *Keeper) trySend(ctx context.Context, m alert.Message, of func(Settings) way) (err error) {
	for try := 0; ; try++ {
		s := k.present()
		w := of(s)
		if !w.on() {
			return errors.Join(err, errors.New("it was switched off meanwhile"))
		}
		if err = once(ctx, w, m, s.Link); err == nil || try == len(k.cfg.Pauses) {
			return err
		}
		k.cfg.Log.Warn("an alert could not be sent; it is tried again", "by", w.name(), "error", err)
		if !wait.For(ctx, k.cfg.Pauses[try]) {
			return ctx.Err()
		}
	}
}

func once(ctx context.Context, w way, m alert.Message, link string) error {
	ctx, cancel := context.WithTimeout(ctx, sendWithin)
	defer cancel()
	return w.send(ctx, m, link)
}

// Test sends a message that says that it is a test, by all ways that are on, and returns
// what came of each.
func Test(ctx context.Context, s Settings, now time.Time) map[string]error {
	m := alert.Message{At: now, Raised: []alert.Condition{{Key: "test", Text: "This is a test: nothing is wrong.", Remedy: "Nothing is to be done.", Since: now}}, Open: 1}
	results := make(map[string]error)
	for _, w := range []way{s.Webhook, s.Mail} {
		if w.on() {
			results[w.name()] = once(ctx, w, m, s.Link)
		}
	}
	return results
}

// subject is a message in a line.
func subject(m alert.Message) string {
	switch n := len(m.Raised) + m.More; {
	case n == 1 && len(m.Raised) == 1:
		return m.Raised[0].Text
	case n > 0:
		return fmt.Sprintf("%d things are wrong, among them: %s", n, m.Raised[0].Text)
	case len(m.Over) == 1:
		return "Over: " + m.Over[0].Text
	}
	return fmt.Sprintf("%d things are right again", len(m.Over))
}

// text is a message for people.
func text(m alert.Message, link string) string {
	var b strings.Builder
	if m.Quiet {
		b.WriteString("What was held back in the quiet time:\n\n")
	}
	list := func(title string, list []alert.Condition, remedies bool) {
		if len(list) == 0 {
			return
		}
		fmt.Fprintf(&b, "%s\n", title)
		for _, c := range list {
			fmt.Fprintf(&b, "  - %s", c.Text)
			if !c.Since.IsZero() {
				fmt.Fprintf(&b, " (since %s)", c.Since.Local().Format("2 Jan 15:04"))
			}
			b.WriteString("\n")
			if remedies && c.Remedy != "" {
				fmt.Fprintf(&b, "      %s\n", c.Remedy)
			}
		}
		b.WriteString("\n")
	}
	list("Wrong:", m.Raised, true)
	if m.More > 0 {
		fmt.Fprintf(&b, "and %d more.\n\n", m.More)
	}
	list("Right again:", m.Over, false)
	if still := m.Open - len(m.Raised); still > 0 {
		fmt.Fprintf(&b, "%d told of before are still wrong.\n\n", still)
	}
	if link != "" {
		fmt.Fprintf(&b, "%s\n", link)
	}
	return b.String()
}

// views are conditions as webhooks tell them.
func views(list []alert.Condition) []hookCondition {
	out := []hookCondition{}
	for _, c := range list {
		out = append(out, hookCondition{c.Key, c.Feed, c.Text, c.Remedy, c.Since.UTC()})
	}
	return slices.Clip(out)
}
