package drafts

import (
	"context"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fleet"
	"cirque/core/name"
)

// confined gives changes of a base as somebody may make them, without those that come to nothing then.
func confined(p *access.Principal, a access.Action, base *estate.Document, changes []estate.Change) []estate.Change {
	if p.MayAt(a, "") {
		return changes
	}
	return estate.Changes(base, base.With(access.Confine(p, a, base.With(changes), changes)))
}

// mayPublish gives a Denied fault unless what changes lies at somebody's sites, and reaches nothing but them.
func (s *Room) mayPublish(ctx context.Context, p *access.Principal, before, after *estate.Document,
	changes []estate.Change) error {
	if err := access.CheckChanges(p, access.Publish, before, after, changes); err != nil {
		return err
	}
	if p.MayAt(access.Publish, "") {
		return nil
	}
	elsewhere, err := s.elsewhere(ctx)
	if err != nil {
		return err
	}
	return access.CheckReach(p, access.Publish, before, after, changes, elsewhere)
}

// elsewhere knows machines by the directory, and by where their agents reported from.
func (s *Room) elsewhere(ctx context.Context) (access.Elsewhere, error) {
	var reported func(folded string) *fleet.Judgement
	if s.fleet != nil {
		var err error
		if reported, err = s.fleet.Reported(ctx); err != nil {
			return nil, err
		}
	}
	view := s.present.View()
	return func(machine string) (site string, known bool) {
		if m, ok := view.World.Directory.Machine(machine); ok {
			if known = true; m.Location != "" {
				return estate.Site(m.Location), true
			}
		}
		if reported != nil {
			if j := reported(name.Fold(machine)); j != nil {
				return estate.Site(j.Location), true
			}
		}
		return "", known
	}, nil
}
