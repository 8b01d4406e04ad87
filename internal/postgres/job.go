package postgres

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"cirque/core/fault"
	"cirque/core/job"
)

// JobTable keeps jobs of the gateway, what happened to them, and the keys of their documents.
type JobTable struct{ db }

// jobBlock is how many numbers of jobs a process takes at once; the sequence steps by it.
const jobBlock = 32

// JobNumbers gives the first of so many numbers that no other job has.
func (s JobTable) JobNumbers(ctx context.Context) (first int64, count int, err error) {
	err = s.pool.QueryRow(ctx, "SELECT nextval('job_number')").Scan(&first)
	return first, jobBlock, translate(err)
}

const jobColumns = "id, queue, owner, known, name, format, bytes, pages, take, state, reasons, says, device, asked, " +
	"defaults, did, replaced, raw, impressions, charge, origin, at, changed, began, sent, ended, due, wakes, kept, " +
	"unknown, far_uri, far_id, far_up, erase_at, tries, stopping, sender, fence, wanted"

func jobFields(j *job.Job) []any {
	return []any{&j.ID, &j.Queue, &j.Owner, &j.Known, &j.Name, &j.Format, &j.Bytes, &j.Pages, &j.Take, &j.State,
		&j.Reasons, &j.Says, &j.Device, &j.Asked, &j.Defaults, &j.Did, &j.Replaced, &j.Raw, &j.Impressions, &j.Charge,
		&j.From, &j.At, &j.Changed, &j.Began, &j.Sent, &j.Ended, &j.Due, &j.Wakes, &j.Kept, &j.Unknown, &j.Far.URI,
		&j.Far.ID, &j.Far.Up, &j.EraseAt, &j.Tries, &j.Stopping, &j.Sender, &j.Fence, &j.To}
}

func scanJob(r pgx.CollectableRow) (j job.Job, err error) { return j, r.Scan(jobFields(&j)...) }

// Job gives one job, with what happened to it.
func (s JobTable) Job(ctx context.Context, id int64) (j job.Job, past []job.Past, err error) {
	err = s.pool.QueryRow(ctx, "SELECT "+jobColumns+" FROM job WHERE id = $1", id).Scan(jobFields(&j)...)
	if err == pgx.ErrNoRows {
		return j, nil, job.NotThere(id)
	}
	if err != nil {
		return j, nil, translate(err)
	}
	rows, err := s.pool.Query(ctx, "SELECT at, event, state, reasons, says, person, device FROM job_event WHERE job = $1 "+
		"ORDER BY id", id)
	if err != nil {
		return j, nil, translate(err)
	}
	past, err = pgx.CollectRows(rows, pgx.RowToStructByPos[job.Past])
	return j, past, translate(err)
}

// AddJob keeps a new job as f makes it: f may hold it against balances, and says what happened; its error refuses the
// job, and nothing is kept.
func (s JobTable) AddJob(ctx context.Context, j *job.Job, f job.Change) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		var reserved []reservation
		h, err := f(j, func(person string, windows []job.Window, pages *int) (job.Judgement, error) {
			verdict, kept, err := reserve(ctx, tx, person, windows, pages)
			reserved = kept
			return verdict, err
		})
		if err != nil {
			return err
		}
		j.Kept = j.Kept || h.Document != nil
		if err := tx.QueryRow(ctx, "INSERT INTO job (id, queue, owner, known, name, format, bytes, pages, take, state, "+
			"reasons, says, device, asked, defaults, raw, charge, origin, due, wakes, kept, began, sender, fence, far_uri, "+
			"lease_ends) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, "+
			"$21, CASE WHEN $22 THEN clock_timestamp() END, $23, $24, $25, CASE WHEN $26 > interval '0' THEN "+
			"clock_timestamp() + $26::interval END) RETURNING at, changed, began", j.ID, j.Queue, j.Owner, j.Known, j.Name,
			j.Format, j.Bytes, j.Pages, j.Take, j.State, j.Reasons, j.Says, j.Device, j.Asked, j.Defaults, j.Raw, j.Charge,
			j.From, j.Due, j.Wakes, j.Kept, h.Began, h.Sender, j.Fence, j.Far.URI, h.Take).Scan(&j.At, &j.Changed,
			&j.Began); err != nil {
			return err
		}
		for _, r := range reserved {
			if err := r.keep(ctx, tx, j.ID); err != nil {
				return err
			}
		}
		return happened(ctx, tx, j, h)
	})
}

// ChangeJob changes a job as f does, and writes down what happened. A fence that is not 0 is the number of the lease
// under which it is changed: where another has taken the job since, that is a Conflict fault, and nothing is changed.
func (s JobTable) ChangeJob(ctx context.Context, id, fence int64, f job.Change) (j job.Job, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "SELECT "+jobColumns+", coalesce(lease_ends > clock_timestamp(), false) FROM job WHERE id = "+
			"$1 FOR UPDATE", id).Scan(append(jobFields(&j), &j.Held)...)
		switch {
		case err == pgx.ErrNoRows:
			return job.NotThere(id)
		case err != nil:
			return err
		case fence != 0 && (j.Fence != fence || !j.Held):
			return fault.New(fault.Conflict, "lease-ended", "another process goes on with it", "the job %d is no more this "+
				"process's", id)
		}
		was := j.State
		h, err := f(&j, func(person string, windows []job.Window, pages *int) (job.Judgement, error) {
			if err := settle(ctx, tx, id, nil); err != nil {
				return job.Judgement{}, err
			}
			verdict, kept, err := reserve(ctx, tx, person, windows, pages)
			for _, r := range kept {
				if err == nil {
					err = r.keep(ctx, tx, id)
				}
			}
			return verdict, err
		})
		if err != nil {
			return err
		}
		if h.Event == "" {
			return nil
		}
		if !was.Done() && j.State.Done() {
			if err := settle(ctx, tx, id, &job.End{State: j.State, Told: j.Impressions, Sent: j.Began != nil,
				Pages: j.Pages}); err != nil {
				return err
			}
		}
		return s.update(ctx, tx, &j, h)
	})
	return j, err
}

// update writes a changed job.
func (s JobTable) update(ctx context.Context, tx pgx.Tx, j *job.Job, h job.Happening) error {
	if h.Take > 0 {
		j.Fence, j.Sender = j.Fence+1, h.Sender
	}
	if h.Free || j.State.Done() {
		j.Sender, h.Free = "", true
	}
	j.Kept = (j.Kept || h.Document != nil) && !h.Erase
	err := tx.QueryRow(ctx, `UPDATE job SET owner = $2, known = $3, bytes = $4, pages = $5, state = $6, reasons = $7,
		says = $8, device = $9, did = $10, replaced = $11, impressions = $12, due = $13, wakes = $14, kept = $15,
		unknown = $16, far_uri = $17, far_id = $18, far_up = $19, erase_at = $20, tries = $21, stopping = $22, sender = $23,
		fence = $24, changed = clock_timestamp(), format = $25, queue = $26, charge = $27,
		wanted = $35, take = $36, began = CASE WHEN $28 THEN clock_timestamp() ELSE $29::timestamptz END,
		sent = CASE WHEN $30 THEN clock_timestamp() ELSE $31::timestamptz END,
		ended = CASE WHEN state IN ('completed', 'canceled', 'aborted') THEN ended WHEN $32 THEN clock_timestamp() END,
		lease_ends = CASE WHEN $33 THEN NULL WHEN $34::interval > interval '0' THEN clock_timestamp() + $34::interval
			ELSE lease_ends END
		WHERE id = $1 RETURNING changed, began, sent, ended`, j.ID, j.Owner, j.Known, j.Bytes, j.Pages, j.State, j.Reasons,
		j.Says, j.Device, j.Did, nonNil(j.Replaced), j.Impressions, j.Due, j.Wakes, j.Kept, j.Unknown, j.Far.URI, j.Far.ID,
		j.Far.Up, j.EraseAt, j.Tries, j.Stopping, j.Sender, j.Fence, j.Format, j.Queue, j.Charge, h.Began, j.Began, h.AllSent,
		j.Sent, j.State.Done(), h.Free, h.Take, j.To, j.Take).Scan(&j.Changed, &j.Began, &j.Sent, &j.Ended)
	if err != nil {
		return err
	}
	return happened(ctx, tx, j, h)
}

func nonNil[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// happened writes down what happened to a job, and keeps or erases its document.
func happened(ctx context.Context, tx pgx.Tx, j *job.Job, h job.Happening) error {
	says := h.Says
	if says == "" {
		says = j.Says
	}
	b := &pgx.Batch{}
	if !h.Quiet {
		b.Queue("INSERT INTO job_event (job, event, state, reasons, says, person, device) VALUES ($1, $2, $3, $4, $5, $6, "+
			"$7)", j.ID, h.Event, j.State, j.Reasons, says, h.Person, j.Device)
	}
	if h.Began {
		b.Queue("INSERT INTO job_device (device, began) VALUES ($1, clock_timestamp()) ON CONFLICT (device) DO UPDATE SET "+
			"began = greatest(job_device.began, excluded.began)", j.Device)
	}
	if d := h.Document; d != nil {
		b.Queue("INSERT INTO job_document (job, key, place, bytes) VALUES ($1, $2, $3, $4)", j.ID, d.Key, d.Place, d.Bytes)
	}
	if h.Erase {
		b.Queue("DELETE FROM job_document WHERE job = $1", j.ID)
		b.Queue("DELETE FROM job_chunk WHERE job = $1", j.ID)
	}
	if b.Len() == 0 {
		return nil
	}
	if err := tx.SendBatch(ctx, b).Close(); err != nil {
		return fmt.Errorf("what happened to job %d: %w", j.ID, err)
	}
	return nil
}

// Document gives what is needed to read a job's document.
func (s JobTable) Document(ctx context.Context, id int64) (d job.Stored, err error) {
	err = s.pool.QueryRow(ctx, "SELECT key, place, bytes FROM job_document WHERE job = $1", id).Scan(&d.Key, &d.Place,
		&d.Bytes)
	if err == pgx.ErrNoRows {
		return d, fault.New(fault.Unknown, "document-gone", "print it anew", "the document of job %d is not there any more",
			id)
	}
	return d, translate(err)
}
