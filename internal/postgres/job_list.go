package postgres

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"

	"cirque/core/job"
	"cirque/core/name"
)

// JobList lists jobs as a filter has them, the newest first, or those that wait in the order in which they came.
func (s JobTable) JobList(ctx context.Context, f job.Filter) ([]job.Job, error) {
	where, args := jobFilter(f)
	order := "id DESC"
	if f.Oldest {
		order = "id"
	}
	args = append(args, f.Limit)
	rows, err := s.pool.Query(ctx, "SELECT "+jobColumns+" FROM job"+where+fmt.Sprintf(" ORDER BY %s LIMIT $%d", order,
		len(args)), args...)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanJob)
	return out, translate(err)
}

// JobCount counts the jobs that a filter has, so many at most.
func (s JobTable) JobCount(ctx context.Context, f job.Filter, most int) (n int, err error) {
	where, args := jobFilter(f)
	args = append(args, most)
	err = s.pool.QueryRow(ctx, "SELECT count(*) FROM (SELECT FROM job"+where+fmt.Sprintf(" LIMIT $%d", len(args))+") j",
		args...).Scan(&n)
	return n, translate(err)
}

func jobFilter(f job.Filter) (where string, args []any) {
	var all []string
	add := func(sql string, v any) {
		args = append(args, v)
		all = append(all, fmt.Sprintf(sql, len(args)))
	}
	if len(f.Queues) > 0 {
		add("queue = ANY ($%d)", f.Queues)
	}
	if f.Device != "" {
		add("device = $%d", f.Device)
	}
	if len(f.Owners) > 0 {
		folded := make([]string, len(f.Owners))
		for i, o := range f.Owners {
			folded[i] = name.Fold(o)
		}
		add("folded(owner) = ANY ($%d)", folded)
	}
	if len(f.States) > 0 {
		add("state = ANY ($%d)", f.States)
	}
	if f.Open {
		all = append(all, "state NOT IN ('completed', 'canceled', 'aborted')")
	}
	if f.Ended {
		all = append(all, "state IN ('completed', 'canceled', 'aborted')")
	}
	if f.Before > 0 {
		add("id < $%d", f.Before)
	}
	if f.After > 0 {
		add("id > $%d", f.After)
	}
	if f.Since != nil {
		add("at >= $%d", *f.Since)
	}
	if f.Until != nil {
		add("at < $%d", *f.Until)
	}
	if len(all) > 0 {
		where = " WHERE " + strings.Join(all, " AND ")
	}
	return where, args
}

// Balances gives what somebody has used and reserved, in the windows that begin on some dates, by allowance.
func (s JobTable) Balances(ctx context.Context, person string, windows []job.Window) ([]job.Balance, error) {
	out := make([]job.Balance, len(windows))
	for i, w := range windows {
		a := w.Allowance
		out[i] = job.Balance{Allowance: a.Name, Begins: w.Begins, Pages: a.Pages, Over: a.Over}
		if err := s.pool.QueryRow(ctx, "SELECT coalesce(sum(used), 0), coalesce(sum(reserved), 0) FROM "+
			"allowance_balance WHERE (allowance = $1 OR allowance = ANY ($2)) AND person = $3 AND begins = $4", a.Name,
			nonNil(a.Formerly), name.Fold(person),
			w.Begins).Scan(&out[i].Used, &out[i].Reserved); err != nil {
			return nil, translate(err)
		}
	}
	return out, nil
}
