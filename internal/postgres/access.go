package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/name"
	"cirque/internal/fault"
)

const tokenColumns = "id, name, role, coalesce(machine, ''), author, created_at, used_at, hash"

func scanToken(row pgx.CollectableRow) (access.Token, error) {
	var t access.Token
	var hash []byte
	err := row.Scan(&t.ID, &t.Name, &t.Role, &t.Machine, &t.Author, &t.CreatedAt, &t.UsedAt, &hash)
	copy(t.Hash[:], hash)
	return t, err
}

// Access gives everything needed to let somebody in.
func (s *Store) Access(ctx context.Context) (access.State, error) {
	state := access.State{Accounts: map[string]access.Account{}, Tokens: map[[32]byte]access.Token{}, Sessions: map[[32]byte]access.Session{}}
	rows, err := s.pool.Query(ctx, "SELECT name, role, password, created_at FROM account")
	if err != nil {
		return state, translate(err)
	}
	accounts, err := pgx.CollectRows(rows, pgx.RowToStructByPos[access.Account])
	if err != nil {
		return state, translate(err)
	}
	for _, a := range accounts {
		state.Accounts[name.Fold(a.Name)] = a
	}
	tokens, err := s.Tokens(ctx)
	if err != nil {
		return state, err
	}
	for _, t := range tokens {
		state.Tokens[t.Hash] = t
	}
	rows, err = s.pool.Query(ctx, "SELECT hash, account, expires_at FROM console_session WHERE expires_at > now()")
	if err != nil {
		return state, translate(err)
	}
	var hash []byte
	var ses access.Session
	_, err = pgx.ForEachRow(rows, []any{&hash, &ses.Account, &ses.ExpiresAt}, func() error {
		copy(ses.Hash[:], hash)
		state.Sessions[ses.Hash] = ses
		return nil
	})
	return state, translate(err)
}

// Tokens lists those that are not revoked, by name.
func (s *Store) Tokens(ctx context.Context) ([]access.Token, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+tokenColumns+" FROM token WHERE revoked_at IS NULL ORDER BY name")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanToken)
	return out, translate(err)
}

// AddFirstAccount makes the first account; a Conflict fault where there is one already.
func (s *Store) AddFirstAccount(ctx context.Context, a access.Account) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "LOCK TABLE account IN EXCLUSIVE MODE"); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "INSERT INTO account (folded, name, role, password) SELECT $1, $2, $3, $4 WHERE NOT EXISTS (SELECT FROM account)",
			name.Fold(a.Name), a.Name, a.Role, a.Password)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Conflict, "already-set-up", "sign in instead", "the first account has been made already")
		}
		if err := notify(ctx, tx, event.Access, "account"); err != nil {
			return err
		}
		return happened(ctx, tx, event.Event{Kind: event.SetUp, Subject: a.Name, Author: a.Name, Says: "The first account, " + a.Name + ", was made"})
	})
}

// AddSession notes a console session, and forgets those that are over.
func (s *Store) AddSession(ctx context.Context, ses access.Session) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM console_session WHERE expires_at < now()"); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "INSERT INTO console_session (hash, account, expires_at) VALUES ($1, $2, $3)", ses.Hash[:], name.Fold(ses.Account), ses.ExpiresAt); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "session"); err != nil {
			return err
		}
		return happened(ctx, tx, event.Event{Kind: event.SignedIn, Subject: ses.Account, Author: ses.Account, Says: ses.Account + " signed in"})
	})
}

// EndSession forgets a session.
func (s *Store) EndSession(ctx context.Context, hash [32]byte) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM console_session WHERE hash = $1", hash[:]); err != nil {
			return err
		}
		return notify(ctx, tx, event.Access, "session")
	})
}

// AddToken keeps a token's hash; a Conflict fault where the name is taken.
func (s *Store) AddToken(ctx context.Context, t access.Token) (access.Token, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		var machine *string
		if t.Machine != "" {
			machine = &t.Machine
		}
		err := tx.QueryRow(ctx, "INSERT INTO token (name, hash, role, machine, author) VALUES ($1, $2, $3, $4, $5) RETURNING id, created_at",
			t.Name, t.Hash[:], t.Role, machine, t.Author).Scan(&t.ID, &t.CreatedAt)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "token-exists", "give it another name, or revoke the old one", "there is a token %q already", t.Name)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "token"); err != nil {
			return err
		}
		return happened(ctx, tx, event.Event{Kind: event.TokenMade, Subject: t.Name, Author: t.Author, Says: "The token " + t.Name + " was made"})
	})
	return t, err
}

// RevokeToken ends a token by name; an Unknown fault where there is none.
func (s *Store) RevokeToken(ctx context.Context, called, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE token SET revoked_at = clock_timestamp() WHERE name = $1 AND revoked_at IS NULL", called)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "token-unknown", "see cirque token list", "there is no token %q", called)
		}
		if err := notify(ctx, tx, event.Access, "token"); err != nil {
			return err
		}
		return happened(ctx, tx, event.Event{Kind: event.TokenEnded, Subject: called, Author: author, Says: "The token " + called + " was revoked"})
	})
}

// TouchTokens notes when tokens were last used, many at once.
func (s *Store) TouchTokens(ctx context.Context, used map[int64]time.Time) error {
	ids, times := make([]int64, 0, len(used)), make([]time.Time, 0, len(used))
	for id, at := range used {
		ids, times = append(ids, id), append(times, at)
	}
	_, err := s.pool.Exec(ctx, `UPDATE token t SET used_at = u.at FROM unnest($1::bigint[], $2::timestamptz[]) AS u(id, at) WHERE t.id = u.id`, ids, times)
	return translate(err)
}
