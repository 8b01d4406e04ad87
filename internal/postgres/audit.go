package postgres

import (
	"context"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
)

// Audit lists the changes and sign-ins that a filter lets through, newest first.
func (s EventTable) Audit(ctx context.Context, want event.Filter) ([]event.Event, error) {
	args := []any{event.Observed()}
	where := []string{"kind <> ALL ($1)"}
	add := func(condition string, v any) {
		args = append(args, v)
		where = append(where, strings.ReplaceAll(condition, "?", "$"+strconv.Itoa(len(args))))
	}
	if want.Since != nil {
		add("at >= ?", *want.Since)
	}
	if want.Until != nil {
		add("at < ?", *want.Until)
	}
	if want.Author != "" {
		add("folded(author) = folded(?)", want.Author)
	}
	if want.Subject != "" {
		add("folded(subject) = folded(?)", want.Subject)
	}
	if want.Kind != "" {
		add("(kind = ? OR split_part(kind, '.', 1) = ?)", want.Kind)
	}
	if want.Before > 0 {
		add("id < ?", want.Before)
	}
	sql := "SELECT id, at, kind, subject, author, says, remote, before, after FROM event WHERE " + strings.Join(where,
		" AND ") + " ORDER BY id DESC"
	if want.Limit > 0 {
		sql += " LIMIT " + strconv.Itoa(want.Limit)
	}
	rows, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[event.Event])
	return out, translate(err)
}
