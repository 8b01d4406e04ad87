// Package cmdline is what Cirque's commands have in common, whichever program they are of: how they read words, flags,
// times and spans, how their help is laid out, and how they fail.
package cmdline

import (
	"errors"

	"cirque/core/fault"
)

// Exit codes, the same in every program.
const (
	ExitOK          = 0
	ExitFailed      = 1 // anything that is not below
	ExitUsage       = 2 // the call's words are off
	ExitInvalid     = 3 // what was given is wrong: a file, a context
	ExitUnknown     = 4 // what was named is not there
	ExitDenied      = 5 // not signed in, or not allowed
	ExitConflict    = 6 // somebody else's change, or the present state, is in the way
	ExitUnavailable = 7 // the service, its database or a device does not answer
	ExitNo          = 8 // the question was answered with no, such as why for an absent queue
)

// ExitCodes tells them in help.
const ExitCodes = `Exit codes: 0 done, 1 failed, 2 the call's words are off, 3 what was given is wrong, ` +
	`4 what was named is not there, 5 not signed in or not allowed, 6 something is in the way, ` +
	`7 the service or a device does not answer, ` +
	`8 the answer is no.`

// ErrNo is a question answered with no; all has been said.
var ErrNo = errors.New("no")

// A Usage error is a mistake in the call's words; Fix says how to mend it, if more than the help does.
type Usage struct {
	What, Fix string
}

func (u *Usage) Error() string { return u.What }

// exitOf gives the code for a kind of fault.
func exitOf(k fault.Kind) int {
	switch k {
	case fault.Invalid, fault.TooLarge:
		return ExitInvalid
	case fault.Unknown:
		return ExitUnknown
	case fault.Unsigned, fault.Denied, fault.TooMany:
		return ExitDenied
	case fault.Conflict:
		return ExitConflict
	case fault.Unavailable:
		return ExitUnavailable
	}
	return ExitFailed
}
