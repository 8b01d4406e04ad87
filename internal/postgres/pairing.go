package postgres

import (
	"context"
	"errors"
	"net/netip"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
)

// AddPairing keeps a machine that asks to be let in by a code, and forgets those that have ended for an hour; a TooMany
// fault where too many wait.
func (s EnrolmentTable) AddPairing(ctx context.Context, p access.Pairing, place string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM pairing WHERE ends_at < $1", p.At.Add(-time.Hour)); err != nil {
			return err
		}
		var all, here int
		if err := tx.QueryRow(ctx, "SELECT count(*), count(*) FILTER (WHERE place = $2) FROM pairing WHERE ends_at > $1 "+
			"AND token IS NULL", p.At, place).Scan(&all, &here); err != nil {
			return err
		}
		if all >= access.PairMost || here >= access.PairHere {
			return fault.New(fault.TooMany, "pair-many", "try again in ten minutes, or use an enrolment token: cirque enrol "+
				"token NAME", "too many machines wait for somebody who types their code: %d, of which %d ask from there", all, here)
		}
		_, err := tx.Exec(ctx, "INSERT INTO pairing (ticket, machine, system, remote, place, request, addresses, follows, "+
			"commitment, nonce, at, ends_at) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)", p.Ticket[:], p.Machine,
			p.System, p.Remote, place, string(p.Request), append([]netip.Addr{}, p.Addresses...),
			p.Follows, p.Commitment, p.Nonce, p.At, p.EndsAt)
		return err
	})
}

// Pairing gives a machine that asks by its ticket; an Unknown fault where there is none.
func (s EnrolmentTable) Pairing(ctx context.Context, ticket [32]byte) (access.Pairing, error) {
	return s.pairing(ctx, "ticket = $1", ticket[:])
}

// PairingBy gives the machine that shows a code; an Unknown fault where none does.
func (s EnrolmentTable) PairingBy(ctx context.Context, code string) (access.Pairing, error) {
	return s.pairing(ctx, "code = $1", code)
}

func (s EnrolmentTable) pairing(ctx context.Context, where string, is any) (p access.Pairing, err error) {
	var code *string
	var ticket []byte
	err = s.pool.QueryRow(ctx, "SELECT ticket, code, p.machine, system, remote, request, addresses, follows, commitment, "+
		"nonce, at, ends_at, p.site, let_in_by, let_in_at, coalesce(token, 0), coalesce(used, 0) > 0 "+
		"FROM pairing p LEFT JOIN enrol_token t ON t.id = p.token WHERE "+where, is).Scan(&ticket, &code, &p.Machine,
		&p.System, &p.Remote, &p.Request, &p.Addresses, &p.Follows, &p.Commitment, &p.Nonce, &p.At, &p.EndsAt, &p.Site, &p.By,
		&p.ByAt, &p.Token, &p.Used)
	if errors.Is(err, pgx.ErrNoRows) {
		return p, fault.New(fault.Unknown, "pair-unknown", "look at the machine once more; it shows another each time, and "+
			"each lasts ten minutes", "no machine shows that code")
	}
	if err != nil {
		return p, translate(err)
	}
	if code != nil {
		p.Code = *code
	}
	copy(p.Ticket[:], ticket)
	return p, nil
}

// ShowPairing sets the code that a machine shows.
func (s EnrolmentTable) ShowPairing(ctx context.Context, ticket [32]byte, code string) error {
	_, err := s.pool.Exec(ctx, "UPDATE pairing SET code = $2 WHERE ticket = $1 AND code IS NULL", ticket[:], code)
	return translate(err)
}

// LetPairing lets a machine in by a token of its own; a Conflict fault where it was let in before.
func (s EnrolmentTable) LetPairing(ctx context.Context, p access.Pairing, token access.EnrolToken) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if err := addEnrolToken(ctx, tx, &token); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "UPDATE pairing SET token = $2, machine = $3, site = $4, let_in_by = $5, let_in_at = $6 "+
			"WHERE ticket = $1 AND token IS NULL", p.Ticket[:], token.ID, p.Machine, p.Site, p.By, p.ByAt)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Conflict, "pair-over", "see cirque enrol list", "somebody else has just let %s in", p.Machine)
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Paired, Subject: p.Machine, Author: p.By}.Saying(
			"{machine} was let in by the code that it showed at {remote}", "machine", p.Machine, "remote",
			p.Remote).With(nil, p))
	})
}
