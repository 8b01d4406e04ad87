// Package fault holds the kinds of error that Cirque speaks of: each with a stable code for programs, a sentence
// for a person and, where there is one, the fix. It imports nothing of Cirque's.
package fault

import (
	"errors"
	"fmt"
	"strings"
)

// Kind is the sort of failure; surfaces map it to a status or an exit code.
type Kind string

// The kinds.
const (
	Invalid     Kind = "invalid"     // the input is wrong: mend it and send it again
	Unknown     Kind = "unknown"     // what was named is not there
	Conflict    Kind = "conflict"    // somebody else's change is in the way
	Unsigned    Kind = "unsigned"    // nobody is signed in
	Denied      Kind = "denied"      // signed in, but not allowed
	TooMany     Kind = "too-many"    // slow down
	TooLarge    Kind = "too-large"   // over a limit
	Unavailable Kind = "unavailable" // something that Cirque depends on does not answer
	Internal    Kind = "internal"    // Cirque's own fault
)

// MaybeDone is the code of a change that may have been done: the answer to it was lost.
const MaybeDone = "may-have-been-done"

// A Detail is one place where something is wrong, such as one line of a file.
type Detail struct {
	Place string `json:"place,omitempty"` // such as "estate.yaml:12"
	Key   string `json:"key,omitempty"`   // of the object at the place, where it is about one
	What  string `json:"what"`
	Fix   string `json:"fix,omitempty"`
}

func (d Detail) String() string {
	var b strings.Builder
	if d.Place != "" {
		b.WriteString(d.Place + ": ")
	}
	b.WriteString(d.What)
	if d.Fix != "" {
		b.WriteString("; " + d.Fix)
	}
	return b.String()
}

// An Error is a failure that a person can act on.
type Error struct {
	Kind    Kind
	Code    string // stable, kebab-case, such as "estate-invalid"
	What    string // one sentence, no full stop
	Fix     string // what to do about it, may be empty
	Details []Detail
	Err     error // the cause, may be nil; never shown to clients
}

func (e *Error) Error() string {
	s := e.What
	if e.Fix != "" {
		s += "; " + e.Fix
	}
	if e.Err != nil {
		s += ": " + e.Err.Error()
	}
	return s
}

// Unwrap gives the cause.
func (e *Error) Unwrap() error { return e.Err }

// New makes an error of a kind with its code, sentence and fix.
func New(kind Kind, code, fix, format string, args ...any) *Error {
	return &Error{Kind: kind, Code: code, What: fmt.Sprintf(format, args...), Fix: fix}
}

// Because adds the cause, for logs.
func (e *Error) Because(err error) *Error {
	c := *e
	c.Err = err
	return &c
}

// MostDetails is how many places an Error tells; nobody reads more.
const MostDetails = 50

// With adds the single places; of very many the first, and how many more there are.
func (e *Error) With(details []Detail) *Error { return e.WithFirst(details, len(details)) }

// WithFirst adds the first of so many places in all.
func (e *Error) WithFirst(details []Detail, all int) *Error {
	c := *e
	c.Details = details[:min(len(details), MostDetails):min(len(details), MostDetails)]
	if more := all - len(c.Details); more > 0 {
		c.Details = append(c.Details, Detail{What: fmt.Sprintf("%d more problems are not listed", more),
			Fix: "mend these first"})
	}
	return &c
}

// As finds the Error in err's chain, or wraps err as an internal one. As(nil) is nil.
func As(err error) *Error {
	if err == nil {
		return nil
	}
	if e, ok := errors.AsType[*Error](err); ok {
		return e
	}
	return &Error{Kind: Internal, Code: "internal", What: "something went wrong inside Cirque",
		Fix: "the service's log has the cause", Err: err}
}

// Is says whether err is of the kind.
func Is(err error, kind Kind) bool {
	e, ok := errors.AsType[*Error](err)
	return ok && e.Kind == kind
}
