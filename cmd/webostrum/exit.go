package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/fault"
)

// The exit codes that scripts can rely on.
const (
	exitFailed      = 1
	exitUsage       = 2
	exitNotFound    = 3
	exitRefused     = 4
	exitUnreachable = 5
)

// wrongUsage is an error of whoever typed the command.
type wrongUsage struct{ error }

func usagef(format string, args ...any) error { return wrongUsage{fmt.Errorf(format, args...)} }

func usageError(_ context.Context, c *cli.Command, err error, _ bool) error {
	return usagef("%w; \"%s --help\" lists what there is", err, c.FullName())
}

var classExit = map[fault.Class]int{
	fault.ClassUsage:       exitUsage,
	fault.ClassNotFound:    exitNotFound,
	fault.ClassRefused:     exitRefused,
	fault.ClassUnreachable: exitUnreachable,
}

var statusExit = map[int]int{
	http.StatusUnprocessableEntity: exitUsage,
	http.StatusBadRequest:          exitUsage,
	http.StatusNotFound:            exitNotFound,
	http.StatusUnauthorized:        exitRefused,
	http.StatusForbidden:           exitRefused,
	http.StatusConflict:            exitRefused,
	http.StatusTooManyRequests:     exitRefused,
}

func exitCode(err error) int {
	var u wrongUsage
	var p *apitypes.Problem
	var f *fault.Error
	code := 0
	switch {
	case errors.As(err, &u):
		code = exitUsage
	case errors.Is(err, client.ErrUnreachable):
		code = exitUnreachable
	case errors.As(err, &f):
		code = classExit[f.Kind.Class]
	case errors.As(err, &p):
		if k, ok := fault.Lookup(fault.Code(p.Code)); ok {
			code = classExit[k.Class]
		} else {
			code = statusExit[p.Status]
		}
	}
	if code == 0 {
		return exitFailed
	}
	return code
}

// explain says what happened and what to do next.
func explain(err error) string {
	var p *apitypes.Problem
	var f *fault.Error
	switch {
	case errors.As(err, &f):
		return wrap(f.Error(), "") + "\n" + wrap(f.Kind.Remedy, "  ") + "\n  [" + string(f.Kind.Code) + "]"
	case errors.As(err, &p):
		return problemText(p)
	}
	return "webostrum: " + err.Error()
}

func problemText(p *apitypes.Problem) string {
	var b strings.Builder
	b.WriteString(wrap(firstOf(p.Detail, p.Title), ""))
	for _, e := range p.Errors {
		if e.Message == p.Detail {
			continue // said already
		}
		fmt.Fprintf(&b, "\n  %s: %s", flagOf(e.Location), e.Message)
	}
	if p.Remedy != "" {
		b.WriteString("\n" + wrap(p.Remedy, "  "))
	}
	if p.Code != "" {
		b.WriteString("\n  [" + p.Code + "]")
	}
	return b.String()
}

// wrap breaks a text into lines that a terminal shows whole.
func wrap(text, indent string) string {
	const width = 100
	var b strings.Builder
	b.WriteString(indent)
	used := len(indent)
	for i, word := range strings.Fields(text) {
		if i > 0 && used+1+len(word) > width {
			b.WriteString("\n" + indent)
			used = len(indent)
		} else if i > 0 {
			b.WriteByte(' ')
			used++
		}
		b.WriteString(word)
		used += len(word)
	}
	return b.String()
}

func isUnreachable(err error) bool { return errors.Is(err, client.ErrUnreachable) }

func firstOf(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}
