package drafts

import (
	"context"
	"fmt"
	"strings"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/promise"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// PublishDraft makes one's own draft the next revision, merged with what has been published since it began.
func (s *Room) PublishDraft(ctx context.Context, p *access.Principal, called, reason string,
	version *int64) (estate.Revision, error) {
	reason, err := publishing(p, reason)
	if err != nil {
		return estate.Revision{}, err
	}
	d, err := publishable(ctx, s, p, called, version)
	if err != nil {
		return estate.Revision{}, err
	}
	return s.publish(ctx, p, &d.Draft, reason, d.From, confined(p, access.Publish, d.From, d.Changes))
}

// publishable gives one's own draft where it changes something, and is as it was when it was looked at.
func publishable(ctx context.Context, s *Room, p *access.Principal, called string,
	version *int64) (estate.DraftSheet, error) {
	d, err := s.Own(ctx, p, called)
	if err != nil {
		return d, err
	}
	if err := onDraft(ctx, d); err != nil {
		return d, err
	}
	switch {
	case version != nil && *version != d.Version:
		return d, fault.New(fault.Conflict, "draft-moved", "look at the draft again", "the draft was changed meanwhile")
	case len(d.Changes) == 0:
		return d, fault.New(fault.Conflict, "draft-empty", "put something into it: cirque estate apply FILE, or edit in the "+
			"console", "the draft %s changes nothing", d.Name)
	}
	return d, nil
}

func publishing(p *access.Principal, reason string) (string, error) {
	if err := access.Check(p, access.Publish); err != nil {
		return "", err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return "", fault.New(fault.Invalid, "reason-missing", "say in a few words why, with -m REASON",
			"a revision needs a reason")
	}
	return reason, nil
}

// Publish makes files the next revision, at once. Publishing what is there already changes nothing, and says so.
func (s *Room) Publish(ctx context.Context, p *access.Principal, files []document.File,
	reason string) (rev estate.Revision, same bool, err error) {
	if reason, err = publishing(p, reason); err != nil {
		return rev, false, err
	}
	doc, err := estate.Parse(files, s.present.Parsing())
	if err != nil {
		return rev, false, err
	}
	current, now, err := s.store.Current(ctx)
	if err != nil {
		return rev, false, err
	}
	if err := onRevision(ctx, current.Number); err != nil {
		return rev, false, err
	}
	changes := confined(p, access.Publish, now, estate.Changes(now, doc))
	if current.Number > 0 && len(changes) == 0 {
		return current, true, nil
	}
	rev, err = s.publish(ctx, p, nil, reason, now, changes)
	return rev, false, err
}

// onRevision refuses what was made on another revision than the current one, where that was to be held to.
func onRevision(ctx context.Context, current int) error {
	if held, ok := present.HeldToRevision(ctx); ok && held != int64(current) {
		return fault.New(fault.Conflict, "estate-moved", "look at it again, and publish once more",
			"revision %d is current by now", current)
	}
	return nil
}

// Revert makes a former revision current again, as a new one.
func (s *Room) Revert(ctx context.Context, p *access.Principal, number int, reason string) (rev estate.Revision,
	same bool, err error) {
	if reason, err = publishing(p, reason); err != nil {
		return rev, false, err
	}
	_, want, err := s.store.Revision(ctx, number)
	if err != nil {
		return rev, false, err
	}
	current, now, err := s.store.Current(ctx)
	if err != nil {
		return rev, false, err
	}
	if err := onRevision(ctx, current.Number); err != nil {
		return rev, false, err
	}
	changes := confined(p, access.Publish, now, estate.Changes(now, want))
	if len(changes) == 0 {
		return current, true, nil
	}
	rev, err = s.publish(ctx, p, nil, reason, now, changes)
	return rev, false, err
}

// publish merges changes of a base, confined already, with the newest revision and makes that the next one.
func (s *Room) publish(ctx context.Context, p *access.Principal, from *estate.Draft, reason string,
	base *estate.Document, changes []estate.Change) (estate.Revision, error) {
	if err := s.mayPublish(ctx, p, base, base.With(changes), changes); err != nil {
		return estate.Revision{}, err
	}
	// One at a time here too: whoever waits for the database's lock holds a connection, and the one that has it needs
	// another.
	select {
	case s.publishes <- struct{}{}:
		defer func() { <-s.publishes }()
	case <-ctx.Done():
		return estate.Revision{}, fault.New(fault.Unavailable, "publish-busy", "try again", "others are publishing")
	}
	rev, err := s.store.Publish(ctx, from, p.Name, reason, func(ctx context.Context,
		current int) (*estate.Document, error) {
		return next(ctx, s, p, base, changes, current)
	})
	if err != nil {
		return rev, err
	}
	// The publisher reads its own writing at once; the others hear of it.
	s.present.Show(ctx, event.Signal{What: event.Estate})
	return rev, nil
}

// next is the document that changes of a base make of the current revision.
func next(ctx context.Context, s *Room, p *access.Principal, base *estate.Document, changes []estate.Change,
	current int) (*estate.Document, error) {
	if err := onRevision(ctx, current); err != nil {
		return nil, err
	}
	theirs, err := s.present.Past.Document(ctx, current)
	if err != nil {
		return nil, err
	}
	merged, conflicts := estate.Merge(base, changes, theirs)
	if merged == nil {
		return nil, s.withConflicts(ctx, fault.New(fault.Conflict, "draft-conflict", "see both sides with cirque draft; "+
			"undo "+
			"your change, or make it again on top of theirs", "the draft clashes with what was published since it began, in %s",
			words.Count(len(conflicts), "object")), p.Name, current, conflicts)
	}
	if len(estate.Changes(theirs, merged)) == 0 && current > 0 {
		return nil, fault.New(fault.Conflict, "draft-published", "discard the draft: cirque draft discard",
			"everything that the draft changes has been published already")
	}
	// Since it began, others may have led to what it changes.
	if err := s.mayPublish(ctx, p, theirs, merged, estate.Changes(theirs, merged)); err != nil {
		return nil, err
	}
	return merged, keeps(ctx, s.present, theirs, merged)
}

// keeps refuses what breaks promises that are kept now, unless whoever publishes says that it may.
func keeps(ctx context.Context, p *present.Present, before, after *estate.Document) error {
	if present.BreaksPromises(ctx) || len(after.Promises) == 0 {
		return nil
	}
	v := p.View()
	held := func(doc *estate.Document) []promise.Verdict {
		return p.Verdicts(lineup.Bind(lineup.Compile(doc, 0, p.Compiling()), v.World.Directory, v.World.Live))
	}
	will := held(after)
	broken := promise.NewlyBroken(nil, will)
	if len(broken) > 0 { // else what is now need not be looked at
		broken = promise.NewlyBroken(held(before), will)
	}
	if len(broken) > 0 {
		return promise.Refuse(broken)
	}
	return nil
}

// withConflicts puts the two sides of conflicts into a fault: what each did to the object, and who published theirs.
func (s *Room) withConflicts(ctx context.Context, err error, me string, current int,
	conflicts []estate.Conflict) error {
	var details []fault.Detail
	refs := make([]estate.Ref, 0, len(conflicts))
	for _, c := range conflicts {
		refs = append(refs, c.Ref)
	}
	last, _ := s.store.LastChanges(ctx, refs, current) // that it clashes is to be said, whoever it was
	for _, c := range conflicts {
		what, whose := c.Says, "since"
		if r, ok := last[c.Ref]; ok {
			whose = fmt.Sprintf("%s in revision %d", r.Author, r.Number)
		}
		if c.Mine != nil && c.Theirs != nil {
			what = fmt.Sprintf("%s; %s has: %s; %s: %s", c.Says, me, describe(c.Mine), whose,
				describe(c.Theirs))
		}
		details = append(details, fault.Detail{Place: c.Ref.String(), What: what, Fix: "undo your change of it, or make it " +
			"again on top of theirs"})
	}
	return fault.As(err).With(details)
}

func describe(d *estate.Diff) string {
	if d.Kind != "changed" {
		return d.Kind
	}
	var out []string
	for _, f := range d.Fields {
		switch {
		case len(f.Gains)+len(f.Loses) > 0:
			text := f.Key
			for _, g := range f.Gains {
				text += " +" + g
			}
			for _, l := range f.Loses {
				text += " -" + l
			}
			out = append(out, text)
		default:
			out = append(out, fmt.Sprintf("%s %q to %q", f.Key, f.Before, f.After))
		}
	}
	return strings.Join(out, ", ")
}
