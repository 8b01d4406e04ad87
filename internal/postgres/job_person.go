package postgres

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
)

// jobsOf gives what is kept of somebody's jobs.
func jobsOf(ctx context.Context, tx pgx.Tx, names []string) ([]directory.PastJob, error) {
	rows, err := tx.Query(ctx, "SELECT id, queue, name, state, device, coalesce(impressions, pages, 0), bytes, kept, "+
		"charge, at, ended FROM job WHERE folded(owner) = ANY($1) ORDER BY id", names)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[directory.PastJob])
}

// eraseJobs takes somebody out of all jobs: what waits is cancelled and its document erased, what is at a device is to
// be cancelled there, and what is left says of nobody whose it was. What they had reserved is given back with their
// balances.
func eraseJobs(ctx context.Context, tx pgx.Tx, names []string, stands string) error {
	const theirs = "(SELECT id FROM job WHERE folded(owner) = ANY($1))"
	for _, sql := range []string{
		"DELETE FROM job_document WHERE job IN " + theirs,
		"DELETE FROM job_chunk WHERE job IN " + theirs,
		"DELETE FROM job_reservation WHERE person = ANY($1) OR job IN " + theirs,
		"DELETE FROM allowance_balance WHERE person = ANY($1)",
		"UPDATE job_event SET says = '', person = CASE WHEN person = '' THEN '' ELSE $2 END WHERE job IN " + theirs +
			" OR folded(person) = ANY($1)",
		`UPDATE job SET state = 'canceled', ended = clock_timestamp(), reasons = '{job-canceled-by-operator}', sender = '',
			lease_ends = NULL, due = NULL, wakes = NULL WHERE folded(owner) = ANY($1) AND (state IN ('pending', 'pending-held')
			OR state = 'processing-stopped' AND unknown)`,
		`UPDATE job SET owner = $2, known = false, name = '', says = '', kept = false, erase_at = NULL, raw = NULL,
			asked = '{}', defaults = '{}', did = '{}', replaced = '[]', origin = '{}', charge = '',
			stopping = state NOT IN ('completed', 'canceled', 'aborted') WHERE folded(owner) = ANY($1)`,
	} {
		args := []any{names, stands}
		if !strings.Contains(sql, "$2") {
			args = args[:1]
		}
		if _, err := tx.Exec(ctx, sql, args...); err != nil {
			return err
		}
	}
	return nil
}
