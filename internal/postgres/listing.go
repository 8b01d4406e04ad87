package postgres

import (
	"context"

	"github.com/jackc/pgx/v5"

	"cirque/core/advert"
	"cirque/core/event"
)

// Listed gives the DNs of the printer entries that Cirque has written into a source's directory.
func (s ListingTable) Listed(ctx context.Context, source string) ([]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT dn FROM listing_entry WHERE source = $1 ORDER BY dn", source)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return out, translate(err)
}

// ClaimEntry notes that an entry is about to be Cirque's.
func (s ListingTable) ClaimEntry(ctx context.Context, source, dn string) error {
	return s.exec(ctx, "INSERT INTO listing_entry (source, dn) VALUES ($1, $2) ON CONFLICT DO NOTHING", source, dn)
}

// ReleaseEntry notes that an entry is not Cirque's any more.
func (s ListingTable) ReleaseEntry(ctx context.Context, source, dn string) error {
	return s.exec(ctx, "DELETE FROM listing_entry WHERE source = $1 AND dn = $2", source, dn)
}

// SaveListing keeps what came of bringing a directory's entries into line, with what happened.
func (s ListingTable) SaveListing(ctx context.Context, l advert.Listing, events []event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "INSERT INTO listing_state (source, body) VALUES ($1, $2) ON CONFLICT (source) DO UPDATE "+
			"SET body = excluded.body, at = clock_timestamp()", l.Source, l); err != nil {
			return err
		}
		for _, e := range events {
			if err := addEvent(ctx, tx, e); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Sources, l.Source)
	})
}

// Listings gives how listing stands, by source.
func (s ListingTable) Listings(ctx context.Context) ([]advert.Listing, error) {
	rows, err := s.pool.Query(ctx, "SELECT body FROM listing_state ORDER BY source")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[advert.Listing])
	return out, translate(err)
}

// ForgetListing forgets how listing stood.
func (s ListingTable) ForgetListing(ctx context.Context, source string) error {
	return s.exec(ctx, "DELETE FROM listing_state WHERE source = $1", source)
}
