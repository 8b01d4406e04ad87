package lineups

import (
	"context"

	"cirque/core/access"
	"cirque/core/lineup"
	"cirque/internal/service/present"
)

// Findings remarks on an estate: the current one, another revision or one's own draft.
func (s *Room) Findings(ctx context.Context, p *access.Principal, when present.When) ([]lineup.Finding, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return nil, err
	}
	return append([]lineup.Finding{}, s.present.Stock().Remarks(snap.Document(), snap.Findings())...), nil
}
