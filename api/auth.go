package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/store"
)

const (
	sessionCookie = "webostrum_session"
	sessionLasts  = 30 * 24 * time.Hour
)

type signInInput struct {
	Body apitypes.SignIn
	from string // address
}

// Resolve notes where a sign-in comes from.
func (i *signInInput) Resolve(ctx huma.Context) []error {
	i.from = ctx.RemoteAddr()
	return nil
}

type meOutput struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      apitypes.Me
}

func (a *API) signIn(ctx context.Context, in *signInInput) (*meOutput, error) {
	who, err := a.tryPassword(ctx, in.from, in.Body.Name, in.Body.Password)
	if err != nil {
		return nil, err
	}
	cookie, err := a.newSession(who, time.Now())
	if err != nil {
		return nil, answerFor(err)
	}
	return &meOutput{SetCookie: cookie, Body: apitypes.Me{Name: who.Name, Role: string(who.Role)}}, nil
}

// tryPassword checks a name and password that come from an address, as far as that may
// be tried. Errors are problems, with headers where they need some.
func (a *API) tryPassword(ctx context.Context, from, name, password string) (*store.Account, error) {
	now, client := time.Now(), clientOf(from)
	known := a.store.KnowsClient(name, client)
	settle, wait := a.throttle.reserve(client, name, known, now)
	if wait > 0 {
		header, p := tooOften(wait)
		return nil, huma.ErrorWithHeaders(p, header)
	}
	right := false
	defer func() { settle(right) }()
	end, err := a.checks.begin(ctx, known)
	if err != nil {
		right = true // it was not judged
		return nil, answerFor(err)
	}
	defer end()
	who, err := a.store.CheckPassword(name, password)
	switch {
	case errors.Is(err, store.ErrPassword):
		a.station.Note("", station.EventSignIn, "a sign-in from "+hostOf(from)+" failed")
		return nil, answerFor(fault.New(fault.SignInWrong, nil, ""))
	case err != nil:
		return nil, answerFor(err)
	}
	right = true
	return who, answerFor(a.store.KnowClient(who, client, now))
}

// firstSignIn tells the sign-in page whether anybody has signed in yet: before that it
// says which account the first start has made.
func (a *API) firstSignIn(context.Context, *struct{}) (*struct{ Body apitypes.SignInPage }, error) {
	page := apitypes.SignInPage{}
	if !a.store.SignedInYet() {
		page.FirstAccount = store.FirstAccount
	}
	return &struct{ Body apitypes.SignInPage }{page}, nil
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
		a.grants.changed()
	}
	return &signOutOutput{http.Cookie{Name: sessionCookie, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode}}, nil
}

type meOnly struct{ Body apitypes.Me }

func (a *API) me(ctx context.Context, _ *struct{}) (*meOnly, error) {
	who := callerOf(ctx).account
	return &meOnly{apitypes.Me{Name: who.Name, Role: string(who.Role)}}, nil
}
