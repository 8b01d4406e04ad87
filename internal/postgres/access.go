package postgres

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

const (
	tokenColumns = "id, name, role, sites, coalesce(machine, ''), coalesce(account, ''), author, created_at, used_at, " +
		"expires_at, hash"
	accountColumns = "name, role, sites, source, external_id, password, created_at, emergency, opened_at"
)

func scanAccount(row pgx.CollectableRow) (a access.Account, err error) {
	return a, row.Scan(&a.Name, &a.Role, &a.Sites, &a.Source, &a.ExternalID, &a.Password, &a.CreatedAt, &a.Emergency,
		&a.OpenedAt)
}

func scanToken(row pgx.CollectableRow) (access.Token, error) {
	var t access.Token
	var hash []byte
	err := row.Scan(&t.ID, &t.Name, &t.Role, &t.Sites, &t.Machine, &t.Account, &t.Author, &t.CreatedAt, &t.UsedAt,
		&t.ExpiresAt, &hash)
	copy(t.Hash[:], hash)
	return t, err
}

// Access gives everything needed to let somebody in.
func (s AccountTable) Access(ctx context.Context) (access.State, error) {
	state := access.State{Accounts: map[string]access.Account{}, Tokens: map[[32]byte]access.Token{},
		Sessions: map[[32]byte]access.Session{}, Factors: map[string]int{}}
	rows, err := s.pool.Query(ctx, "SELECT "+accountColumns+" FROM account")
	if err != nil {
		return state, translate(err)
	}
	accounts, err := pgx.CollectRows(rows, scanAccount)
	if err != nil {
		return state, translate(err)
	}
	for _, a := range accounts {
		state.Accounts[name.Fold(a.Name)] = a
	}
	if rows, err = s.pool.Query(ctx, "SELECT id, who, source, role, sites, author, at FROM access_rule ORDER BY "+
		"id"); err != nil {
		return state, translate(err)
	}
	state.Rules, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (r access.Rule, err error) {
		return r, row.Scan(&r.ID, &r.Who, &r.Source, &r.Role, &r.Sites, &r.Author, &r.At)
	})
	if err != nil {
		return state, translate(err)
	}
	if rows, err = s.pool.Query(ctx, "SELECT name FROM directory_source WHERE (body->>'sign_in')::boolean ORDER BY "+
		"name"); err != nil {
		return state, translate(err)
	}
	if state.Signing, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil {
		return state, translate(err)
	}
	tokens, err := TokenTable(s).Tokens(ctx)
	if err != nil {
		return state, err
	}
	for _, t := range tokens {
		state.Tokens[t.Hash] = t
	}
	rows, err = s.pool.Query(ctx, "SELECT hash, id, account, remote, created_at, expires_at, used_at, proven_at "+
		"FROM console_session WHERE expires_at > now()")
	if err != nil {
		return state, translate(err)
	}
	var hash []byte
	var ses access.Session
	_, err = pgx.ForEachRow(rows, []any{&hash, &ses.ID, &ses.Account, &ses.Remote, &ses.CreatedAt, &ses.ExpiresAt,
		&ses.UsedAt, &ses.ProvenAt},
		func() error {
			copy(ses.Hash[:], hash)
			state.Sessions[ses.Hash] = ses
			return nil
		})
	if err != nil {
		return state, translate(err)
	}
	if rows, err = s.pool.Query(ctx, "SELECT account, count(*) FROM factor WHERE "+countedFactors+
		" GROUP BY account"); err != nil {
		return state, translate(err)
	}
	var account string
	var n int
	_, err = pgx.ForEachRow(rows, []any{&account, &n}, func() error {
		state.Factors[account] = n
		return nil
	})
	return state, translate(err)
}

// Tokens lists those that are not revoked, by name.
func (s TokenTable) Tokens(ctx context.Context) ([]access.Token, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+tokenColumns+" FROM token WHERE revoked_at IS NULL ORDER BY name")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanToken)
	return out, translate(err)
}

// AddFirstAccount makes the first account; a Conflict fault where there is one already.
func (s AccountTable) AddFirstAccount(ctx context.Context, a access.Account) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "LOCK TABLE account IN EXCLUSIVE MODE"); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "INSERT INTO account (folded, name, role, password) SELECT $1, $2, $3, $4 WHERE NOT "+
			"EXISTS (SELECT FROM account)",
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
		return addEvent(ctx, tx, event.Event{Kind: event.SetUp, Subject: a.Name, Author: a.Name}.Saying(
			"The first account, {name}, was made", "name", event.Person(a.Name)))
	})
}

// SetPassword gives an account another password and ends its sessions. It gives the account's name as it was made; an
// Unknown fault where there is none.
func (s AccountTable) SetPassword(ctx context.Context, called, hash, author string) (made string, err error) {
	how := ""
	if author == event.BesideTheData {
		how = ", beside the data"
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "UPDATE account SET password = $2 WHERE folded = $1 AND source = '' RETURNING name",
			name.Fold(called), hash).Scan(&made)
		if err == pgx.ErrNoRows {
			rows, err := tx.Query(ctx, "SELECT name FROM account WHERE source = '' ORDER BY folded LIMIT 50")
			if err != nil {
				return err
			}
			names, err := pgx.CollectRows(rows, pgx.RowTo[string])
			if err != nil {
				return err
			}
			fix := "the accounts are " + strings.Join(names, ", ")
			if len(names) == 0 {
				fix = "make the first account at the console, with the code in the file setup-code in the data directory"
			}
			return fault.New(fault.Unknown, "account-unknown", fix, "there is no account %q", called)
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM console_session WHERE account = $1", name.Fold(called)); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "account"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.PasswordSet, Subject: made, Author: author}.Saying(
			"The password of {account} was set anew{how}; its sessions are over", "account", event.Person(made), "how", how))
	})
	return made, err
}

// AddSession notes a console session, and forgets those that are over.
func (s TokenTable) AddSession(ctx context.Context, ses access.Session) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM console_session WHERE expires_at < now()"); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "INSERT INTO console_session (hash, account, expires_at, remote, proven_at) VALUES "+
			"($1, $2, $3, $4, $5)", ses.Hash[:], name.Fold(ses.Account), ses.ExpiresAt, ses.Remote, ses.ProvenAt); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "session"); err != nil {
			return err
		}
		return addEvent(ctx, tx, signedIn(ses))
	})
}

func signedIn(ses access.Session) event.Event {
	e := event.Event{Kind: event.SignedIn, Subject: ses.Account, Author: ses.Account}
	if ses.Remote == "" {
		return e.Saying("{account} signed in", "account", event.Person(ses.Account))
	}
	return e.Saying("{account} signed in from {address}", "account", event.Person(ses.Account), "address", ses.Remote)
}

// RevokeSession ends a session, whoever has it; an Unknown fault where there is none.
func (s TokenTable) RevokeSession(ctx context.Context, id int64, author string) error {
	ended, err := s.endSession(ctx, "s.id = $1", []any{id}, func(account string) event.Event {
		return event.Event{Kind: event.SessionEnded, Author: author}.Saying("A session of {account} was ended by {author}",
			"account", event.Person(account), "author", event.Person(author))
	})
	if err == nil && !ended {
		return fault.New(fault.Unknown, "session-unknown", "see cirque account sessions", "no session %d is open", id)
	}
	return err
}

// EndIdle ends a session that nobody has used since a moment, and says whether it did: another process may have seen it
// used.
func (s TokenTable) EndIdle(ctx context.Context, id int64, since time.Time, minutes int) (ended bool, err error) {
	return s.endSession(ctx, "s.id = $1 AND s.used_at <= $2", []any{id, since}, func(account string) event.Event {
		return event.Event{Kind: event.SessionEnded, Author: account}.Saying("A session of {account} ended: nobody had "+
			"used it for {minutes} minutes", "account", event.Person(account), "minutes", minutes)
	})
}

// EndSession forgets a session; one that was over already stays so.
func (s TokenTable) EndSession(ctx context.Context, hash [32]byte) error {
	_, err := s.endSession(ctx, "s.hash = $1", []any{hash[:]}, func(account string) event.Event {
		return event.Event{Kind: event.SignedOut, Author: account}.Saying("{account} signed out", "account",
			event.Person(account))
	})
	return err
}

// endSession forgets the session that a condition names, tells every process, and records what happened to whose; ended
// is false where there is none.
func (s TokenTable) endSession(ctx context.Context, which string, args []any,
	says func(account string) event.Event) (ended bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		var account string
		err := tx.QueryRow(ctx, "DELETE FROM console_session s USING account a WHERE "+which+" AND a.folded = s.account "+
			"RETURNING a.name", args...).Scan(&account)
		if errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		if err != nil {
			return err
		}
		ended = true
		if err := notify(ctx, tx, event.Access, "session"); err != nil {
			return err
		}
		e := says(account)
		e.Subject = account
		return addEvent(ctx, tx, e)
	})
	return ended && err == nil, err
}

// AddToken keeps a token's hash; a Conflict fault where the name is taken.
func (s TokenTable) AddToken(ctx context.Context, t access.Token) (access.Token, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "INSERT INTO token (name, hash, role, sites, machine, account, author, expires_at) VALUES "+
			"($1, $2, $3, $4, nullif($5, ''), nullif($6, ''), $7, $8) RETURNING id, created_at",
			t.Name, t.Hash[:], t.Role, orNone(t.Sites), t.Machine, t.Account, t.Author, t.ExpiresAt).Scan(&t.ID, &t.CreatedAt)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "token-exists", "give it another name, or revoke the old one",
				"there is a token %q already", t.Name)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "token"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.TokenMade, Subject: t.Name, Author: t.Author}.Saying(
			"The token {name} was made", "name", t.Name).With(nil, t))
	})
	return t, err
}

// RenewToken gives a token another secret; the old one ends. An Unknown fault where there is none.
func (s TokenTable) RenewToken(ctx context.Context, id int64, hash [32]byte, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		var called string
		err := tx.QueryRow(ctx, "UPDATE token SET hash = $2 WHERE id = $1 AND revoked_at IS NULL RETURNING name", id,
			hash[:]).Scan(&called)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "token-unknown", "see cirque token list", "the token is there no more")
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "token"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.TokenRenewed, Subject: called, Author: author}.Saying(
			"The token {name} was given another secret", "name", called))
	})
}

// RevokeToken ends a token by name; an Unknown fault where there is none.
func (s TokenTable) RevokeToken(ctx context.Context, called, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "UPDATE token SET revoked_at = clock_timestamp() WHERE name = $1 AND revoked_at IS "+
			"NULL RETURNING "+tokenColumns, called)
		if err != nil {
			return err
		}
		was, err := pgx.CollectExactlyOneRow(rows, scanToken)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "token-unknown", "see cirque token list", "there is no token %q", called)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "token"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.TokenEnded, Subject: called, Author: author}.Saying(
			"The token {name} was revoked", "name", called).With(was, nil))
	})
}

// TouchTokens notes when tokens were last used, many at once.
func (s TokenTable) TouchTokens(ctx context.Context, used map[int64]time.Time) error {
	return s.touch(ctx, "UPDATE token t SET used_at = u.at", used)
}

// TouchSessions notes when sessions were last used, many at once.
func (s TokenTable) TouchSessions(ctx context.Context, used map[int64]time.Time) error {
	return s.touch(ctx, "UPDATE console_session t SET used_at = greatest(t.used_at, u.at)", used)
}

func (s TokenTable) touch(ctx context.Context, update string, used map[int64]time.Time) error {
	ids, times := make([]int64, 0, len(used)), make([]time.Time, 0, len(used))
	for id, at := range used {
		ids, times = append(ids, id), append(times, at)
	}
	return s.exec(ctx, update+" FROM unnest($1::bigint[], $2::timestamptz[]) u(id, at) WHERE t.id = u.id", ids, times)
}
