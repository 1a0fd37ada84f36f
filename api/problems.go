package api

import (
	"errors"
	"net/http"
	"sync"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/store"
)

// Problem is the body of every error answer (RFC 9457), with two members more.
type Problem struct {
	huma.ErrorModel
	Code   string `json:"code,omitempty" doc:"The kind of problem, for programs"`
	Remedy string `json:"remedy,omitempty" doc:"What to do next"`
}

// The codes of problems that are not a camera's.
const (
	codeInput      = "input-refused"
	codeUnknown    = "feed-unknown"
	codeTaken      = "feed-name-taken"
	codeSignIn     = "sign-in-needed"
	codeWrong      = "sign-in-refused"
	codeTooOften   = "sign-in-too-often"
	codeNotAllowed = "not-allowed"
	codeStopping   = "service-stopping"
	codeInternal   = "service-failed"
)

func newProblem(status int, code, detail, remedy string) *Problem {
	return &Problem{
		ErrorModel: huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail},
		Code:       code, Remedy: remedy,
	}
}

// refused is a problem with one field of the input.
func refused(field, why string) *Problem {
	p := newProblem(http.StatusUnprocessableEntity, codeInput, why, "Correct the field and send it again.")
	p.Errors = []*huma.ErrorDetail{{Location: "body." + field, Message: why}}
	return p
}

var problemsOnce sync.Once

// useProblems makes huma answer its own refusals in our form too. It is huma's
// only way to say so, and the same for every API in the process.
func useProblems() {
	problemsOnce.Do(func() {
		huma.NewError = func(status int, msg string, errs ...error) huma.StatusError {
			p := newProblem(status, "", msg, "")
			for _, err := range errs {
				p.Add(err)
			}
			if status == http.StatusUnprocessableEntity || status == http.StatusBadRequest {
				p.Code, p.Remedy = codeInput, "Correct what is named under errors and send it again."
			}
			return p
		}
	})
}

// faultStatus is the HTTP status for a class of fault.
var faultStatus = map[fault.Class]int{
	fault.ClassUsage:       http.StatusUnprocessableEntity,
	fault.ClassNotFound:    http.StatusBadGateway,
	fault.ClassRefused:     http.StatusBadGateway,
	fault.ClassUnreachable: http.StatusBadGateway,
	fault.ClassBroken:      http.StatusBadGateway,
}

// answerFor turns an error into the problem that the caller gets.
func answerFor(err error) error {
	var f *fault.Error
	var p *Problem
	switch {
	case err == nil:
		return nil
	case errors.As(err, &p):
		return p
	case errors.As(err, &f):
		return newProblem(faultStatus[f.Kind.Class], string(f.Kind.Code), f.Error(), f.Kind.Remedy)
	case errors.Is(err, store.ErrNotFound):
		return newProblem(http.StatusNotFound, codeUnknown, "There is no feed of that name.", "List the feeds to see which there are.")
	case errors.Is(err, store.ErrTaken):
		p := newProblem(http.StatusConflict, codeTaken, "There is a feed of that name already.", "Choose another name, or edit that feed.")
		p.Errors = []*huma.ErrorDetail{{Location: "body.name", Message: "is taken"}}
		return p
	case errors.Is(err, station.ErrClosed):
		return newProblem(http.StatusServiceUnavailable, codeStopping, "The service is stopping.", "Try again when it is up.")
	}
	return newProblem(http.StatusInternalServerError, codeInternal, err.Error(), "Look into the service's log.")
}
