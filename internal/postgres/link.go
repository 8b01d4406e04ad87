package postgres

import (
	"cmp"
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

const linkColumns = "id, a, b, apart, reason, author, valid_from"

func scanLink(row pgx.CollectableRow) (j directory.Link, err error) {
	return j, row.Scan(&j.ID, &j.A, &j.B, &j.Unlinked, &j.Reason, &j.Author, &j.At)
}

// linksOf gives what says who is one person at a time, nil for the present.
func linksOf(ctx context.Context, tx pgx.Tx, at *time.Time) (directory.Links, error) {
	out := directory.Links{ByHand: []directory.Link{}}
	rows, err := tx.Query(ctx, "SELECT rule, value FROM directory_join_rule WHERE "+validAt, at)
	if err != nil {
		return out, err
	}
	var rule, value string
	if _, err := pgx.ForEachRow(rows, []any{&rule, &value}, func() error {
		switch rule {
		case "address":
			out.ByAddress = true
		case "employee":
			out.ByEmployee = true
		case "lead":
			out.Primary = value
		}
		return nil
	}); err != nil {
		return out, err
	}
	if rows, err = tx.Query(ctx, "SELECT "+linkColumns+" FROM directory_join WHERE "+validAt+" ORDER BY id",
		at); err != nil {
		return out, err
	}
	byHand, err := pgx.CollectRows(rows, scanLink)
	out.ByHand = append(out.ByHand, byHand...)
	return out, err
}

// SetLinkRule turns a rule, address or employee, on or off. It says whether that changed anything.
func (s LinkTable) SetLinkRule(ctx context.Context, rule string, on bool, e event.Event) (changed bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		sql, args := "UPDATE directory_join_rule SET valid_to = greatest(valid_from, clock_timestamp()) WHERE rule = $1 "+
			"AND valid_to IS NULL", []any{rule}
		if on {
			sql, args = "INSERT INTO directory_join_rule (rule, author) VALUES ($1, $2) ON CONFLICT DO NOTHING",
				[]any{rule, e.Author}
		}
		tag, err := tx.Exec(ctx, sql, args...)
		if changed = err == nil && tag.RowsAffected() > 0; !changed {
			return err
		}
		if err := errors.Join(directoryChanged(ctx, tx, e.Author), notify(ctx, tx, event.Directory, "links")); err != nil {
			return err
		}
		return addEvent(ctx, tx, e.With(map[string]bool{rule: !on}, map[string]bool{rule: on}))
	})
	return changed, err
}

// SetPrimary says which source's accounts stand for people who have several; "" takes that back.
func (s LinkTable) SetPrimary(ctx context.Context, source string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if err := directoryChanged(ctx, tx, e.Author); err != nil {
			return err
		}
		var was string
		err := tx.QueryRow(ctx, "UPDATE directory_join_rule SET valid_to = greatest(valid_from, clock_timestamp()) WHERE "+
			"rule = 'lead' AND valid_to IS NULL RETURNING value").Scan(&was)
		if err != nil && !errors.Is(err, pgx.ErrNoRows) {
			return err
		}
		if source != "" {
			if _, err := tx.Exec(ctx, "INSERT INTO directory_join_rule (rule, value, author) VALUES ('lead', $1, $2)", source,
				e.Author); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Directory, "links"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e.With(map[string]string{"primary": was}, map[string]string{"primary": source}))
	})
}

// AddLink keeps somebody's word on two accounts, in place of an earlier one on the same two.
func (s LinkTable) AddLink(ctx context.Context, j directory.Link, e event.Event) (directory.Link, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		key := func(a directory.Account) [2]string { return [2]string{a.Source, cmp.Or(a.ID, name.Fold(a.Name))} }
		rows, err := tx.Query(ctx, "SELECT "+linkColumns+" FROM directory_join WHERE valid_to IS NULL FOR UPDATE")
		if err != nil {
			return err
		}
		have, err := pgx.CollectRows(rows, scanLink)
		if err != nil {
			return err
		}
		for _, h := range have {
			if same := key(h.A) == key(j.A) && key(h.B) == key(j.B) || key(h.A) == key(j.B) && key(h.B) == key(j.A); !same {
				continue
			}
			if _, err := tx.Exec(ctx, "UPDATE directory_join SET valid_to = greatest(valid_from, clock_timestamp()) "+
				"WHERE id = $1", h.ID); err != nil {
				return err
			}
		}
		if err := tx.QueryRow(ctx, "INSERT INTO directory_join (a, b, apart, reason, author) VALUES ($1, $2, $3, $4, $5) "+
			"RETURNING id, valid_from", j.A, j.B, j.Unlinked, j.Reason, j.Author).Scan(&j.ID, &j.At); err != nil {
			return err
		}
		if err := errors.Join(directoryChanged(ctx, tx, e.Author), notify(ctx, tx, event.Directory, "links")); err != nil {
			return err
		}
		return addEvent(ctx, tx, e.With(nil, j))
	})
	return j, err
}

// RemoveLink takes somebody's word back; an Unknown fault where there is none.
func (s LinkTable) RemoveLink(ctx context.Context, id int64, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "UPDATE directory_join SET valid_to = greatest(valid_from, clock_timestamp()) WHERE id "+
			"= $1 AND valid_to IS NULL RETURNING "+linkColumns, id)
		if err != nil {
			return err
		}
		was, err := pgx.CollectExactlyOneRow(rows, scanLink)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "link-unknown", "see cirque directory links", "there is no link %d", id)
		}
		if err != nil {
			return err
		}
		if err := errors.Join(directoryChanged(ctx, tx, author), notify(ctx, tx, event.Directory, "links")); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.LinkRemoved, Subject: was.A.Name, Author: author}.Saying(
			"The link of {name} and {other} was undone", "name", event.Person(was.A.Name), "other",
			event.Person(was.B.Name)).With(was, nil))
	})
}
