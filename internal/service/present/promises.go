package present

import (
	"context"
	"slices"

	"cirque/core/lineup"
	"cirque/core/promise"
)

// Verdicts holds a world's estate against its promises, as it is now.
func (p *Present) Verdicts(w *lineup.World) []promise.Verdict {
	return promise.Verdicts(w, p.cfg.Now())
}

// Remarks are all findings about a world's estate: by its promises and by estate and directory, which are given, and by
// what was read, and what has ended.
func (p *Present) Remarks(w *lineup.World, held []promise.Verdict, found []lineup.Finding) []lineup.Finding {
	return slices.Concat(promise.Findings(held), lineup.Endings(w, p.cfg.Now()), p.Stock().Remarks(w.Estate.Document(),
		found))
}

type breaking struct{}

// BreakingPromises has what is published in a context go on though it breaks promises.
func BreakingPromises(ctx context.Context) context.Context {
	return context.WithValue(ctx, breaking{}, true)
}

// BreaksPromises says whether it may.
func BreaksPromises(ctx context.Context) bool { return ctx.Value(breaking{}) != nil }
