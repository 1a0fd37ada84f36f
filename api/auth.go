package api

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"webostrum/station"
	"webostrum/store"
)

const (
	sessionCookie = "webostrum_session"
	sessionLasts  = 30 * 24 * time.Hour
)

type accountKey struct{}

// account returns who asks, or nil.
func account(ctx context.Context) *store.Account {
	a, _ := ctx.Value(accountKey{}).(*store.Account)
	return a
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

// identify puts the account of a request into its context.
func (a *API) identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if who := a.who(r); who != nil {
			r = r.WithContext(context.WithValue(r.Context(), accountKey{}, who))
		}
		next.ServeHTTP(w, r)
	})
}

func (a *API) who(r *http.Request) *store.Account {
	if token := credential(r); token != "" {
		if who, err := a.store.ByToken(token, time.Now()); err == nil {
			return who
		}
	}
	return nil
}

// needs is what an operation asks of the caller.
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
	if p := permitted(account(ctx.Context()), need); p != nil {
		writeProblem(humagin.Unwrap(ctx).Writer, p)
		return
	}
	next(ctx)
}

func permitted(who *store.Account, need needs) *Problem {
	switch {
	case need == needsNobody:
		return nil
	case who == nil:
		return newProblem(http.StatusUnauthorized, codeSignIn, "This needs a sign-in.", "Sign in first.")
	case need != needsViewer && who.Role != store.RoleEngineer:
		return newProblem(http.StatusForbidden, codeNotAllowed, "A viewer's account sees, but changes nothing.", "Sign in with an engineer's account.")
	}
	return nil
}



type signInInput struct {
	Body SignInBody
	from string
}

// Resolve notes where a sign-in comes from.
func (i *signInInput) Resolve(ctx huma.Context) []error {
	i.from = hostOf(ctx.RemoteAddr())
	return nil
}

type meOutput struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      Me
}

func hostOf(address string) string {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return address
	}
	return host
}

func (a *API) signIn(ctx context.Context, in *signInInput) (*meOutput, error) {
	now := time.Now()
	if wait := a.throttle.wait(in.from, now); wait > 0 {
		p := newProblem(http.StatusTooManyRequests, codeTooOften,
			fmt.Sprintf("Too many failed sign-ins from this address: the next try is looked at in %d s.", int(wait.Seconds())+1), "Wait, then try again.")
		return nil, huma.ErrorWithHeaders(p, http.Header{"Retry-After": {strconv.Itoa(int(wait.Seconds()) + 1)}})
	}
	select { // a password costs a quarter of a second of a core to check
	case a.checking <- struct{}{}:
		defer func() { <-a.checking }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	who, err := a.store.CheckPassword(in.Body.Name, in.Body.Password)
	if errors.Is(err, store.ErrPassword) {
		a.throttle.failed(in.from, now)
		a.station.Note("", station.EventSignIn, "a sign-in from "+in.from+" failed")
		return nil, newProblem(http.StatusUnauthorized, codeWrong, "Name or password is wrong.",
			"Try again; the first start of the service has shown the first account's password.")
	}
	if err != nil {
		return nil, answerFor(err)
	}
	a.throttle.succeeded(in.from)
	cookie, err := a.newSession(who, now)
	if err != nil {
		return nil, answerFor(err)
	}
	return &meOutput{SetCookie: cookie, Body: Me{who.Name, string(who.Role)}}, nil
}

func (a *API) newSession(who *store.Account, now time.Time) (http.Cookie, error) {
	token, err := a.store.NewToken(who, store.TokenSession, now.Add(sessionLasts))
	return http.Cookie{
		Name: sessionCookie, Value: token, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode,
		MaxAge: int(sessionLasts.Seconds()), Secure: a.cfg.Secure,
	}, err
}

type signOutInput struct {
	Session string `cookie:"webostrum_session"`
}

type signOutOutput struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

func (a *API) signOut(_ context.Context, in *signOutInput) (*signOutOutput, error) {
	if in.Session != "" {
		if err := a.store.DropToken(in.Session); err != nil {
			return nil, answerFor(err)
		}
	}
	return &signOutOutput{http.Cookie{Name: sessionCookie, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode}}, nil
}

type meOnly struct{ Body Me }

func (a *API) me(ctx context.Context, _ *struct{}) (*meOnly, error) {
	who := account(ctx)
	return &meOnly{Me{who.Name, string(who.Role)}}, nil
}
