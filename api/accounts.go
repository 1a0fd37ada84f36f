package api

import (
	"context"
	"errors"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/store"
)

type accountPath struct {
	Account string `path:"account" maxLength:"64" doc:"Name of the account" example:"wall-panel"`
}

type accountOutput struct{ Body apitypes.Account }

func accountView(a store.Account) apitypes.Account {
	return apitypes.Account{Name: a.Name, Role: string(a.Role), Created: a.CreatedAt.UTC()}
}

func (a *API) listAccounts(context.Context, *struct{}) (*struct{ Body apitypes.AccountList }, error) {
	list, err := a.store.ListAccounts()
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.AccountList{Accounts: []apitypes.Account{}}
	for _, acc := range list {
		out.Accounts = append(out.Accounts, accountView(acc))
	}
	return &struct{ Body apitypes.AccountList }{out}, nil
}

func (a *API) addAccount(_ context.Context, in *struct{ Body apitypes.NewAccount }) (*accountOutput, error) {
	acc, err := a.store.AddAccount(in.Body.Name, store.Role(in.Body.Role), in.Body.Password)
	switch {
	case errors.Is(err, store.ErrTaken):
		return nil, taken("there is an account of that name")
	case err != nil:
		return nil, answerFor(err)
	}
	a.station.Note("", station.EventChange, "account "+acc.Name+" was added")
	return &accountOutput{accountView(*acc)}, nil
}

func (a *API) removeAccount(_ context.Context, in *accountPath) (*struct{}, error) {
	if in.Account == store.FirstAccount {
		return nil, answerFor(fault.New(fault.AccountNeeded, nil, ""))
	}
	if err := a.store.RemoveAccount(in.Account); err != nil {
		return nil, answerForAccount(err)
	}
	a.grants.changed()
	a.station.Note("", station.EventChange, "account "+in.Account+" was removed")
	return nil, nil
}

func (a *API) setPassword(_ context.Context, in *struct {
	Account string `path:"account" maxLength:"64" doc:"Name of the account" example:"wall-panel"`
	Body    apitypes.NewPassword
}) (*struct{}, error) {
	if err := a.store.SetPassword(in.Account, in.Body.Password); err != nil {
		return nil, answerForAccount(err)
	}
	a.grants.changed()
	a.station.Note("", station.EventChange, "account "+in.Account+" has another password")
	return nil, nil
}

func answerForAccount(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return answerFor(fault.New(fault.AccountUnknown, err, ""))
	}
	return answerFor(err)
}

func (a *API) listLinks(_ context.Context, in *feedPath) (*struct{ Body apitypes.LinkList }, error) {
	list, err := a.store.Links(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.LinkList{Links: []apitypes.Link{}}
	for _, l := range list {
		out.Links = append(out.Links, apitypes.Link{Name: l.Name, Created: l.CreatedAt.UTC()})
	}
	return &struct{ Body apitypes.LinkList }{out}, nil
}

func (a *API) addLink(_ context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Body apitypes.NewLink
}) (*struct{ Body apitypes.Link }, error) {
	l, text, err := a.store.AddLink(in.Name, in.Body.Name)
	switch {
	case errors.Is(err, store.ErrTaken):
		return nil, taken("the feed has a link of that name")
	case err != nil:
		return nil, answerFor(err)
	}
	a.station.Note(in.Name, station.EventChange, "link "+l.Name+" was made")
	return &struct{ Body apitypes.Link }{apitypes.Link{Name: l.Name, Created: l.CreatedAt.UTC(), Path: "/media/" + in.Name + "/link/" + text + "/"}}, nil
}

func (a *API) removeLink(_ context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Link string `path:"link" maxLength:"40" doc:"Name of the link" example:"wall-panel"`
}) (*struct{}, error) {
	if _, err := a.station.Get(in.Name); err != nil {
		return nil, answerFor(err)
	}
	err := a.store.RemoveLink(in.Name, in.Link)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil, answerFor(fault.New(fault.LinkUnknown, err, ""))
	case err != nil:
		return nil, answerFor(err)
	}
	a.grants.changed()
	a.station.Note(in.Name, station.EventChange, "link "+in.Link+" was removed")
	return nil, nil
}
