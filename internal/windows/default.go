package windows

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"cirque/core/name"
)

// SetDefault makes a queue one person's default, or everybody's: the system knows defaults of people alone, so
// everybody's is given to each person who is signed in, and to others when they sign in for the first time, where they
// were given none of their own.
func (s *Spooler) SetDefault(_ context.Context, called, person string) error {
	k, err := s.kept()
	if err != nil {
		return err
	}
	in, err := s.nameOf(k, called, person)
	if err != nil {
		return err
	}
	if person != "" {
		login := s.login(person)
		if err := s.parts.People.SetDefault(login, in); err != nil {
			return err
		}
		k.Given[name.Fold(login)] = called
		return s.keep(k)
	}
	before := k.Default
	k.Default = called
	var failed []error
	for login := range s.people {
		if own, ok := k.Given[login]; !ok || own == forEverybody+before {
			k.Given[login] = forEverybody + called
			if err := s.parts.People.SetDefault(login, in); err != nil {
				delete(k.Given, login) // at the next sign-in again
				failed = append(failed, fmt.Errorf("for %s: %w", login, err))
			}
		}
	}
	return errors.Join(append(failed, s.keep(k))...)
}

// forEverybody stands before a queue that somebody was given as everybody's default.
const forEverybody = "everybody: "

// nameOf gives the spooler's name of a queue: of the person's own, of everybody's, or of somebody else's.
func (s *Spooler) nameOf(k kept, called, person string) (string, error) {
	for to, m := range k.Connections[name.Fold(s.login(person))] {
		if person != "" && m.Queue == called {
			return to, nil
		}
	}
	all, err := s.queues(k)
	if err != nil {
		return "", err
	}
	for _, is := range []func(q queue) bool{
		func(q queue) bool { return q.is(called, person) },
		func(q queue) bool { return q.is(called, "") },
		func(q queue) bool { return !q.own && strings.EqualFold(q.there.Name, called) },
	} {
		if i := slices.IndexFunc(all, is); i >= 0 {
			return all[i].there.Name, nil
		}
	}
	return "", fmt.Errorf("there is no queue %s", called)
}

// welcome gives everybody's default to those who sign in for the first time.
func (s *Spooler) welcome() {
	k, err := s.kept()
	if err != nil || k.Default == "" {
		return
	}
	in, err := s.nameOf(k, k.Default, "")
	if err != nil {
		return
	}
	changed := false
	for login := range s.people {
		if _, known := k.Given[login]; known {
			continue
		}
		if s.parts.People.SetDefault(login, in) == nil {
			k.Given[login] = forEverybody + k.Default
			changed = true
		}
	}
	if changed {
		_ = s.keep(k) // else it is done once more
	}
}
