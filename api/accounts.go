package api

import (
	"context"
	"errors"
	"slices"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/store"
)

type accountPath struct {
	Account string `path:"account" maxLength:"64" doc:"Name of the account" example:"wall-panel"`
}

type accountOutput struct{ Body apitypes.Account }

func (a *API) accountView(acc store.Account) apitypes.Account {
	v := apitypes.Account{Name: acc.Name, Role: string(acc.Role), Created: acc.CreatedAt.UTC(), Second: len(acc.SecondSealed) > 0, Feeds: []string{}}
	for _, f := range a.station.List() {
		if rules := f.Rules(); slices.Contains(rules.Named, acc.Name) {
			v.Feeds = append(v.Feeds, rules.Name)
		}
	}
	return v
}

func (a *API) listAccounts(context.Context, *struct{}) (*struct{ Body apitypes.AccountList }, error) {
	list, err := a.store.ListAccounts()
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.AccountList{Accounts: []apitypes.Account{}}
	for _, acc := range list {
		out.Accounts = append(out.Accounts, a.accountView(acc))
	}
	return &struct{ Body apitypes.AccountList }{out}, nil
}

func (a *API) addAccount(ctx context.Context, in *struct{ Body apitypes.NewAccount }) (*accountOutput, error) {
	for _, feed := range in.Body.Feeds {
		if _, err := a.station.Get(feed); err != nil {
			return nil, refused("feeds", "there is no feed "+feed)
		}
	}
	if err := strong(in.Body.Password, in.Body.Name); err != nil {
		return nil, err
	}
	a.people.Lock()
	defer a.people.Unlock()
	acc, err := a.store.AddAccount(in.Body.Name, store.Role(in.Body.Role), in.Body.Password)
	switch {
	case errors.Is(err, store.ErrTaken):
		return nil, taken("there is an account of that name")
	case err != nil:
		return nil, answerFor(err)
	}
	a.by(ctx).Note("", station.EventChange, "account "+acc.Name+" was added, as "+in.Body.Role)
	for _, feed := range in.Body.Feeds {
		_, err := a.by(ctx).EditTelling(feed, tellChanges, func(r *store.Feed) error {
			r.Named = append(r.Named, acc.Name)
			return nil
		})
		if err != nil {
			return nil, answerFor(err)
		}
	}
	return &accountOutput{a.accountView(*acc)}, nil
}

func (a *API) editAccount(ctx context.Context, in *struct {
	Account string `path:"account" maxLength:"64" doc:"Name of the account" example:"wall-panel"`
	Body    apitypes.AccountChange
}) (*accountOutput, error) {
	b := in.Body
	before, err := a.store.AccountByName(in.Account)
	if err != nil {
		return nil, answerForAccount(err)
	}
	if b.Second != nil && *b.Second {
		return nil, refused("second", "a second factor is set up by whoever has it, after signing in")
	}
	if b.Role != "" && store.Role(b.Role) != before.Role {
		if in.Account == store.FirstAccount {
			return nil, answerFor(fault.New(fault.AccountNeeded, nil, ""))
		}
		if err := a.store.SetRole(in.Account, store.Role(b.Role)); err != nil {
			return nil, answerForAccount(err)
		}
		a.by(ctx).Note("", station.EventChange, "account "+in.Account+" was "+string(before.Role)+" and is "+b.Role)
	}
	if b.Second != nil && len(before.SecondSealed) > 0 {
		if err := a.store.SetSecond(before, ""); err != nil {
			return nil, answerForAccount(err)
		}
		a.by(ctx).Note("", station.EventChange, "the second factor of account "+in.Account+" was taken away")
	}
	a.grants.changed()
	after, err := a.store.AccountByName(in.Account)
	if err != nil {
		return nil, answerForAccount(err)
	}
	return &accountOutput{a.accountView(*after)}, nil
}

func (a *API) removeAccount(ctx context.Context, in *accountPath) (*struct{}, error) {
	if in.Account == store.FirstAccount {
		return nil, answerFor(fault.New(fault.AccountNeeded, nil, ""))
	}
	a.people.Lock()
	defer a.people.Unlock()
	if err := a.store.RemoveAccount(in.Account); err != nil {
		return nil, answerForAccount(err)
	}
	a.forget(ctx, in.Account)
	a.grants.changed()
	a.by(ctx).Note("", station.EventChange, "account "+in.Account+" was removed")
	return nil, nil
}

// forget has feeds read anew that named an account, so that another one of its name is
// not let in in its place.
func (a *API) forget(ctx context.Context, account string) {
	for _, f := range a.station.List() {
		rules := f.Rules()
		if !slices.Contains(rules.Named, account) {
			continue
		}
		what := "account " + account + " is no longer named: it was removed"
		if _, err := a.by(ctx).Edit(rules.Name, what, func(*store.Feed) error { return nil }); err != nil {
			a.cfg.Log.Error("a feed could not be read anew", "feed", rules.Name, "error", err)
		}
	}
}

func (a *API) setPassword(ctx context.Context, in *struct {
	Account string `path:"account" maxLength:"64" doc:"Name of the account" example:"wall-panel"`
	Body    apitypes.NewPassword
}) (*struct{}, error) {
	if err := strong(in.Body.Password, in.Account); err != nil {
		return nil, err
	}
	acc, err := a.store.AccountByName(in.Account)
	if err != nil {
		return nil, answerForAccount(err)
	}
	if err := a.store.SetPassword(acc, in.Body.Password, 0); err != nil {
		return nil, answerForAccount(err)
	}
	a.grants.changed()
	a.by(ctx).Note("", station.EventChange, "account "+in.Account+" has another password")
	return nil, nil
}

// strong refuses a password that is guessed too easily.
func strong(password, account string) error {
	if why := access.Weak(password, account); why != "" {
		return refused("password", why)
	}
	return nil
}

func answerForAccount(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return answerFor(fault.New(fault.AccountUnknown, err, ""))
	}
	return answerFor(err)
}
