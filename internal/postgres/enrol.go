package postgres

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/page"
)

const (
	enrolColumns    = "id, name, site, uses, used, expires_at, revoked_at, author, created_at, machine"
	enrolledColumns = "machine, site, serial, key, by, at, issued_at, expires_at, revoked_at, revoked_by, authority"
)

func scanEnrolToken(row pgx.CollectableRow) (t access.EnrolToken, err error) {
	return t, row.Scan(&t.ID, &t.Name, &t.Site, &t.Uses, &t.Used, &t.ExpiresAt, &t.RevokedAt, &t.Author, &t.CreatedAt,
		&t.Machine)
}

// AddEnrolToken keeps an enrolment token's hash; a Conflict fault where the name is taken.
func (s EnrolmentTable) AddEnrolToken(ctx context.Context, t access.EnrolToken) (access.EnrolToken, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		if err := addEnrolToken(ctx, tx, &t); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.EnrolToken, Subject: t.Name, Author: t.Author}.Saying(
			"The enrolment token {name} was made, for {uses}", "name", t.Name, "uses", t.Uses).With(nil, t))
	})
	return t, err
}

func addEnrolToken(ctx context.Context, tx pgx.Tx, t *access.EnrolToken) error {
	err := tx.QueryRow(ctx, "INSERT INTO enrol_token (name, hash, site, uses, expires_at, author, machine) VALUES ($1, "+
		"$2, $3, $4, $5, $6, $7) RETURNING id, created_at",
		t.Name, t.Hash[:], t.Site, t.Uses, t.ExpiresAt, t.Author, t.Machine).Scan(&t.ID, &t.CreatedAt)
	if code(err) == "23505" {
		return fault.New(fault.Conflict, "token-exists", "give it another name, or revoke the old one",
			"there is an enrolment token %q already", t.Name)
	}
	return err
}

// EnrolTokens lists those that are not revoked, the latest first.
func (s EnrolmentTable) EnrolTokens(ctx context.Context) ([]access.EnrolToken, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+enrolColumns+" FROM enrol_token WHERE revoked_at IS NULL ORDER BY id DESC")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanEnrolToken)
	return out, translate(err)
}

// EnrolTokenBy finds a token by its hash; an Unsigned fault where there is none.
func (s EnrolmentTable) EnrolTokenBy(ctx context.Context, hash [32]byte) (access.EnrolToken, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+enrolColumns+" FROM enrol_token WHERE hash = $1", hash[:])
	if err != nil {
		return access.EnrolToken{}, translate(err)
	}
	t, err := pgx.CollectExactlyOneRow(rows, scanEnrolToken)
	if errors.Is(err, pgx.ErrNoRows) {
		return t, enrolUnknown()
	}
	return t, translate(err)
}

func enrolUnknown() error {
	return fault.New(fault.Unsigned, "enrol-token-unknown", "check it, or have another made: cirque enrol token NAME",
		"the enrolment token is not known here")
}

// RevokeEnrolToken ends an enrolment token; machines that enrolled with it stay.
func (s EnrolmentTable) RevokeEnrolToken(ctx context.Context, called, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "UPDATE enrol_token SET revoked_at = clock_timestamp() WHERE name = $1 AND revoked_at "+
			"IS NULL RETURNING "+enrolColumns, called)
		if err != nil {
			return err
		}
		was, err := pgx.CollectExactlyOneRow(rows, scanEnrolToken)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "token-unknown", "see cirque enrol tokens", "there is no enrolment token %q", called)
		}
		if err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.EnrolGone, Subject: called, Author: author}.Saying(
			"The enrolment token {name} was revoked", "name", called).With(was, nil))
	})
}

// Enrol uses an enrolment token once and keeps the machine's certificate; the moment is that of its issue. A machine
// that is enrolled already is a Conflict fault, a token that is over by now a Denied one.
func (s EnrolmentTable) Enrol(ctx context.Context, token int64, e access.Enrolled) (access.Enrolled, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtext('enrol ' || $1))",
			name.Fold(e.Machine)); err != nil {
			return err
		}
		var since time.Time
		err := tx.QueryRow(ctx, "SELECT at FROM enrolled WHERE folded = $1 AND revoked_at IS NULL AND expires_at "+
			"> $2 LIMIT 1", name.Fold(e.Machine), e.IssuedAt).Scan(&since)
		if err == nil {
			return access.EnrolledAlready(e.Machine, since)
		}
		if !errors.Is(err, pgx.ErrNoRows) {
			return err
		}
		tag, err := tx.Exec(ctx, "UPDATE enrol_token SET used = used + 1 WHERE id = $1 AND used < uses AND revoked_at IS "+
			"NULL AND expires_at > $2", token, e.IssuedAt)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Denied, "enrol-token-over", "have another made: cirque enrol token NAME",
				"the enrolment token has been used up, has ended or was revoked")
		}
		if err := addEnrolled(ctx, tx, e); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Enrolled, Subject: e.Machine, Author: e.By}.Saying(
			"{machine} was enrolled with the token {by}", "machine", e.Machine, "by", e.By).With(nil, e))
	})
	return e, err
}

// EnrolledSilent names the machines, folded, that a certificate lets in at a time and that have never reported.
func (s EnrolmentTable) EnrolledSilent(ctx context.Context, now time.Time) ([]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT folded FROM enrolled WHERE revoked_at IS NULL AND "+
		"expires_at > $1 AND "+
		"NOT EXISTS (SELECT FROM endpoint WHERE endpoint.folded = enrolled.folded)", now)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return out, translate(err)
}

func addEnrolled(ctx context.Context, tx pgx.Tx, e access.Enrolled) error {
	if _, err := tx.Exec(ctx, "INSERT INTO enrolled (serial, folded, machine, site, key, by, at, issued_at, expires_at, "+
		"authority) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)", e.Serial, name.Fold(e.Machine), e.Machine, e.Site,
		e.Key, e.By, e.At, e.IssuedAt, e.ExpiresAt, e.Authority); err != nil {
		return err
	}
	return notify(ctx, tx, event.Enrolment, e.Machine)
}

// Renew keeps a further certificate of an enrolled machine; the former one is good until it ends.
func (s EnrolmentTable) Renew(ctx context.Context, former string, e access.Enrolled) (access.Enrolled, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		var still bool
		if err := tx.QueryRow(ctx, "SELECT EXISTS (SELECT FROM enrolled WHERE serial = $1 AND revoked_at IS NULL FOR SHARE)",
			former).Scan(&still); err != nil {
			return err
		}
		if !still {
			return fault.New(fault.Unsigned, "certificate-revoked", "enrol the machine again",
				"the certificate of %s was revoked", e.Machine)
		}
		if err := addEnrolled(ctx, tx, e); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Renewed, Subject: e.Machine, Author: e.Machine}.Saying(
			"{machine} renewed its certificate", "machine", e.Machine))
	})
	return e, err
}

// Enrolled gives machines with their latest certificates, revoked ones included, by name.
func (s EnrolmentTable) Enrolled(ctx context.Context, ask page.Ask, word string) (page.Page[access.Enrolled], error) {
	none := page.Page[access.Enrolled]{}
	const only = "($1 = '' OR strpos(folded || ' ' || folded(site || ' ' || by), folded($1)) > 0)"
	var total int
	if err := s.pool.QueryRow(ctx, "SELECT count(DISTINCT folded) FROM enrolled WHERE "+only,
		word).Scan(&total); err != nil {
		return none, translate(err)
	}
	list, err := s.enrolled(ctx, "SELECT DISTINCT ON (folded) "+enrolledColumns+" FROM enrolled WHERE "+only+
		" AND folded > $2 ORDER BY folded, issued_at DESC LIMIT $3", word, name.Fold(ask.After), ask.Size()+1)
	if err != nil {
		return none, err
	}
	return page.Of(list, total, ask, func(e *access.Enrolled) string { return e.Machine }), nil
}

// LastEnrolled gives a machine's latest certificate, and whether it ever had one.
func (s EnrolmentTable) LastEnrolled(ctx context.Context, machine string) (last access.Enrolled, ok bool, err error) {
	list, err := s.enrolled(ctx, "SELECT "+enrolledColumns+" FROM enrolled WHERE folded = $1 ORDER BY issued_at "+
		"DESC LIMIT 1",
		name.Fold(machine))
	if err != nil || len(list) == 0 {
		return last, false, err
	}
	return list[0], true, nil
}

// GoodCertificates lists those that let a machine in, of one machine or, where it is empty, of all.
func (s EnrolmentTable) GoodCertificates(ctx context.Context, machine string) ([]access.Enrolled, error) {
	return s.enrolled(ctx, "SELECT "+enrolledColumns+" FROM enrolled WHERE revoked_at IS NULL AND expires_at > now() "+
		"AND ($1 = '' OR folded = $1)", name.Fold(machine))
}

func (s EnrolmentTable) enrolled(ctx context.Context, sql string, args ...any) ([]access.Enrolled, error) {
	rows, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[access.Enrolled])
	return out, translate(err)
}

// IssuedBy counts the machines that a certificate lets in at a time by the authority of their latest one, and names
// some of each.
func (s EnrolmentTable) IssuedBy(ctx context.Context, now time.Time) (count map[string]int, some map[string][]string,
	err error) {
	rows, err := s.pool.Query(ctx, `SELECT authority, count(*), (array_agg(machine ORDER BY machine))[1:5] FROM (SELECT
			DISTINCT ON (folded) machine, authority FROM enrolled WHERE revoked_at IS NULL AND expires_at > $1
			ORDER BY folded, issued_at DESC) latest GROUP BY authority`, now)
	if err != nil {
		return nil, nil, translate(err)
	}
	count, some = map[string]int{}, map[string][]string{}
	var by string
	var n int
	var names []string
	_, err = pgx.ForEachRow(rows, []any{&by, &n, &names}, func() error {
		count[by], some[by] = n, names
		return nil
	})
	return count, some, translate(err)
}

// Revoke ends every certificate of a machine; an Unknown fault where it has none.
func (s EnrolmentTable) Revoke(ctx context.Context, machine, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "UPDATE enrolled SET revoked_at = clock_timestamp(), revoked_by = $2 WHERE folded = $1 "+
			"AND revoked_at IS NULL RETURNING machine", name.Fold(machine), author)
		if err != nil {
			return err
		}
		was, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		if len(was) == 0 {
			return fault.New(fault.Unknown, "not-enrolled", "see cirque enrol list", "%s is not enrolled", machine)
		}
		if err := notify(ctx, tx, event.Enrolment, was[0]); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.EnrolRevoked, Subject: was[0], Author: author}.Saying(
			"The certificate of {machine} was revoked", "machine", was[0]))
	})
}
