package present

import "context"

type heldKey int

const (
	draftState heldKey = iota
	revisionNumber
)

// A DraftState is one state of a draft. A draft that was thrown away and begun anew has another ID.
type DraftState struct{ ID, Version int64 }

// HoldToDraft has a change of a draft be refused (a Conflict fault, draft-moved) unless it is made on this state.
func HoldToDraft(ctx context.Context, state DraftState) context.Context {
	return context.WithValue(ctx, draftState, state)
}

// HeldToDraft gives the state that a draft must have, if one was named.
func HeldToDraft(ctx context.Context) (state DraftState, held bool) {
	state, held = ctx.Value(draftState).(DraftState)
	return state, held
}

// HoldToRevision has publishing be refused (a Conflict fault, estate-moved) unless this revision is current.
func HoldToRevision(ctx context.Context, number int64) context.Context {
	return context.WithValue(ctx, revisionNumber, number)
}

// HeldToRevision gives the revision that must be current, if one was named.
func HeldToRevision(ctx context.Context) (number int64, held bool) {
	number, held = ctx.Value(revisionNumber).(int64)
	return number, held
}
