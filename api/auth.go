package api

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"webostrum/access"
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
	Body    apitypes.SignIn
	from    string // address
	browser string
	request *http.Request
}

const longestBrowser = 200 // letters that are kept of what it calls itself

// Resolve notes where a sign-in comes from.
func (i *signInInput) Resolve(ctx huma.Context) []error {
	i.from, i.request = ctx.RemoteAddr(), humagin.Unwrap(ctx).Request
	i.browser = strings.ToValidUTF8(ctx.Header("User-Agent"), "")
	i.browser = i.browser[:min(len(i.browser), longestBrowser)]
	return nil
}

type meOutput struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      apitypes.Me
}

func meView(who *store.Account) apitypes.Me {
	return apitypes.Me{Name: who.Name, Role: string(who.Role), Second: len(who.SecondSealed) > 0}
}

func (a *API) signIn(ctx context.Context, in *signInInput) (*meOutput, error) {
	who, err := a.tryPassword(ctx, in.from, in.Body)
	if err != nil {
		return nil, err
	}
	if who.Role == store.RolePanel {
		return nil, answerFor(fault.New(fault.NotAllowed, nil, "This is a panel's account: it opens media by Basic or Digest, and nothing here."))
	}
	now := time.Now()
	t := &store.Token{Kind: store.TokenSession, ExpiresAt: now.Add(sessionLasts), Address: access.HostOf(in.from), Browser: in.browser}
	text, err := a.store.NewToken(who, t)
	if err != nil {
		return nil, answerFor(err)
	}
	a.station.By(who.Name, access.HostOf(in.from)).Note("", station.EventSignIn, who.Name+" signed in from "+access.HostOf(in.from))
	return &meOutput{SetCookie: a.sessionCookie(text, a.secure(in.request)), Body: meView(who)}, nil
}

// tryPassword checks a name and password, and a code where the account has a second
// factor, that come from an address, as far as that may be tried. Errors are problems,
// with headers where they need some.
func (a *API) tryPassword(ctx context.Context, from string, given apitypes.SignIn) (*store.Account, error) {
	name := given.Name
	now, client := time.Now(), access.ClientOf(from)
	known := a.store.KnowsClient(name, client)
	settle, wait := a.throttle.Reserve(client, name, known, now)
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
	who, err := a.store.CheckPassword(name, given.Password)
	switch {
	case errors.Is(err, store.ErrPassword):
		a.station.By("", access.HostOf(from)).Note("", station.EventSignIn, "a sign-in from "+access.HostOf(from)+" failed")
		return nil, answerFor(fault.New(fault.SignInWrong, nil, ""))
	case err != nil:
		return nil, answerFor(err)
	}
	if err := a.checkSecond(who, given.Code, now); err != nil {
		right = given.Code == "" // the password was right, and a code is asked for
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

// sessionCookie keeps a browser signed in; secure says that it came over HTTPS.
func (a *API) sessionCookie(text string, secure bool) http.Cookie {
	return http.Cookie{
		Name: sessionCookie, Value: text, Path: a.at("/"), HttpOnly: true, SameSite: http.SameSiteStrictMode,
		MaxAge: int(sessionLasts.Seconds()), Secure: secure,
	}
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
	return &signOutOutput{http.Cookie{Name: sessionCookie, Path: a.at("/"), MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode}}, nil
}

type meOnly struct{ Body apitypes.Me }

func (a *API) me(ctx context.Context, _ *struct{}) (*meOnly, error) {
	return &meOnly{meView(callerOf(ctx).account)}, nil
}
