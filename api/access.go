package api

import (
	"bytes"
	"context"
	"errors"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

// Who may see or do what is decided here. What is open for long is in the list of
// grants, and ends when it is taken away.

// caller is who asks.
type caller struct{ account *store.Account }

func (c caller) signedIn() bool { return c.account != nil }
func (c caller) engineer() bool { return c.account != nil && c.account.Role == store.RoleEngineer }

type callerKey struct{}

// callerOf returns who asks, as identify found.
func callerOf(ctx context.Context) caller {
	c, _ := ctx.Value(callerKey{}).(caller)
	return c
}

// credential returns the token that a request carries.
func credential(r *http.Request) string {
	if scheme, token, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") {
		return strings.TrimSpace(token)
	}
	if c, err := r.Cookie(sessionCookie); err == nil {
		return c.Value
	}
	return ""
}

// identify puts who asks into a request's context.
func (a *API) identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if who := a.byToken(credential(r)); who != nil {
			r = r.WithContext(context.WithValue(r.Context(), callerKey{}, caller{who}))
		}
		next.ServeHTTP(w, r)
	})
}

func (a *API) byToken(token string) *store.Account {
	if token == "" {
		return nil
	}
	who, err := a.store.ByToken(token, time.Now())
	if err != nil {
		return nil
	}
	return who
}

// needs is what an operation or a route asks of the caller.
type needs string

const (
	needsNobody   needs = "nobody"
	needsViewer   needs = "viewer"
	needsEngineer needs = "engineer"
	needsMetadata       = "needs"
)

// guard refuses operations to those who may not use them.
func (a *API) guard(ctx huma.Context, next func(huma.Context)) {
	need, _ := ctx.Operation().Metadata[needsMetadata].(needs)
	ctx.SetHeader("Cache-Control", "no-store")
	if err := permitted(callerOf(ctx.Context()), need); err != nil {
		problem.Write(humagin.Unwrap(ctx).Writer, err)
		return
	}
	next(ctx)
}

// permitted says why somebody may not do what needs something; an operation that says
// nothing needs an engineer.
func permitted(who caller, need needs) error {
	switch {
	case need == needsNobody:
		return nil
	case !who.signedIn():
		return fault.New(fault.SignInNeeded, nil, "")
	case need != needsViewer && !who.engineer():
		return fault.New(fault.NotAllowed, nil, "")
	}
	return nil
}

// access is how somebody was let in to a feed's media.
type access struct {
	caller
	feed *station.Feed
	link string // text of the link that opened it, if any
}

// stranger says that nobody has let the caller in: the feed is for everybody.
func (m access) stranger() bool { return !m.signedIn() && m.link == "" }

// watchable lets somebody in to a feed, or answers why not. link is the text of a link in
// the address.
func (a *API) watchable(w http.ResponseWriter, r *http.Request, name, link string) (m access, ok bool) {
	feed, err := a.station.Get(name)
	m = access{caller: callerOf(r.Context()), feed: feed}
	if err == nil && link != "" && a.store.Opens(name, link) {
		m.link = link
		return m, true
	}
	if err == nil && (feed.Public() || m.signedIn()) {
		return m, true
	}
	var p plain
	if !m.signedIn() {
		p = a.plainSignIn(r)
		m.account = p.who
	}
	switch {
	case err == nil && m.signedIn():
		return m, true
	case m.signedIn() && errors.Is(err, store.ErrNotFound):
		problem.Write(w, fault.New(fault.FeedUnknown, err, ""))
	default:
		a.demand(w, r, p) // strangers are not told which feeds there are
	}
	return m, false
}

// still says whether somebody who was let in would be now. r is the request of then.
func (a *API) still(m access, r *http.Request) bool {
	name := m.feed.Status().Record.Name
	if feed, err := a.station.Get(name); err != nil || feed != m.feed {
		return false
	}
	switch {
	case m.link != "":
		return a.store.Opens(name, m.link)
	case m.feed.Public():
		return true
	}
	return a.stillSignedIn(m.caller, r)
}

// stillSignedIn says whether what a request was signed in by is still good.
func (a *API) stillSignedIn(who caller, r *http.Request) bool {
	if !who.signedIn() {
		return false
	}
	if token := credential(r); token != "" {
		now := a.byToken(token)
		return now != nil && now.ID == who.account.ID && now.Role == who.account.Role
	}
	now, err := a.store.AccountByName(who.account.Name) // by name and password
	return err == nil && now.ID == who.account.ID && bytes.Equal(now.Hash, who.account.Hash)
}

// grant is something that goes on by an access.
type grant struct {
	still func() bool
	end   func()
}

// grants are all that go on, looked through again whenever access may have been taken
// away, and once a minute for what ends by itself.
type grants struct {
	mu   sync.Mutex
	all  map[*grant]struct{} // guarded by mu
	kick chan struct{}
}

const lookThrough = time.Minute

func newGrants() *grants {
	return &grants{all: make(map[*grant]struct{}), kick: make(chan struct{}, 1)}
}

// add notes what goes on until the returned function is called. still is asked whether
// it may go on; end ends it, and must not block.
func (g *grants) add(still func() bool, end func()) (done func()) {
	it := &grant{still, end}
	g.mu.Lock()
	g.all[it] = struct{}{}
	g.mu.Unlock()
	return func() {
		g.mu.Lock()
		delete(g.all, it)
		g.mu.Unlock()
	}
}

// changed says that access may have been taken away from somebody.
func (g *grants) changed() {
	select {
	case g.kick <- struct{}{}:
	default:
	}
}

// run looks through the grants until ctx ends.
func (g *grants) run(ctx context.Context) {
	ticker := time.NewTicker(lookThrough)
	defer ticker.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-g.kick:
		case <-ticker.C:
		}
		g.mu.Lock()
		list := make([]*grant, 0, len(g.all))
		for it := range g.all {
			list = append(list, it)
		}
		g.mu.Unlock()
		for _, it := range list { // outside the lock: these look into the records
			if ctx.Err() != nil {
				return
			}
			if !it.still() {
				it.end()
			}
		}
	}
}
