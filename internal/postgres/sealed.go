package postgres

import (
	"context"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/stock"
)

// KeptSealed gives everything that is kept sealed.
func (s CredentialTable) KeptSealed(ctx context.Context) ([]stock.Sealed, error) {
	rows, err := s.pool.Query(ctx, `SELECT $1, name, '', 0::bigint, sealed FROM credential UNION ALL
		SELECT $2, name, body->>'url', 0, sealed FROM directory_source WHERE sealed IS NOT NULL UNION ALL
		SELECT $3, account, kind, id, body FROM factor WHERE kind <> 'recovery' UNION ALL
		SELECT $4, '', '', job, key FROM job_document`, stock.SealedKey, stock.SealedSource, stock.SealedFactor,
		stock.SealedDocument)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[stock.Sealed])
	return out, translate(err)
}

// Reseal keeps something as it is sealed now, unless it was changed meanwhile.
func (s CredentialTable) Reseal(ctx context.Context, k stock.Sealed, body []byte) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		var err error
		switch k.Kind {
		case stock.SealedKey:
			_, err = tx.Exec(ctx, "UPDATE credential SET sealed = $3 WHERE name = $1 AND sealed = $2", k.Name, k.Body, body)
		case stock.SealedSource:
			_, err = tx.Exec(ctx, "UPDATE directory_source SET sealed = $3 WHERE name = $1 AND sealed = $2", k.Name, k.Body,
				body)
		case stock.SealedDocument:
			_, err = tx.Exec(ctx, "UPDATE job_document SET key = $3 WHERE job = $1 AND key = $2", k.ID, k.Body, body)
		default:
			_, err = tx.Exec(ctx, "UPDATE factor SET body = $3 WHERE id = $1 AND body = $2", k.ID, k.Body, body)
		}
		if err != nil {
			return err
		}
		return notify(ctx, tx, event.Stock, "credentials")
	})
}
