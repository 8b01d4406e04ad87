package people

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/name"
)

// Note gives what is written down about a person, under any of their names, or a machine; one without text where
// nothing is.
func (s *Room) Note(ctx context.Context, p *access.Principal, kind, called string) (directory.WrittenNote, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return directory.WrittenNote{}, err
	}
	n := directory.WrittenNote{Kind: kind, Name: called}
	if err := n.Check(); err != nil {
		return n, err
	}
	list, err := s.store.Notes(ctx, kind, s.noteNames(kind, called))
	if err != nil || len(list) == 0 {
		return n, err
	}
	// Names that have become one person's may have had a note each.
	n = list[0]
	for _, more := range list[1:] {
		n.Says += "\n" + more.Says
	}
	return n, nil
}

func (s *Room) noteNames(kind, called string) []string {
	if kind == "person" {
		return s.present.View().NamesOf(called)
	}
	return []string{name.Fold(called)}
}

// SetNote writes down what there is to know about a person or a machine, in place of what was written before; without
// text nothing is written down any more. A note about a name that nothing knows would never be read: it is refused.
func (s *Room) SetNote(ctx context.Context, p *access.Principal, n directory.WrittenNote) (directory.WrittenNote,
	error) {
	if err := access.Check(p, access.WriteNotes); err != nil {
		return n, err
	}
	if err := n.Check(); err != nil {
		return n, err
	}
	if err := s.knownSubject(ctx, n); err != nil {
		return n, err
	}
	now := s.now()
	n.Author, n.At = p.Name, &now
	// What it says is left out: whoever is erased later is not to stand in the audit.
	e := event.Event{Kind: event.NoteWritten, Subject: n.Name, Author: p.Name}.Saying("A note about {name} was written",
		"name", event.Person(n.Name))
	if n.Says == "" {
		e = event.Event{Kind: event.NoteWritten, Subject: n.Name, Author: p.Name}.Saying("The note about {name} was taken "+
			"away", "name", event.Person(n.Name))
	}
	others := slices.DeleteFunc(s.noteNames(n.Kind, n.Name), func(o string) bool { return o == name.Fold(n.Name) })
	return n, s.store.SetNote(ctx, n, others, e)
}

// knownSubject refuses a note about what nothing knows; what was written can always be taken away.
func (s *Room) knownSubject(ctx context.Context, n directory.WrittenNote) error {
	switch {
	case n.Says == "":
		return nil
	case n.Kind == "person":
		return s.cfg.Known.KnownPerson(ctx, n.Name)
	}
	return s.cfg.Known.KnownMachine(ctx, n.Name)
}

// AllNotes lists every note of a kind, or of all where that is empty, by name.
func (s *Room) AllNotes(ctx context.Context, p *access.Principal, kind string) ([]directory.WrittenNote, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	list, err := s.store.Notes(ctx, kind, nil)
	return append([]directory.WrittenNote{}, list...), err
}
