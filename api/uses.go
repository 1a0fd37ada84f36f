package api

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"sync"
	"time"

	"webostrum/access"
)

// usesEvery is how often it is written when tokens and links were used last.
const usesEvery = 20 * time.Second

// uses remembers when tokens were used, until that is written.
type uses struct {
	mu     sync.Mutex
	tokens map[int64]time.Time // guarded by mu
	links  map[int64]time.Time // as written last; of the writer alone
}

func (u *uses) token(id int64, now time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.tokens == nil {
		u.tokens = make(map[int64]time.Time)
	}
	u.tokens[id] = now
}

// writeUses writes now and then, and at the end, when tokens and links were used.
func (a *API) writeUses(ctx context.Context) {
	ticker := time.NewTicker(usesEvery)
	defer ticker.Stop()
	for ctx.Err() == nil {
		select {
		case <-ctx.Done():
		case <-ticker.C:
		}
		if err := errors.Join(a.flushUses(), a.flushExperience(time.Now())); err != nil {
			slog.Warn("it could not be written when tokens and links were used, or what players reported", "error", err)
		}
	}
}

func (a *API) flushUses() error {
	a.uses.mu.Lock()
	tokens := maps.Clone(a.uses.tokens)
	clear(a.uses.tokens)
	a.uses.mu.Unlock()
	for id, at := range tokens {
		if err := a.store.TokenUsed(id, at); err != nil {
			return err
		}
	}
	fresh, all := make(map[int64]time.Time), make(map[int64]time.Time)
	a.links.All(func(l *access.Link) {
		if at := l.Used(); !at.IsZero() {
			all[l.ID] = at
			if !at.Equal(a.uses.links[l.ID]) {
				fresh[l.ID] = at
			}
		}
	})
	if len(fresh) == 0 {
		return nil
	}
	a.uses.links = all
	return a.store.LinksUsed(fresh)
}
