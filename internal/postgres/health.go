package postgres

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/continuity"
	"cirque/core/endpoint"
)

// Healths gives what probing has found, by kind and name.
func (s HealthTable) Healths(ctx context.Context) ([]continuity.Health, error) {
	return s.healths(ctx, "true")
}

// Verdicts gives of Healths the verdicts alone: whoever counts them needs nothing else of so many.
func (s HealthTable) Verdicts(ctx context.Context) ([]continuity.Health, error) {
	rows, err := s.pool.Query(ctx, "SELECT kind, name, state->>'verdict', (state->>'checked')::timestamptz "+
		"FROM health ORDER BY kind, name")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (h continuity.Health, err error) {
		return h, row.Scan(&h.Kind, &h.Name, &h.Verdict, &h.Checked)
	})
	return out, translate(err)
}

// Unwell gives of Healths those that are down, or held there.
func (s HealthTable) Unwell(ctx context.Context) ([]continuity.Health, error) {
	return s.healths(ctx, "state->>'verdict' = 'down' OR state->>'held' = 'true'")
}

func (s HealthTable) healths(ctx context.Context, where string) ([]continuity.Health, error) {
	rows, err := s.pool.Query(ctx, "SELECT state FROM health WHERE "+where+" ORDER BY kind, name")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (h continuity.Health, err error) {
		var text []byte
		if err := row.Scan(&text); err != nil {
			return h, err
		}
		return h, json.Unmarshal(text, &h)
	})
	return out, translate(err)
}

// SaveHealth keeps some; those in changed have come to another verdict, which is kept for ever.
func (s HealthTable) SaveHealth(ctx context.Context, list []continuity.Health,
	changed func(continuity.Health) bool) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		var kinds, names, states []string
		for _, h := range list {
			text, err := json.Marshal(h)
			if err != nil {
				return err
			}
			kinds, names, states = append(kinds, h.Kind), append(names, h.Name), append(states, string(text))
		}
		if _, err := tx.Exec(ctx, "INSERT INTO health (kind, name, state) SELECT * FROM unnest($1::text[], $2::text[], "+
			"$3::jsonb[]) ON CONFLICT (kind, name) DO UPDATE SET state = excluded.state", kinds, names, states); err != nil {
			return err
		}
		for _, h := range list {
			if !changed(h) {
				continue
			}
			says := ""
			if h.Verdict == continuity.Gone {
				says = h.Says
			}
			if _, err := tx.Exec(ctx, "INSERT INTO health_change (kind, name, verdict, says, at) VALUES ($1, $2, $3, $4, $5)",
				h.Kind, h.Name, h.Verdict, says, h.Since); err != nil {
				return err
			}
		}
		return nil
	})
}

// HealthChanges gives when something went up or down since a time, and before them the last change that came earlier;
// oldest first.
func (s HealthTable) HealthChanges(ctx context.Context, kind, name string, since time.Time) ([]continuity.Turn, error) {
	rows, err := s.pool.Query(ctx, `(SELECT verdict, says, at FROM health_change WHERE kind = $1 AND name = $2 AND
		at < $3 ORDER BY at DESC LIMIT 1)
		UNION ALL (SELECT verdict, says, at FROM health_change WHERE kind = $1 AND name = $2 AND at >= $3
		ORDER BY at DESC LIMIT 500) ORDER BY at`, kind, name, since)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[continuity.Turn])
	return out, translate(err)
}

// LeadingTo lists the endpoints that lead to a server, those on which a step fails first, by name.
func (s EndpointTable) LeadingTo(ctx context.Context, server string, limit int) ([]endpoint.Record, error) {
	rows, err := s.pool.Query(ctx, "SELECT first_seen, last_seen, seen_from, report FROM endpoint WHERE servers @> "+
		"ARRAY[$1] ORDER BY failing DESC, folded LIMIT $2", server, limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanEndpoint)
	return out, translate(err)
}

// AddSample keeps how the fleet stands, and forgets samples older than a year.
func (s EndpointTable) AddSample(ctx context.Context, f endpoint.Sample) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM fleet_sample WHERE at < $1", f.At.AddDate(-1, 0, 0)); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "INSERT INTO fleet_sample (at, converged, behind, failing, silent) VALUES ($1, $2, $3, $4, "+
			"$5) ON CONFLICT (at) DO NOTHING", f.At, f.Converged, f.Behind, f.Failing, f.Silent)
		return err
	})
}

// Samples gives how the fleet stood since a time, oldest first.
func (s EndpointTable) Samples(ctx context.Context, since time.Time) ([]endpoint.Sample, error) {
	rows, err := s.pool.Query(ctx, "SELECT at, converged, behind, failing, silent FROM fleet_sample WHERE at >= $1 "+
		"ORDER BY at", since)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[endpoint.Sample])
	return out, translate(err)
}
