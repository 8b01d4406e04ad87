package lineups

import (
	"context"

	"cirque/core/access"
	"cirque/core/lineup"
	"cirque/core/promise"
	"cirque/internal/service/present"
)

// Promises holds an estate, the current one, another revision or one's own draft, against its promises.
func (s *Room) Promises(ctx context.Context, p *access.Principal, when present.When) ([]promise.Verdict, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return nil, err
	}
	return s.present.Verdicts(snap.World), nil
}

// Findings remarks on an estate: the current one, another revision or one's own draft.
func (s *Room) Findings(ctx context.Context, p *access.Principal, when present.When) ([]lineup.Finding, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return nil, err
	}
	return append([]lineup.Finding{}, s.present.Remarks(snap.World, s.present.Verdicts(snap.World),
		snap.Findings())...), nil
}
