package postgres

import (
	"cmp"
	"context"
	"slices"

	"github.com/jackc/pgx/v5"

	"cirque/core/estate"
	"cirque/core/job"
	"cirque/core/name"
)

// reservation is what a job has reserved of one balance.
type reservation struct {
	allowance, person, begins string
	pages                     int
}

// keep ties it to its job.
func (r reservation) keep(ctx context.Context, tx pgx.Tx, id int64) error {
	_, err := tx.Exec(ctx, "INSERT INTO job_reservation (job, allowance, person, begins, pages) VALUES ($1, $2, $3, $4, "+
		"$5) ON CONFLICT (job, allowance) DO UPDATE SET person = $3, begins = $4, pages = $5, counted = NULL", id,
		r.allowance,
		r.person, r.begins, r.pages)
	return err
}

// reserve holds pages against balances of a person, whose rows stay locked until the transaction ends, so that nobody
// else is judged by what is about to change; and reserves where all have room. Balances of an allowance's old names go
// on under its new one. Rows are locked in the order of their names, so that nobody waits for each other.
func reserve(ctx context.Context, tx pgx.Tx, person string, windows []job.Window, pages *int) (job.Judgement,
	[]reservation, error) {
	if len(windows) == 0 {
		return job.Judgement{}, nil, nil
	}
	person = name.Fold(person)
	windows = slices.Clone(windows)
	slices.SortFunc(windows, func(a, b job.Window) int { return cmp.Compare(a.Allowance.Name, b.Allowance.Name) })
	balances := make([]job.Balance, len(windows))
	for i, w := range windows {
		a := w.Allowance
		if len(a.Formerly) > 0 {
			if err := carry(ctx, tx, a, person, w.Begins); err != nil {
				return job.Judgement{}, nil, err
			}
		}
		balances[i] = job.Balance{Allowance: a.Name, Begins: w.Begins, Pages: a.Pages, Over: a.Over}
		if err := tx.QueryRow(ctx, "INSERT INTO allowance_balance (allowance, person, begins) VALUES ($1, $2, $3) ON "+
			"CONFLICT (allowance, person, begins) DO UPDATE SET used = allowance_balance.used RETURNING used, reserved", a.Name,
			person,
			w.Begins).Scan(&balances[i].Used, &balances[i].Reserved); err != nil {
			return job.Judgement{}, nil, err
		}
	}
	verdict := job.Judge(pages, balances)
	var out []reservation
	for i, n := range verdict.Reserve {
		r := reservation{balances[i].Allowance, person, balances[i].Begins, n}
		if _, err := tx.Exec(ctx, "UPDATE allowance_balance SET reserved = reserved + $4 WHERE allowance = $1 AND person = "+
			"$2 AND begins = $3", r.allowance, r.person, r.begins, n); err != nil {
			return verdict, nil, err
		}
		out = append(out, r)
	}
	return verdict, out, nil
}

// carry puts a balance of old names under the allowance's new one, with what jobs have reserved there.
func carry(ctx context.Context, tx pgx.Tx, a estate.Allowance, person, begins string) error {
	_, err := tx.Exec(ctx, `WITH old AS (DELETE FROM allowance_balance WHERE allowance = ANY ($2) AND person = $3 AND
			begins = $4 RETURNING used, reserved),
		moved AS (UPDATE job_reservation SET allowance = $1 WHERE allowance = ANY ($2) AND person = $3 AND begins = $4)
		INSERT INTO allowance_balance (allowance, person, begins, used, reserved)
		SELECT $1, $3, $4, sum(used), sum(reserved) FROM old HAVING count(*) > 0
		ON CONFLICT (allowance, person, begins) DO UPDATE SET used = allowance_balance.used + excluded.used,
			reserved = allowance_balance.reserved + excluded.reserved`, a.Name, a.Formerly, person, begins)
	return err
}

// settle ends what a job has reserved: it is used as the job counts in the end, or given back where end is nil.
func settle(ctx context.Context, tx pgx.Tx, id int64, end *job.End) error {
	rows, err := tx.Query(ctx, "SELECT allowance, person, begins, pages FROM job_reservation WHERE job = $1 AND counted "+
		"IS NULL ORDER BY allowance", id)
	if err != nil {
		return err
	}
	list, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (v reservation, err error) {
		return v, r.Scan(&v.allowance, &v.person, &v.begins, &v.pages)
	})
	if err != nil {
		return err
	}
	for _, r := range list {
		used := 0
		if end != nil {
			used = end.Counts(r.pages)
		}
		if _, err := tx.Exec(ctx, "UPDATE allowance_balance SET reserved = reserved - $4, used = used + $5 WHERE allowance "+
			"= $1 AND person = $2 AND begins = $3", r.allowance, r.person, r.begins, r.pages, used); err != nil {
			return err
		}
		if end == nil {
			_, err = tx.Exec(ctx, "DELETE FROM job_reservation WHERE job = $1 AND allowance = $2", id, r.allowance)
		} else {
			_, err = tx.Exec(ctx, "UPDATE job_reservation SET counted = $3 WHERE job = $1 AND allowance = $2", id, r.allowance,
				used)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
