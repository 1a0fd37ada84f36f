package api

import (
	"errors"
	"fmt"
	"net/http"
	"sync"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

// refused is a problem with one field of the input.
func refused(field, why string) *apitypes.Problem { return refusedAs(fault.Input, field, why) }

func refusedAs(code fault.Code, field, why string) *apitypes.Problem {
	p := problem.Of(fault.New(code, nil, ""))
	if code == fault.Input {
		p.Detail = why
	}
	p.Errors = []apitypes.FieldError{{Location: "body." + field, Message: why}}
	return p
}

// taken is a conflict about a name.
func taken(format string, args ...any) *apitypes.Problem {
	p := problem.Of(fault.New(fault.NameTaken, nil, "%s", fmt.Sprintf(format, args...)))
	p.Errors = []apitypes.FieldError{{Location: "body.name", Message: "is taken"}}
	return p
}

var problemsOnce sync.Once

// useProblems makes huma answer its own refusals in our form too. It is huma's
// only way to say so, and the same for every API in the process.
func useProblems() {
	problemsOnce.Do(func() {
		huma.NewError = func(status int, msg string, errs ...error) huma.StatusError {
			p := &apitypes.Problem{Status: status, Title: http.StatusText(status), Detail: msg}
			for _, err := range errs {
				var detail *huma.ErrorDetail
				if errors.As(err, &detail) {
					p.Errors = append(p.Errors, apitypes.FieldError{Location: detail.Location, Message: detail.Message})
				} else if err != nil {
					p.Errors = append(p.Errors, apitypes.FieldError{Message: err.Error()})
				}
			}
			if status == http.StatusUnprocessableEntity || status == http.StatusBadRequest {
				k, _ := fault.Lookup(fault.Input)
				p.Code, p.Detail, p.Remedy = string(k.Code), k.Sentence, k.Remedy
			}
			return p
		}
	})
}

// answerFor turns an error into the problem that the caller gets.
func answerFor(err error) error {
	var f *fault.Error
	switch {
	case err == nil:
		return nil
	case errors.As(err, &f): // before the records' own errors, which may be its cause
		return problem.Of(f)
	case errors.Is(err, store.ErrNotFound):
		return problem.Of(fault.New(fault.FeedUnknown, err, ""))
	case errors.Is(err, store.ErrNoAccount):
		return refused("audience.accounts", err.Error()+"; add the account first")
	case errors.Is(err, store.ErrLastEngineer):
		return problem.Of(fault.New(fault.LastEngineer, err, ""))
	case errors.Is(err, store.ErrChanged):
		return problem.Of(fault.New(fault.AccountChanged, err, ""))
	case errors.Is(err, store.ErrTaken):
		return taken("there is a feed of that name")
	case errors.Is(err, station.ErrClosed):
		return problem.Of(fault.New(fault.Stopping, err, ""))
	}
	return problem.Of(err)
}

// toldTo is what a caller may know of an error of a feed: strangers and viewers are not
// told where the camera is and what it says.
func toldTo(who caller, err error) error {
	var f *fault.Error
	if who.reader() || !errors.As(err, &f) {
		return err
	}
	if f.Kind.Camera() || f.Kind.Code == fault.FeedNotReady && f.Cause != nil {
		return fault.New(fault.CameraAway, nil, "")
	}
	return err
}
