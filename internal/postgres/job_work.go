package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/job"
)

// ReadyJobs gives for each queue the first few jobs that wait for a device, in the order in which they came.
func (s JobTable) ReadyJobs(ctx context.Context, each int) ([]job.Job, error) {
	rows, err := s.pool.Query(ctx, `WITH RECURSIVE q(queue) AS (
			(SELECT queue FROM job WHERE state = 'pending' AND kept ORDER BY queue LIMIT 1)
			UNION ALL SELECT (SELECT queue FROM job WHERE state = 'pending' AND kept AND queue > q.queue ORDER BY queue
				LIMIT 1) FROM q WHERE q.queue IS NOT NULL)
		SELECT j.* FROM q, LATERAL (SELECT `+jobColumns+` FROM job WHERE state = 'pending' AND kept AND queue = q.queue AND
			(wakes IS NULL OR wakes <= clock_timestamp()) ORDER BY id LIMIT $1) j WHERE q.queue IS NOT NULL`, each)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanJob)
	return out, translate(err)
}

// JobLoads says how much each device has to do for us.
func (s JobTable) JobLoads(ctx context.Context) (map[string]job.Load, error) {
	rows, err := s.pool.Query(ctx, `SELECT coalesce(d.device, b.device), coalesce(b.n, 0), coalesce(b.active, 0), d.began
		FROM job_device d FULL JOIN (SELECT device, count(*) n, count(*) FILTER (WHERE lease_ends > clock_timestamp())
			active FROM job WHERE state IN ('processing', 'processing-stopped') GROUP BY device) b ON b.device = d.device`)
	if err != nil {
		return nil, translate(err)
	}
	out := map[string]job.Load{}
	var device string
	var l job.Load
	var began *time.Time
	_, err = pgx.ForEachRow(rows, []any{&device, &l.Busy, &l.Active, &began}, func() error {
		if l.Began = (time.Time{}); began != nil {
			l.Began = *began
		}
		out[device] = l
		return nil
	})
	return out, translate(err)
}

// RenewJobs renews the leases of a sender, and gives those jobs that are still its own by their numbers, with whether
// somebody wants them cancelled.
func (s JobTable) RenewJobs(ctx context.Context, sender string, lasts time.Duration) (map[int64]job.Lease, error) {
	rows, err := s.pool.Query(ctx, "UPDATE job SET lease_ends = clock_timestamp() + $2::interval WHERE sender = $1 AND "+
		"state IN ('processing', 'processing-stopped') AND lease_ends > clock_timestamp() RETURNING id, fence, stopping",
		sender, lasts)
	if err != nil {
		return nil, translate(err)
	}
	out := map[int64]job.Lease{}
	var id int64
	var l job.Lease
	_, err = pgx.ForEachRow(rows, []any{&id, &l.Fence, &l.Stopping}, func() error {
		out[id] = l
		return nil
	})
	return out, translate(err)
}

// LeftJobs gives jobs whose sender has ended while they were under way.
func (s JobTable) LeftJobs(ctx context.Context, limit int) ([]job.Job, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+jobColumns+" FROM job WHERE state IN ('processing', 'processing-stopped') "+
		"AND lease_ends <= clock_timestamp() ORDER BY lease_ends LIMIT $1", limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanJob)
	return out, translate(err)
}

// DueJobs gives the numbers of jobs with which it is time for something: they have waited too long, are to be looked at
// again, their finished document goes, or their document never came.
func (s JobTable) DueJobs(ctx context.Context, unfed time.Duration, limit int) ([]int64, error) {
	rows, err := s.pool.Query(ctx, `(SELECT id FROM job WHERE due <= clock_timestamp() AND state IN ('pending',
			'pending-held', 'processing-stopped') AND lease_ends IS NULL ORDER BY due LIMIT $2)
		UNION (SELECT id FROM job WHERE wakes <= clock_timestamp() AND state = 'pending-held' ORDER BY wakes LIMIT $2)
		UNION (SELECT id FROM job WHERE erase_at <= clock_timestamp() ORDER BY erase_at LIMIT $2)
		UNION (SELECT id FROM job WHERE state = 'pending' AND NOT kept AND take <> 'stream' AND changed <
			clock_timestamp() - $1::interval LIMIT $2)`, unfed, limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	return out, translate(err)
}

// ForgetJobs takes out the records of jobs that ended so long ago, and what people printed in windows that began
// before.
func (s JobTable) ForgetJobs(ctx context.Context, after time.Duration, limit int) (n int64, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM job WHERE id IN (SELECT id FROM job WHERE ended < clock_timestamp() - "+
			"$1::interval ORDER BY ended LIMIT $2)", after, limit)
		n = tag.RowsAffected()
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "DELETE FROM allowance_balance WHERE begins <> '' AND begins < to_char(clock_timestamp() - "+
			"$1::interval - interval '32 days', 'YYYY-MM-DD') AND reserved = 0", after)
		return err
	})
	return n, err
}

// KeptDocuments says which of some documents belong to jobs that are there.
func (s JobTable) KeptDocuments(ctx context.Context, ids []int64) (map[int64]bool, error) {
	rows, err := s.pool.Query(ctx, "SELECT job FROM job_document WHERE job = ANY ($1)", ids)
	if err != nil {
		return nil, translate(err)
	}
	list, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	out := make(map[int64]bool, len(list))
	for _, id := range list {
		out[id] = true
	}
	return out, translate(err)
}
