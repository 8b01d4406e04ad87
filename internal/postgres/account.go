package postgres

import (
	"cmp"
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// orNone writes no elements rather than null.
func orNone(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// AddAccount makes a local account; a Conflict fault where the name is taken.
func (s AccountTable) AddAccount(ctx context.Context, a access.Account, author string) (access.Account, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "INSERT INTO account (folded, name, role, sites, password) VALUES ($1, $2, $3, $4, $5) "+
			"RETURNING created_at",
			name.Fold(a.Name), a.Name, a.Role, orNone(a.Sites), a.Password).Scan(&a.CreatedAt)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "account-exists", "give it another name", "there is an account %q already", a.Name)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "account"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.AccountKept, Subject: a.Name, Author: author}.Saying(
			"The account {name} was made, as {role}", "name", event.Person(a.Name), "role", a.Role).With(nil, a))
	})
	return a, err
}

// SetRole gives a local account another role. A Conflict fault keeps the last owner.
func (s AccountTable) SetRole(ctx context.Context, called string, h access.Holding,
	author string) (access.Account, error) {
	var a access.Account
	err := s.in(ctx, func(tx pgx.Tx) error {
		was, err := s.keptAccount(ctx, tx, called)
		if err != nil {
			return err
		}
		if was.Source != "" {
			return fault.New(fault.Conflict, "account-of-directory", "add a rule: cirque account allow user:NAME --role ROLE",
				"%s is of the directory %s, and its roles follow from the access rules", was.Name, was.Source)
		}
		if was.Emergency {
			return fault.New(fault.Conflict, "account-emergency", "make an account of its own for them", "%s is the account "+
				"for emergencies, and stays an owner", was.Name)
		}
		if was.Role == access.Owner && h.Role != access.Owner {
			if err := s.otherOwner(ctx, tx, was.Name); err != nil {
				return err
			}
		}
		a = was
		a.Role, a.Sites = h.Role, h.Sites
		if _, err := tx.Exec(ctx, "UPDATE account SET role = $2, sites = $3 WHERE folded = $1", name.Fold(called), a.Role,
			orNone(a.Sites)); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "account"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.AccountKept, Subject: a.Name, Author: author}.Saying(
			"{name} is {role} now", "name", event.Person(a.Name), "role", a.Role).With(was, a))
	})
	return a, err
}

// RemoveAccount ends an account with its sessions and own tokens. A Conflict fault keeps the last owner.
func (s AccountTable) RemoveAccount(ctx context.Context, called, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		was, err := s.keptAccount(ctx, tx, called)
		if err != nil {
			return err
		}
		if was.Role == access.Owner && !was.Emergency {
			if err := s.otherOwner(ctx, tx, was.Name); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, "DELETE FROM account WHERE folded = $1", name.Fold(called)); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "account"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.AccountGone, Subject: was.Name, Author: author}.Saying(
			"The account {name} was removed, with its sessions and own tokens", "name", event.Person(was.Name)).With(was, nil))
	})
}

func (s AccountTable) keptAccount(ctx context.Context, tx pgx.Tx, called string) (access.Account, error) {
	// Whoever changes owners waits for the others, so that the last one cannot go twice.
	if _, err := tx.Exec(ctx, "LOCK TABLE account IN SHARE ROW EXCLUSIVE MODE"); err != nil {
		return access.Account{}, err
	}
	rows, err := tx.Query(ctx, "SELECT "+accountColumns+" FROM account WHERE folded = $1", name.Fold(called))
	if err != nil {
		return access.Account{}, err
	}
	a, err := pgx.CollectExactlyOneRow(rows, scanAccount)
	if errors.Is(err, pgx.ErrNoRows) {
		return a, fault.New(fault.Unknown, "account-unknown", "see cirque account list", "there is no account %q", called)
	}
	return a, err
}

func (s AccountTable) otherOwner(ctx context.Context, tx pgx.Tx, called string) error {
	var others int
	if err := tx.QueryRow(ctx, "SELECT count(*) FROM account WHERE role = 'owner' AND NOT emergency AND "+
		"folded <> $1",
		name.Fold(called)).Scan(&others); err != nil || others > 0 {
		return err
	}
	return fault.New(fault.Conflict, "last-owner", "make somebody else an owner first", "%s is the only owner, and "+
		"somebody must be able to say who may do what", called)
}

// MeetAccount keeps the account of somebody whom a directory has proven, by their stable id there; their name may have
// changed since.
func (s AccountTable) MeetAccount(ctx context.Context, a access.Account) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		// The directory says whose the name is now; whoever had it before is not let in by it any more, nor are their tokens.
		if _, err := tx.Exec(ctx, "DELETE FROM account WHERE folded = $1 AND source = $2 AND external_id <> $3",
			name.Fold(a.Name), a.Source, a.ExternalID); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `INSERT INTO account (folded, name, role, source, external_id) VALUES ($1, $2, '', $3, $4)
			ON CONFLICT (source, external_id) WHERE source <> '' DO UPDATE SET folded = excluded.folded, name = excluded.name`,
			name.Fold(a.Name), a.Name, a.Source, a.ExternalID)
		if err != nil {
			return err
		}
		return notify(ctx, tx, event.Access, "account")
	})
}

// AddRule keeps an access rule.
func (s AccountTable) AddRule(ctx context.Context, r access.Rule) (access.Rule, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, "INSERT INTO access_rule (who, source, role, sites, author) VALUES ($1, $2, $3, "+
			"$4, $5) RETURNING id, at", r.Who, r.Source, r.Role, orNone(r.Sites), r.Author).Scan(&r.ID, &r.At); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "rule"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.RuleAdded, Subject: r.Who, Author: r.Author}.Saying(
			"{who} of {source} may sign in as {role}", "who", r.Who, "source", r.Source, "role", r.Role).With(nil, r))
	})
	return r, err
}

// RemoveRule ends an access rule; an Unknown fault where there is none.
func (s AccountTable) RemoveRule(ctx context.Context, id int64, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		r := access.Rule{ID: id}
		err := tx.QueryRow(ctx, "DELETE FROM access_rule WHERE id = $1 RETURNING who, source, role, sites, author, at",
			id).Scan(&r.Who, &r.Source, &r.Role, &r.Sites, &r.Author, &r.At)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "rule-unknown", "see cirque account rules", "there is no access rule %d", id)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "rule"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.RuleGone, Subject: r.Who, Author: author}.Saying(
			"{who} of {source} may no longer sign in as {role}", "who", r.Who, "source", cmp.Or(r.Source, "no directory"),
			"role", r.Role).With(r, nil))
	})
}
