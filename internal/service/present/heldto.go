package present

import "context"

type heldKey int

const (
	draftVersion heldKey = iota
	revisionNumber
)

// HoldToDraft has a change of a draft be refused (a Conflict fault, draft-moved) unless it is made on this version.
func HoldToDraft(ctx context.Context, version int64) context.Context {
	return context.WithValue(ctx, draftVersion, version)
}

// HeldToDraft gives the version that a draft must have, if one was named.
func HeldToDraft(ctx context.Context) (version int64, held bool) {
	version, held = ctx.Value(draftVersion).(int64)
	return version, held
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
