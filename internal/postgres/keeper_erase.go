package postgres

import (
	"context"
	"encoding/json"
	"slices"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/name"
	"cirque/core/server"
)

// eraseAtKeepers takes somebody out of what agents that keep print servers last told of who may print.
func eraseAtKeepers(ctx context.Context, tx pgx.Tx, names []string) error {
	rows, err := tx.Query(ctx, "SELECT folded, report FROM keeper WHERE EXISTS (SELECT 1 FROM unnest($1::text[]) AS n "+
		"WHERE strpos(folded(report::text), n) > 0) FOR UPDATE", names)
	if err != nil {
		return err
	}
	type told struct {
		Folded string
		Report server.Report
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[told])
	if err != nil {
		return err
	}
	for _, t := range all {
		for i := range t.Report.Found {
			p := &t.Report.Found[i].People
			p.Names = slices.DeleteFunc(p.Names, func(n string) bool { return slices.Contains(names, name.Fold(n)) })
		}
		text, err := json.Marshal(t.Report)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE keeper SET report = $2 WHERE folded = $1", t.Folded, text); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Kept, t.Report.Machine); err != nil {
			return err
		}
	}
	return nil
}
