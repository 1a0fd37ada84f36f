package api

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

// Who may see or do what is decided here. What is open for long is in the list of
// grants, and ends when it is taken away.

// caller is who asks.
type caller struct {
	account *store.Account
	token   *store.Token // that was sent; nil for a sign-in by name and password
	from    string       // address
}

func (c caller) signedIn() bool { return c.account != nil }

// scope is what the caller's token is for; sign-ins are for everything.
func (c caller) scope() access.Scope {
	if c.token == nil || c.token.Kind != store.TokenAPI {
		return access.Manage
	}
	return access.Scope(c.token.Scope)
}

func (c caller) engineer() bool {
	return c.signedIn() && c.account.Role == store.RoleEngineer && c.scope() == access.Manage
}

// reader sees what an engineer sees.
func (c caller) reader() bool {
	return c.signedIn() && c.account.Role == store.RoleEngineer && (c.scope() == access.Manage || c.scope() == access.Read)
}

// person says that the caller signs in by themselves, and is no device or program.
func (c caller) person() bool {
	return c.signedIn() && c.account.Role != store.RolePanel && c.scope() == access.Manage
}

// watches says whether the caller may watch a feed.
func (c caller) watches(rules *station.Rules) bool {
	if !c.signedIn() {
		return rules.Audience == access.Everyone
	}
	switch c.scope() {
	case access.Media:
		if !slices.Contains(c.token.Feeds, rules.Name) {
			return rules.Audience == access.Everyone
		}
	case access.Metrics:
		return rules.Audience == access.Everyone
	}
	return rules.Audience.Watches(c.account.Name, access.Role(c.account.Role), rules.Named)
}

// by is whoever changes something, as events tell.
func (a *API) by(ctx context.Context) station.Actor {
	c := callerOf(ctx)
	name := ""
	if c.signedIn() {
		name = c.account.Name
	}
	if c.token != nil && c.token.Kind == store.TokenAPI {
		name += " (token " + c.token.Name + ")"
	}
	return a.station.By(name, c.from)
}

type callerKey struct{}

// asCaller has callerOf find somebody.
func asCaller(ctx context.Context, who caller) context.Context {
	return context.WithValue(ctx, callerKey{}, who)
}

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
		who := a.byToken(credential(r))
		who.from = access.HostOf(r.RemoteAddr)
		next.ServeHTTP(w, r.WithContext(asCaller(r.Context(), who)))
	})
}

func (a *API) byToken(text string) caller {
	if text == "" {
		return caller{}
	}
	now := time.Now()
	account, token, err := a.store.ByToken(text, now)
	if err != nil {
		return caller{}
	}
	a.uses.token(token.ID, now)
	return caller{account: account, token: token}
}

// needs is what an operation or a route asks of the caller.
type needs string

const (
	needsNobody   needs = "nobody"
	needsViewer   needs = "viewer"   // any person, or a token that reads
	needsPerson   needs = "person"   // somebody who has signed in themselves
	needsReader   needs = "reader"   // an engineer, or a token that reads
	needsMetrics  needs = "metrics"  // the same, or a token for that
	needsEngineer needs = "engineer" // an engineer, or a token that manages
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
	may := who.engineer()
	switch need {
	case needsNobody:
		return nil
	case needsViewer:
		may = who.person() || who.reader()
	case needsPerson:
		may = who.person()
	case needsReader:
		may = who.reader()
	case needsMetrics:
		may = who.reader() || who.signedIn() && who.account.Role == store.RoleEngineer && who.scope() == access.Metrics
	}
	switch {
	case may:
		return nil
	case !who.signedIn():
		return fault.New(fault.SignInNeeded, nil, "")
	case who.scope() != access.Manage:
		return fault.New(fault.TokenScope, nil, "This token is for %s, and this is not.", who.scope())
	}
	return fault.New(fault.NotAllowed, nil, "")
}

// seen returns a feed that the caller may know of; those that are not theirs are as if
// they were not there.
func (a *API) seen(ctx context.Context, name string) (*station.Feed, error) {
	f, err := a.station.Get(name)
	if who := callerOf(ctx); err == nil && !who.reader() && !who.watches(f.Rules()) {
		return nil, store.ErrNotFound
	}
	return f, err
}
