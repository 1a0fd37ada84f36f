// Package barrier keeps a panic in one part of the service from ending all of it.
package barrier

import (
	"fmt"
	"runtime/debug"
)

// PanicError is what a panic becomes.
type PanicError struct {
	Value any
	Stack []byte // of where it happened
}

func (e *PanicError) Error() string { return fmt.Sprintf("an internal error: %v", e.Value) }

// Do calls f, and returns its error, or a *PanicError when it panics.
func Do(f func() error) (err error) {
	defer func() {
		if v := recover(); v != nil {
			err = &PanicError{v, debug.Stack()}
		}
	}()
	return f()
}
