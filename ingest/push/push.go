// Package push is how those who call us come in: a listener of whatever protocol asks the
// desk whether a publisher may send to a feed, and plays the session in the feed's run.
package push

import (
	"context"
	"time"

	"webostrum/ingest/source"
)

// Protocol is how a publisher sends, as people call it.
type Protocol string

// The protocols.
const (
	RTMP Protocol = "RTMP"
	RTSP Protocol = "RTSP"
	WHIP Protocol = "WHIP"
	HTTP Protocol = "HTTP"

	// Command is that of the service's own programs.
	Command Protocol = "command"
)

// Request is what a publisher asks for.
type Request struct {
	Feed     string
	Protocol Protocol
	Address  string // of the publisher, with its port

	// Instance is one program or page of many tries: it takes its own place over. Empty for
	// those that do not say.
	Instance string

	// Until is when the publisher's right to send ends; zero for never.
	Until time.Time

	// Knows says whether the publisher has shown that it knows a key; nil when it has shown
	// none.
	Knows func(key string) bool
}

// Desk lets publishers in. It is safe for concurrent use.
type Desk interface {
	// Admit lets a publisher in to a feed, or says why not: a *fault.Error, or the context's.
	// Where the feed has a publisher already that is to give way, it waits for its end.
	Admit(ctx context.Context, r Request) (Place, error)
}

// Place is a publisher's place in a feed. Leave it.
type Place interface {
	// Run has the session played in the feed's run, and returns why it ended.
	Run(ctx context.Context, play Play) error

	// Leave gives the place up; more than once does no harm.
	Leave()
}

// Play receives what a publisher sends until ctx ends or the publisher does, as ingest.Play
// does of a camera. Its cause of ending is in ctx.
type Play func(ctx context.Context, cfg source.Config) (next uint64, err error)
