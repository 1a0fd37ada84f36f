package api

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/store"
)

// mostTokens bounds the tokens for programs.
const mostTokens = 1000

func tokenView(t store.OwnedToken) apitypes.Token {
	v := apitypes.Token{ID: t.ID, Account: t.Account, Created: t.CreatedAt.UTC(), Used: t.UsedAt}
	v.Name, v.Scope, v.Feeds = t.Name, t.Scope, t.Feeds
	if t.ExpiresAt.Before(store.Never) {
		ends := t.ExpiresAt.UTC()
		v.Ends = &ends
	}
	return v
}

func (a *API) listTokens(context.Context, *struct{}) (*struct{ Body apitypes.TokenList }, error) {
	list, err := a.store.Tokens(store.TokenAPI, "", time.Now())
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.TokenList{Tokens: []apitypes.Token{}}
	for _, t := range list {
		out.Tokens = append(out.Tokens, tokenView(t))
	}
	return &struct{ Body apitypes.TokenList }{out}, nil
}

func (a *API) addToken(ctx context.Context, in *struct{ Body apitypes.NewToken }) (*struct{ Body apitypes.Token }, error) {
	b, now := in.Body, time.Now()
	t := &store.Token{Kind: store.TokenAPI, Name: b.Name, Scope: b.Scope, Feeds: b.Feeds, ExpiresAt: store.Never}
	switch media := access.Scope(b.Scope) == access.Media; {
	case media && len(b.Feeds) == 0:
		return nil, refused("feeds", "name the feeds whose media it opens")
	case !media && len(b.Feeds) > 0:
		return nil, refused("feeds", "only a token for media is for feeds")
	case b.Ends != nil && !b.Ends.After(now):
		return nil, refused("ends", b.Ends.UTC().Format(time.RFC3339)+" has passed")
	case b.Ends != nil:
		t.ExpiresAt = *b.Ends
	}
	list, err := a.store.Tokens(store.TokenAPI, "", now)
	if err != nil {
		return nil, answerFor(err)
	}
	if len(list) >= mostTokens {
		return nil, refused("name", fmt.Sprintf("there can be %d tokens; end some first", mostTokens))
	}
	who := callerOf(ctx).account
	text, err := a.store.NewToken(who, t)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil, refused("feeds", "one of the feeds is not there")
	case errors.Is(err, store.ErrTaken):
		return nil, refused("feeds", "a feed stands there twice")
	case err != nil:
		return nil, answerFor(err)
	}
	a.by(ctx).Note("", station.EventChange, "token "+t.Name+" was made, for "+t.Scope)
	v := tokenView(store.OwnedToken{Token: *t, Account: who.Name})
	v.Text = text
	return &struct{ Body apitypes.Token }{v}, nil
}

type tokenPath struct {
	ID int64 `path:"id" minimum:"1" example:"12"`
}

func (a *API) endToken(ctx context.Context, in *tokenPath) (*struct{}, error) {
	return nil, a.dropToken(ctx, store.TokenAPI, "", in.ID, func(t store.OwnedToken) string { return "token " + t.Name + " was ended" })
}

// dropToken ends a token or session, of an account or with the empty name of any, and
// tells of it.
func (a *API) dropToken(ctx context.Context, kind, account string, id int64, tell func(store.OwnedToken) string) error {
	list, err := a.store.Tokens(kind, account, time.Now())
	if err != nil {
		return answerFor(err)
	}
	i := slices.IndexFunc(list, func(t store.OwnedToken) bool { return t.ID == id })
	if i < 0 {
		return answerFor(fault.New(fault.TokenUnknown, nil, ""))
	}
	if err := a.store.RemoveToken(kind, id); err != nil && !errors.Is(err, store.ErrNotFound) {
		return answerFor(err)
	}
	a.grants.changed()
	a.by(ctx).Note("", station.EventChange, tell(list[i]))
	return nil
}

// listSessions lists the caller's own sessions; engineers may ask for those of all.
func (a *API) listSessions(ctx context.Context, in *struct {
	All bool `query:"all" doc:"Those of all accounts; engineers only"`
}) (*struct{ Body apitypes.SessionList }, error) {
	who := callerOf(ctx)
	account := who.account.Name
	if in.All {
		if err := permitted(who, needsEngineer); err != nil {
			return nil, answerFor(err)
		}
		account = ""
	}
	list, err := a.store.Tokens(store.TokenSession, account, time.Now())
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.SessionList{Sessions: []apitypes.BrowserSession{}}
	for _, t := range list {
		out.Sessions = append(out.Sessions, apitypes.BrowserSession{
			ID: t.ID, Account: t.Account, Address: t.Address, Browser: t.Browser, Created: t.CreatedAt.UTC(), Used: t.UsedAt, Ends: t.ExpiresAt.UTC(),
			Own: t.ID == who.session(),
		})
	}
	return &struct{ Body apitypes.SessionList }{out}, nil
}

// endSession ends a session of the caller's own; engineers may end any.
func (a *API) endSession(ctx context.Context, in *tokenPath) (*struct{}, error) {
	account := ""
	if who := callerOf(ctx); !who.engineer() {
		account = who.account.Name
	}
	return nil, a.dropToken(ctx, store.TokenSession, account, in.ID, func(t store.OwnedToken) string { return "a session of " + t.Account + " was ended" })
}
