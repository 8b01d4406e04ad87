package adverts

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/advert"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/words"
)

// listEvery is how often a directory's entries are brought into line while nothing changes here: somebody may have
// changed them there.
const listEvery = 5 * time.Minute

// Listings tells how the entries in each directory stand.
func (s *Room) Listings(ctx context.Context, p *access.Principal) ([]advert.Listing, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	list, err := s.store.Listings(ctx)
	return append([]advert.Listing{}, list...), err
}

// entries are the printer entries that follow from the present estate.
func (s *Room) entries() []advert.Entry {
	kept := s.present.Stock()
	return advert.Entries(s.present.View().Document(), s.cfg.PublicURL, func(device string) *advert.Reading {
		d := kept.Device(device).Device
		if d == nil {
			return nil
		}
		return &advert.Reading{Model: d.Model, Colour: d.Colour, TwoSided: d.TwoSided, Sides: d.Supported["sides"],
			Media: d.Supported["media"], Formats: d.Formats}
	})
}

// listGather is for how long changes are gathered, which readings bring all the time, before what they come to is
// looked at.
const listGather = 500 * time.Millisecond

func (s *Room) listAll(ctx context.Context) error {
	notices, stop := s.present.Hub.Subscribe(event.Listing, event.Estate, event.Stock)
	defer stop()
	for ctx.Err() == nil {
		list, _, err := s.store.Sources(ctx)
		if err != nil {
			return err
		}
		lists := slices.ContainsFunc(list, func(v directory.Source) bool { return v.ListUnder != "" && !v.Paused })
		var entries []advert.Entry
		if lists {
			entries = s.entries()
		}
		for _, v := range list {
			if v.ListUnder != "" && !v.Paused && ctx.Err() == nil {
				if err := s.listUndisturbed(ctx, v.Name, entries); err != nil && ctx.Err() == nil {
					s.log.Debug("queues could not be listed", "source", v.Name, "error", err)
				}
			}
		}
		t := time.NewTimer(listEvery)
		var settled <-chan time.Time // when what changed is looked at
		for again := false; !again && ctx.Err() == nil; {
			select {
			case <-ctx.Done():
			case <-t.C:
				again = true
			case n := <-notices:
				switch {
				case n.What == event.Listing || n.What == event.Lost:
					again = true
				case lists && settled == nil:
					settled = time.After(listGather)
				}
			case <-settled:
				settled = nil
				again = !reflect.DeepEqual(entries, s.entries()) // most changes are of something else
			}
		}
		t.Stop()
	}
	return nil
}

// listUndisturbed brings a source's directory into line while nobody withdraws from it.
func (s *Room) listUndisturbed(ctx context.Context, called string, entries []advert.Entry) error {
	return s.runner.Do(ctx, "listing "+called, func(ctx context.Context) error {
		list, sealed, err := s.store.Sources(ctx) // as it is now
		i := slices.IndexFunc(list, func(v directory.Source) bool { return v.Name == called })
		if err != nil || i < 0 || list[i].ListUnder == "" {
			return err
		}
		return s.list(ctx, list[i], sealed[called], entries)
	})
}

// list brings one directory into line, and keeps what came of it.
func (s *Room) list(ctx context.Context, v directory.Source, sealed []byte, entries []advert.Entry) error {
	mine, err := s.store.Listed(ctx, v.Name)
	if err != nil {
		return err
	}
	out := advert.Listing{Source: v.Name, Under: v.ListUnder, At: s.now().UTC()}
	word, err := s.cfg.Passwords.SourcePassword(v, sealed)
	if err == nil {
		out.Pass, err = s.cfg.Dir.ListLDAP(ctx, v, word, entries, mine,
			func(dn string) error { return s.store.ClaimEntry(ctx, v.Name, dn) },
			func(dn string) error { return s.store.ReleaseEntry(ctx, v.Name, dn) })
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	before := advert.Listing{}
	if list, e := s.store.Listings(ctx); e == nil {
		for _, l := range list {
			if l.Source == v.Name {
				before = l
			}
		}
	}
	var events []event.Event
	tell := func(kind, pattern string, pairs ...any) {
		events = append(events, event.Event{Kind: kind, Subject: v.Name, Author: "listing"}.Saying(pattern, pairs...))
	}
	there := out.Added + out.Changed + out.Unchanged
	out.Says = fmt.Sprintf("%s below %s", words.Count(there, "entry is", "entries are"), v.ListUnder)
	switch f := fault.As(err); {
	case f != nil:
		out.Code, out.Says, out.Fix = f.Code, f.What, f.Fix
		if before.Code != f.Code {
			tell(event.ListingBad, "Queues cannot be listed in {source}: {reason}", "source", v.Name, "reason", f.What)
		}
	case before.Code != "":
		tell(event.ListingGood, "Queues are listed again in {source}", "source", v.Name)
	}
	if n := out.Added + out.Changed + out.Removed; n > 0 {
		tell(event.Listed, "Printer entries in {source}: {added} added, {changed} changed, {removed} removed", "source",
			v.Name, "added", out.Added, "changed", out.Changed, "removed", out.Removed)
	}
	if out.Refused == nil {
		out.Refused = []string{}
	}
	if e := s.store.SaveListing(ctx, out, events); e != nil {
		s.log.Warn("how listing stands could not be kept", "source", v.Name, "error", e)
	}
	return err
}

// Withdraw takes every entry of Cirque's out of a directory, and then does what makes it stay out.
func (s *Room) Withdraw(ctx context.Context, v directory.Source, sealed []byte, then func() error) error {
	return s.runner.Do(ctx, "listing "+v.Name, func(ctx context.Context) error {
		if err := s.list(ctx, v, sealed, nil); err != nil {
			f := *fault.As(err)
			f.Fix = strings.TrimSuffix("the printer entries below "+v.ListUnder+" cannot be withdrawn; "+f.Fix, "; ")
			return &f
		}
		return errors.Join(s.store.ForgetListing(ctx, v.Name), then())
	})
}
