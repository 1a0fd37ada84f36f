package api

import (
	"sync"
	"time"
)

const (
	offersASecond = 10
	offersAtOnce  = 20
	mostOfferers  = 4096
)

// offers bounds how often one address may begin something that costs.
type offers struct {
	mu   sync.Mutex
	from map[string]bucket // guarded by mu
}

type bucket struct {
	tokens float64
	at     time.Time
}

// wait returns zero when an offer may be looked at now.
func (o *offers) wait(key string, now time.Time) time.Duration {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.from == nil || len(o.from) >= mostOfferers {
		o.from = make(map[string]bucket) // who is forgotten begins with a full one
	}
	b, known := o.from[key]
	if !known {
		b = bucket{tokens: offersAtOnce, at: now}
	}
	b.tokens = min(b.tokens+now.Sub(b.at).Seconds()*offersASecond, offersAtOnce)
	b.at = now
	defer func() { o.from[key] = b }()
	if b.tokens < 1 {
		return time.Duration((1 - b.tokens) / offersASecond * float64(time.Second))
	}
	b.tokens--
	return 0
}
