package postgres

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
)

// Watches lists what somebody registered.
func (s StockTable) Watches(ctx context.Context) ([]stock.Watch, error) {
	rows, err := s.pool.Query(ctx, "SELECT body, author, at FROM stock_watch ORDER BY kind, name")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (w stock.Watch, err error) {
		var author string
		var at time.Time
		err = r.Scan(&w, &author, &at)
		w.Author, w.At = author, &at
		return w, err
	})
	return out, translate(err)
}

// SaveWatch registers a server or device, in the place of one of its name.
func (s StockTable) SaveWatch(ctx context.Context, w stock.Watch, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		b, err := json.Marshal(w)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "INSERT INTO stock_watch (kind, name, body, author) VALUES ($1, $2, $3, $4) ON CONFLICT "+
			"(kind, name) DO UPDATE SET body = $3, author = $4, at = clock_timestamp()", w.Kind, w.Name, b,
			w.Author); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Stock, "watch"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// RemoveWatch forgets a registered server or device with its reading; an Unknown fault where there is none.
func (s StockTable) RemoveWatch(ctx context.Context, kind, name string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM stock_watch WHERE kind = $1 AND name = $2", kind, name)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, kind+"-unknown", "see cirque "+kind+" list; what the estate names is taken out "+
				"of the estate", "no %s %q was registered by hand", kind, name)
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM stock_reading WHERE kind = $1 AND name = $2", kind, name); err != nil {
			return err
		}
		if kind == stock.KindServer {
			if err := endList(ctx, tx, name, time.Now()); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Stock, "watch"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// Readings gives what came of reading; name "" stands for all.
func (s StockTable) Readings(ctx context.Context, kind, name string) ([]stock.Kept, error) {
	rows, err := s.pool.Query(ctx, "SELECT kind, name, checked, reading, identity FROM stock_reading WHERE $2 = '' OR "+
		"kind = $1 AND name = $2", kind, name)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (k stock.Kept, err error) {
		var reading []byte
		var identity *stock.Identity
		if err := r.Scan(&k.Kind, &k.Name, &k.Check, &reading, &identity); err != nil {
			return k, err
		}
		if identity != nil {
			k.Identity = *identity
		}
		if reading == nil {
			return k, nil
		}
		if k.Kind == stock.KindServer {
			k.Server = new(stock.Server)
			return k, json.Unmarshal(reading, k.Server)
		}
		k.Device = new(stock.Device)
		return k, json.Unmarshal(reading, k.Device)
	})
	return out, translate(err)
}

// SaveReading keeps what came of reading; the reading before stays where there is none, or where same says that it
// tells the same.
func (s StockTable) SaveReading(ctx context.Context, k stock.Kept, same bool, events []event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		var reading any
		if k.Server != nil {
			reading = k.Server
		} else if k.Device != nil {
			reading = k.Device
		}
		var body []byte
		var err error
		if reading != nil && !same {
			if body, err = json.Marshal(reading); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `INSERT INTO stock_reading (kind, name, checked, reading, identity) VALUES ($1, $2, $3,
		$4, $5)
			ON CONFLICT (kind, name) DO UPDATE SET checked = $3, reading = COALESCE($4, stock_reading.reading), identity = $5`,
			k.Kind, k.Name, k.Check, body, k.Identity)
		if err != nil {
			return err
		}
		if k.Server != nil && k.Check.OK {
			if err := saveList(ctx, tx, k.Name, k.Server); err != nil {
				return err
			}
		}
		for _, e := range events {
			if err := addEvent(ctx, tx, e); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Stock, k.Kind+" "+k.Name)
	})
}

// Reservations lists the reservations that were imported.
func (s StockTable) Reservations(ctx context.Context) ([]stock.Reservation, error) {
	rows, err := s.pool.Query(ctx, "SELECT mac, address::inet, name FROM stock_reservation ORDER BY address::inet")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[stock.Reservation])
	return out, translate(err)
}

// SetReservations replaces all of them.
func (s StockTable) SetReservations(ctx context.Context, list []stock.Reservation, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM stock_reservation"); err != nil {
			return err
		}
		_, err := tx.CopyFrom(ctx, pgx.Identifier{"stock_reservation"}, []string{"mac", "address", "name"},
			pgx.CopyFromSlice(len(list), func(i int) ([]any, error) {
				return []any{list[i].MAC, list[i].Address.String(), list[i].Name}, nil
			}))
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Stock, "reservations"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// SaveCapture keeps what a reference machine has, in the place of what was captured of it before.
func (s StockTable) SaveCapture(ctx context.Context, c stock.Capture, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		b, err := json.Marshal(c.Queues)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `INSERT INTO stock_capture (machine, platform, reading, author) VALUES ($1, $2, $3, $4)
			ON CONFLICT (machine) DO UPDATE SET platform = $2, reading = $3, author = $4, at = clock_timestamp()`, c.Machine,
			c.Platform, b, c.Author); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Stock, "captures"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// Captures lists what was captured of reference machines.
func (s StockTable) Captures(ctx context.Context) ([]stock.Capture, error) {
	rows, err := s.pool.Query(ctx, "SELECT machine, platform, reading, author, at FROM stock_capture ORDER BY machine")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (c stock.Capture, err error) {
		err = r.Scan(&c.Machine, &c.Platform, &c.Queues, &c.Author, &c.At)
		return c, err
	})
	return out, translate(err)
}
