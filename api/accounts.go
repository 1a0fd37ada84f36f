package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"webostrum/station"
	"webostrum/store"
)



type accountPath struct {
	Account string `path:"account" maxLength:"64" doc:"Name of the account"`
}

func accountView(a store.Account) AccountView {
	return AccountView{a.Name, string(a.Role), a.CreatedAt.UTC()}
}

func (a *API) listAccounts(context.Context, *struct{}) (*struct {
	Body struct {
		Accounts []AccountView `json:"accounts"`
	}
}, error) {
	list, err := a.store.ListAccounts()
	if err != nil {
		return nil, answerFor(err)
	}
	out := &struct {
		Body struct {
			Accounts []AccountView `json:"accounts"`
		}
	}{}
	out.Body.Accounts = []AccountView{}
	for _, acc := range list {
		out.Body.Accounts = append(out.Body.Accounts, accountView(acc))
	}
	return out, nil
}

func (a *API) addAccount(_ context.Context, in *struct{ Body NewAccount }) (*struct{ Body AccountView }, error) {
	acc, err := a.store.AddAccount(in.Body.Name, store.Role(in.Body.Role), in.Body.Password)
	switch {
	case errors.Is(err, store.ErrTaken):
		return nil, newProblem(http.StatusConflict, "account-name-taken", "There is an account of that name already.", "Choose another name, or give that account another password.")
	case err != nil:
		return nil, answerFor(err)
	}
	a.station.Note("", station.EventChange, "account "+acc.Name+" was added")
	return &struct{ Body AccountView }{accountView(*acc)}, nil
}

func (a *API) removeAccount(_ context.Context, in *accountPath) (*struct{}, error) {
	if in.Account == store.FirstAccount {
		return nil, newProblem(http.StatusConflict, "account-needed", "The first account is the command line's; it cannot be removed.", "Give it another password instead.")
	}
	if err := a.store.RemoveAccount(in.Account); err != nil {
		return nil, answerForAccount(err)
	}
	a.station.Note("", station.EventChange, "account "+in.Account+" was removed")
	return nil, nil
}

func (a *API) setPassword(_ context.Context, in *struct {
	Account string `path:"account" maxLength:"64" doc:"Name of the account"`
	Body    struct {
		Password string `json:"password" minLength:"8" maxLength:"72" doc:"8 to 72 characters"`
	}
}) (*struct{}, error) {
	if err := a.store.SetPassword(in.Account, in.Body.Password); err != nil {
		return nil, answerForAccount(err)
	}
	a.station.Note("", station.EventChange, "account "+in.Account+" has another password")
	return nil, nil
}

func answerForAccount(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return newProblem(http.StatusNotFound, "account-unknown", "There is no account of that name.", "List the accounts to see which there are.")
	}
	return answerFor(err)
}


func (a *API) listLinks(_ context.Context, in *feedPath) (*struct {
	Body struct {
		Links []Link `json:"links"`
	}
}, error) {
	list, err := a.store.Links(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	out := &struct {
		Body struct {
			Links []Link `json:"links"`
		}
	}{}
	out.Body.Links = []Link{}
	for _, l := range list {
		out.Body.Links = append(out.Body.Links, Link{Name: l.Name, Created: l.CreatedAt.UTC()})
	}
	return out, nil
}

func (a *API) addLink(_ context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Body struct {
		Name string `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" minLength:"1" maxLength:"40" doc:"What it is for"`
	}
}) (*struct{ Body Link }, error) {
	l, text, err := a.store.AddLink(in.Name, in.Body.Name)
	switch {
	case errors.Is(err, store.ErrTaken):
		return nil, conflict("The feed has a link of that name already.")
	case err != nil:
		return nil, answerFor(err)
	}
	a.station.Note(in.Name, station.EventChange, "link "+l.Name+" was made")
	return &struct{ Body Link }{Link{l.Name, l.CreatedAt.UTC(), "/media/" + in.Name + "/link/" + text + "/"}}, nil
}

func (a *API) removeLink(_ context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the feed"`
	Link string `path:"link" maxLength:"40" doc:"Name of the link"`
}) (*struct{}, error) {
	if _, err := a.station.Get(in.Name); err != nil {
		return nil, answerFor(err)
	}
	err := a.store.RemoveLink(in.Name, in.Link)
	if errors.Is(err, store.ErrNotFound) {
		return nil, newProblem(http.StatusNotFound, "link-unknown", "The feed has no link of that name.", "List the feed's links to see which there are.")
	}
	if err == nil {
		a.station.Note(in.Name, station.EventChange, "link "+in.Link+" was removed")
	}
	return nil, answerFor(err)
}
