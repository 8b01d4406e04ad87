package postgres

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
)

const scanColumns = "id, author, ranges, state, rate, total, done, found, at, beat, ended_at, stop"

func oneScan(r pgx.CollectableRow) (c stock.Scan, err error) {
	err = r.Scan(&c.ID, &c.Author, &c.Ranges, &c.State, &c.Rate, &c.Total, &c.Done, &c.Found, &c.At, &c.Beat,
		&c.Ended, &c.Stop)
	return c, err
}

// AddScan begins a scan.
func (s ScanTable) AddScan(ctx context.Context, c stock.Scan, e event.Event) (out stock.Scan, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "INSERT INTO stock_scan (author, ranges, state, rate, total) VALUES ($1, $2, 'running', "+
			"$3, $4) RETURNING "+scanColumns, c.Author, c.Ranges, c.Rate, c.Total)
		if err != nil {
			return err
		}
		if out, err = pgx.CollectExactlyOneRow(rows, oneScan); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return out, err
}

// SaveScan notes how far a scan is, and says whether somebody wants it stopped.
func (s ScanTable) SaveScan(ctx context.Context, c stock.Scan) (stop bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		var ended *time.Time
		if c.State != "running" {
			now := time.Now()
			ended = &now
		}
		if err := tx.QueryRow(ctx, "UPDATE stock_scan SET state = $2, done = $3, found = $4, beat = clock_timestamp(), "+
			"ended_at = $5 WHERE id = $1 RETURNING stop", c.ID, c.State, c.Done, c.Found, ended).Scan(&stop); err != nil {
			return err
		}
		return notify(ctx, tx, event.Stock, "scan")
	})
	return stop, err
}

// Scans lists the latest scans, newest first. One whose process has gone is stopped.
func (s ScanTable) Scans(ctx context.Context) ([]stock.Scan, error) {
	if _, err := s.pool.Exec(ctx, "UPDATE stock_scan SET state = 'stopped', ended_at = beat WHERE state = 'running' AND "+
		"beat < clock_timestamp() - interval '60 seconds'"); err != nil {
		return nil, translate(err)
	}
	rows, err := s.pool.Query(ctx, "SELECT "+scanColumns+" FROM stock_scan ORDER BY id DESC LIMIT 20")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, oneScan)
	return out, translate(err)
}

// StopScan asks whichever process runs a scan to stop it.
func (s ScanTable) StopScan(ctx context.Context, id int64, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE stock_scan SET stop = true WHERE id = $1 AND state = 'running'", id)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "scan-unknown", "give the number that was told when it began",
				"no scan %d is running", id)
		}
		if err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.ScanStopped, Subject: fmt.Sprint(id), Author: author}.Saying(
			"The scan {id} was told to stop", "id", id))
	})
}

// SaveFound notes what answers at an address that is not listed.
func (s ScanTable) SaveFound(ctx context.Context, list []stock.Unlisted) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		for _, f := range list {
			b, err := json.Marshal(f.Reading)
			if err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "INSERT INTO stock_found (address, uri, reading) VALUES ($1, $2, $3) ON CONFLICT "+
				"(address) DO UPDATE SET uri = $2, reading = $3, at = clock_timestamp()", f.Address, f.URI, b); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Stock, "found")
	})
}

// Found lists what was found and is not listed, by address.
func (s ScanTable) Found(ctx context.Context) ([]stock.Unlisted, error) {
	rows, err := s.pool.Query(ctx, "SELECT address, uri, reading, at FROM stock_found ORDER BY address::inet")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (f stock.Unlisted, err error) {
		err = r.Scan(&f.Address, &f.URI, &f.Reading, &f.At)
		return f, err
	})
	return out, translate(err)
}

// Forget takes addresses off the list of what was found.
func (s ScanTable) Forget(ctx context.Context, addresses []string, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM stock_found WHERE address = ANY($1)", addresses)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		if err := notify(ctx, tx, event.Stock, "found"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.FoundForgot, Subject: addresses[0], Author: author}.Saying(
			"Taken off the list of unlisted printers: {addresses}", "addresses", strings.Join(addresses, ", ")))
	})
}
