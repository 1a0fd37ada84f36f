package api

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/pquerna/otp/totp"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/store"
)

// What somebody who has signed in does with their own account.

// session is the ID of the caller's own session; 0 without one.
func (c caller) session() int64 {
	if c.token == nil || c.token.Kind != store.TokenSession {
		return 0
	}
	return c.token.ID
}

func (a *API) setOwnPassword(ctx context.Context, in *struct{ Body apitypes.OwnPassword }) (*struct{}, error) {
	who := callerOf(ctx)
	if err := strong(in.Body.Password, who.account.Name); err != nil {
		return nil, err
	}
	settle, wait := a.throttle.Reserve(who.from, who.account.Name, true, time.Now())
	if wait > 0 {
		_, p := tooOften(wait)
		return nil, p
	}
	end, err := a.checks.begin(ctx, true)
	if err != nil {
		settle(true)
		return nil, answerFor(err)
	}
	defer end()
	checked, err := a.store.CheckPassword(who.account.Name, in.Body.Present)
	settle(!errors.Is(err, store.ErrPassword))
	switch {
	case errors.Is(err, store.ErrPassword):
		return nil, refused("present", "the password until now is another")
	case err != nil:
		return nil, answerFor(err)
	}
	if err := a.store.SetPassword(checked, in.Body.Password, who.session()); err != nil {
		return nil, answerForAccount(err)
	}
	a.grants.changed()
	a.by(ctx).Note("", station.EventChange, "account "+who.account.Name+" has another password, by its owner")
	return nil, nil
}

const issuer = "Webostrum"

// newSecond makes the secret of a second factor (RFC 6238). It holds once a code of it
// has come back.
func (a *API) newSecond(ctx context.Context, _ *struct{}) (*struct{ Body apitypes.SecondFactor }, error) {
	key, err := totp.Generate(totp.GenerateOpts{Issuer: issuer, AccountName: callerOf(ctx).account.Name})
	if err != nil {
		return nil, answerFor(err)
	}
	return &struct{ Body apitypes.SecondFactor }{apitypes.SecondFactor{Secret: key.Secret(), URL: key.URL()}}, nil
}

func (a *API) setSecond(ctx context.Context, in *struct{ Body apitypes.SecondCode }) (*struct{}, error) {
	who := callerOf(ctx)
	now := time.Now()
	if in.Body.Secret != "" && len(who.account.SecondSealed) > 0 {
		return nil, refused("secret", "there is a second factor already: take it away by a code of it first")
	}
	settle, wait := a.throttle.Reserve(who.from, who.account.Name, true, now)
	if wait > 0 {
		_, p := tooOften(wait)
		return nil, p
	}
	secret, what := in.Body.Secret, "account "+who.account.Name+" has a second factor"
	var err error
	if secret == "" {
		what = "account " + who.account.Name + " has a second factor no longer"
		if secret, err = a.store.Second(who.account); err != nil {
			settle(true)
			return nil, answerFor(err)
		}
	}
	_, right := stepOf(secret, in.Body.Code, now)
	settle(right)
	if !right {
		return nil, refusedAs(fault.CodeWrong, "code", "is wrong")
	}
	if err := a.store.SetSecond(who.account, in.Body.Secret); err != nil {
		return nil, answerForAccount(err)
	}
	if in.Body.Secret != "" {
		if err := a.store.DropSessions(who.account, who.session()); err != nil {
			return nil, answerFor(err)
		}
	}
	a.grants.changed()
	a.by(ctx).Note("", station.EventChange, what)
	return nil, nil
}

const stepSeconds = 30 // RFC 6238, 5.2

// stepOf says whether a code is a secret's now, or was just before, or will be in a
// moment, for clocks that differ; step is when.
func stepOf(secret, code string, now time.Time) (step int64, right bool) {
	code = strings.ReplaceAll(strings.TrimSpace(code), " ", "")
	for _, off := range []int64{0, -1, 1} {
		at := now.Unix()/stepSeconds + off
		want, err := totp.GenerateCode(secret, time.Unix(at*stepSeconds, 0))
		if err == nil && len(code) == len(want) && code == want {
			return at, true
		}
	}
	return 0, false
}

// checkSecond checks the code of an account that has a second factor.
func (a *API) checkSecond(who *store.Account, code string, now time.Time) error {
	secret, err := a.store.Second(who)
	switch {
	case err != nil || secret == "":
		return err
	case code == "":
		return fault.New(fault.CodeNeeded, nil, "")
	}
	step, right := stepOf(secret, code, now)
	if right {
		right, err = a.store.TakeStep(who, step)
	}
	if err == nil && !right {
		err = fault.New(fault.CodeWrong, nil, "")
	}
	return err
}
