package directory

import (
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/name"
)

// A WrittenNote is what somebody has written down about a person or a machine. It decides nothing.
type WrittenNote struct {
	Kind   string     `json:"kind" enum:"person,machine"`
	Name   string     `json:"name"`
	Says   string     `json:"says" doc:"Empty where nothing is written down."`
	Author string     `json:"author"`
	At     *time.Time `json:"at" doc:"Null where nothing is written down."`
}

// NoteKinds are what notes are about; an endpoint's is its machine's.
func NoteKinds() []string { return []string{"person", "machine"} }

// noteLongest is how many characters a note may have.
const noteLongest = 2000

// Check brings a note into form: an Invalid fault says what is wrong with it. Without text it stands for none.
func (n *WrittenNote) Check() error {
	n.Says, n.Name = strings.TrimSpace(n.Says), strings.TrimSpace(n.Name)
	switch {
	case !slices.Contains(NoteKinds(), n.Kind):
		return fault.New(fault.Invalid, "note-kind", "write person or machine", "there are no notes about a %q", n.Kind)
	case n.Name == "" || !name.Valid(n.Name):
		return fault.New(fault.Invalid, "note-name", "name whom or what it is about", "%q is no name", n.Name)
	case len([]rune(n.Says)) > noteLongest:
		return fault.New(fault.Invalid, "note-long", "write less, or where it can be found", "a note has at most %d "+
			"characters", noteLongest)
	}
	return nil
}
