package postgres

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/lineup"
	"cirque/core/name"
)

// PersonData gives all that is kept of somebody under any of their folded names.
func (s PersonTable) PersonData(ctx context.Context, names []string) (directory.PersonData, error) {
	out := directory.PersonData{Directory: []directory.PastRow{}, Picks: []directory.PastPick{}, Links: []directory.Link{},
		Notes: []directory.WrittenNote{}, Printing: []directory.PastPrinting{}, Jobs: []directory.PastJob{}}
	err := pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(tx pgx.Tx) error {
			rows, err := tx.Query(ctx, "SELECT source, external_id, name, attributes, valid_from, valid_to FROM directory_row "+
				"WHERE kind = 'user' AND folded(name) = ANY($1) ORDER BY id", names)
			if err != nil {
				return err
			}
			past, err := pgx.CollectRows(rows, pgx.RowToStructByPos[directory.PastRow])
			if err != nil {
				return err
			}
			out.Directory = append(out.Directory, past...)
			if rows, err = tx.Query(ctx, "SELECT person, queue, valid_from, valid_to FROM pick WHERE person = ANY($1) "+
				"ORDER BY id", names); err != nil {
				return err
			}
			picks, err := pgx.CollectRows(rows, pgx.RowToStructByPos[directory.PastPick])
			if err != nil {
				return err
			}
			out.Picks = append(out.Picks, picks...)
			if rows, err = tx.Query(ctx, "SELECT "+linkColumns+" FROM directory_join WHERE folded(a->>'name') = ANY($1) OR "+
				"folded(b->>'name') = ANY($1) ORDER BY id", names); err != nil {
				return err
			}
			links, err := pgx.CollectRows(rows, scanLink)
			out.Links = append(out.Links, links...)
			if err != nil {
				return err
			}
			if rows, err = tx.Query(ctx, "SELECT kind, name, says, author, at FROM note WHERE kind = 'person' AND "+
				"folded = ANY($1) ORDER BY at", names); err != nil {
				return err
			}
			notes, err := pgx.CollectRows(rows, pgx.RowToStructByPos[directory.WrittenNote])
			out.Notes = append(out.Notes, notes...)
			if err != nil {
				return err
			}
			if rows, err = tx.Query(ctx, "SELECT server, queue, host, jobs, first_at, last_at FROM server_use WHERE "+
				"folded(owner) = ANY($1) ORDER BY last_at", names); err != nil {
				return err
			}
			printing, err := pgx.CollectRows(rows, pgx.RowToStructByPos[directory.PastPrinting])
			out.Printing = append(out.Printing, printing...)
			if err != nil {
				return err
			}
			jobs, err := jobsOf(ctx, tx, names)
			out.Jobs = append(out.Jobs, jobs...)
			return err
		})
	return out, translate(err)
}

// EventsOf lists what somebody did and what concerned them, under any of their names as authors and subjects are
// written.
func (s PersonTable) EventsOf(ctx context.Context, names []string) ([]event.Event, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+eventColumns+" FROM event WHERE "+
		"folded(author) = ANY($1) OR folded(subject) = ANY($1) ORDER BY id", names)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[event.Event])
	return out, translate(err)
}

// ErasePerson takes what is kept of somebody away: what the directory said of them before, their picks, links, requests
// and account, and what endpoints told of them. In the audit a number stands for them from then on. names are folded;
// accounts are those of directories. It gives what stands for them.
func (s PersonTable) ErasePerson(ctx context.Context, names, accounts []string, author, reason string) (stands string,
	err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		if err := directoryChanged(ctx, tx, author); err != nil { // first, as imports lock
			return err
		}
		if _, err := tx.Exec(ctx, "SET LOCAL cirque.erasing = 'on'"); err != nil {
			return err
		}
		if err := eraseInNotices(ctx, tx, names); err != nil { // while their addresses are still known
			return err
		}
		for _, sql := range []string{
			"DELETE FROM directory_row WHERE kind = 'user' AND valid_to IS NOT NULL AND folded(name) = ANY($1)",
			"DELETE FROM pick WHERE person = ANY($1)",
			"DELETE FROM directory_join WHERE folded(a->>'name') = ANY($1) OR folded(b->>'name') = ANY($1)",
			"DELETE FROM request WHERE folded = ANY($1)",
			"DELETE FROM note WHERE kind = 'person' AND folded = ANY($1)",
			"DELETE FROM signal WHERE folded(subject) = ANY($1)",
			"DELETE FROM once WHERE author IN (SELECT 'account ' || n FROM unnest($1::text[]) n)",
		} {
			if _, err := tx.Exec(ctx, sql, names); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, "DELETE FROM account WHERE folded = ANY($1) AND source <> ''", accounts); err != nil {
			return err
		}
		// What was answered of late may tell of anybody; that it was done stays.
		if _, err := tx.Exec(ctx, "UPDATE once SET answer = NULL, media = 'erased' WHERE answer IS NOT NULL"); err != nil {
			return err
		}
		if err := eraseAtEndpoints(ctx, tx, names); err != nil {
			return err
		}
		if err := eraseAtKeepers(ctx, tx, names); err != nil {
			return err
		}
		var n int64
		if err := tx.QueryRow(ctx, "SELECT coalesce(max(id), 0) + 1 FROM event").Scan(&n); err != nil {
			return err
		}
		stands = fmt.Sprintf("erased-person-%d", n)
		all := slices.Concat(names, accounts)
		if err := eraseJobs(ctx, tx, names, stands); err != nil {
			return err
		}
		if err := eraseInEvents(ctx, tx, all, stands); err != nil {
			return err
		}
		if err := eraseInCare(ctx, tx, all, stands); err != nil {
			return err
		}
		for _, what := range []string{event.Access, event.Directory, event.Live} {
			if err := notify(ctx, tx, what, "erased"); err != nil {
				return err
			}
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Erased, Subject: stands, Author: author}.Saying(
			"What was kept of a person was erased: {reason}", "reason", reason))
	})
	return stands, err
}

// eraseAtEndpoints takes somebody out of what endpoints last told.
func eraseAtEndpoints(ctx context.Context, tx pgx.Tx, names []string) error {
	// A name that is written somewhere in the report, as JSON writes it: no other row is locked or read.
	rows, err := tx.Query(ctx, `SELECT folded, report FROM endpoint WHERE EXISTS (SELECT 1
		FROM unnest($1::text[]) AS n, to_jsonb(n) AS j
		WHERE strpos(folded(report::text), substr(j::text, 2, length(j::text) - 2)) > 0)
		ORDER BY folded FOR UPDATE`, names)
	if err != nil {
		return err
	}
	type told struct {
		Folded string
		Report endpoint.Report
	}
	all, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (t told, err error) {
		var text []byte
		if err := row.Scan(&t.Folded, &text); err != nil {
			return t, err
		}
		return t, json.Unmarshal(text, &t.Report)
	})
	if err != nil {
		return err
	}
	is := func(n string) bool { return n != "" && slices.Contains(names, name.Fold(n)) }
	for _, t := range all {
		r := &t.Report
		before := len(r.Contexts) + len(r.Installed) + len(r.Logins) + len(r.Failures) + len(r.Removed)
		r.Contexts = slices.DeleteFunc(r.Contexts, func(q lineup.Query) bool { return q.User != nil && is(*q.User) })
		r.Installed = slices.DeleteFunc(r.Installed, func(i endpoint.Installed) bool { return is(i.User) })
		r.Logins = slices.DeleteFunc(r.Logins, func(l endpoint.Login) bool { return is(l.System) || is(l.User) })
		r.Failures = slices.DeleteFunc(r.Failures, func(f endpoint.Failure) bool { return is(f.User) })
		r.Removed = slices.DeleteFunc(r.Removed, func(k endpoint.Key) bool { return is(k.User) })
		if len(r.Contexts)+len(r.Installed)+len(r.Logins)+len(r.Failures)+len(r.Removed) == before {
			continue
		}
		text, err := json.Marshal(r)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE endpoint SET report = $2 WHERE folded = $1", t.Folded, text); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Endpoint, r.Machine); err != nil {
			return err
		}
	}
	return nil
}

// eraseInNotices forgets what was sent to somebody, by name or by any address that the directory had for them, and of
// what they were told.
func eraseInNotices(ctx context.Context, tx pgx.Tx, names []string) error {
	if _, err := tx.Exec(ctx, `DELETE FROM notice_sent WHERE folded(told) IN (
		SELECT 'mail:' || folded(attributes->>'email')
		FROM directory_row
		WHERE kind = 'user' AND folded(name) = ANY($1) AND attributes->>'email' <> '')
		OR folded(told) = ANY(SELECT 'user:' || n FROM unnest($1::text[]) AS n) OR EXISTS (SELECT 1
		FROM unnest($1::text[]) AS n WHERE strpos(folded(body), n) > 0)`, names); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, "DELETE FROM kept_view WHERE EXISTS (SELECT 1 FROM unnest($1::text[]) AS n WHERE "+
		"strpos(folded(name || ' ' || search), n) > 0)", names); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, "DELETE FROM notice_told WHERE EXISTS (SELECT 1 FROM unnest($1::text[]) AS n WHERE "+
		"folded(key) LIKE '% of ' || n)", names)
	return err
}

// eraseInCare writes what stands for somebody where they took snapshots, asked for checkups, told what came out or
// held failover tests, and takes their queues out of the snapshots.
func eraseInCare(ctx context.Context, tx pgx.Tx, names []string, stands string) error {
	for _, sql := range []string{
		"UPDATE checkup SET author = CASE WHEN folded(author) = ANY($1) THEN $2 ELSE author END, paper_by = CASE WHEN " +
			"folded(paper_by) = ANY($1) THEN $2 ELSE paper_by END, rungs = CASE WHEN EXISTS (SELECT 1 FROM unnest($1::text[]) " +
			"AS n WHERE strpos(folded(rungs::text), n) > 0) THEN '[]'::jsonb ELSE rungs END",
		"UPDATE driver_paper SET author = $2 WHERE folded(author) = ANY($1)",
		"UPDATE draft_comment SET author = CASE WHEN folded(author) = ANY($1) THEN $2 ELSE author END, says = CASE WHEN " +
			"EXISTS (SELECT 1 FROM unnest($1::text[]) AS n WHERE strpos(folded(says), n) > 0) THEN '(erased)' ELSE says END",
		"UPDATE driver_place SET author = $2 WHERE folded(author) = ANY($1)",
		"UPDATE driver_fetch SET body = jsonb_set(body, '{author}', to_jsonb($2::text)) WHERE " +
			"folded(body->>'author') = ANY($1)",
		"UPDATE photograph SET author = $2 WHERE folded(author) = ANY($1)",
		"UPDATE exercise SET state = jsonb_set(state, '{author}', to_jsonb($2::text)) WHERE " +
			"folded(state->>'author') = ANY($1)",
		"UPDATE exercise SET state = jsonb_set(state, '{stopped}', to_jsonb($2::text)) WHERE " +
			"folded(state->>'stopped') = ANY($1)",
	} {
		if _, err := tx.Exec(ctx, sql, names, stands); err != nil {
			return err
		}
	}
	if _, err := tx.Exec(ctx, `WITH gone AS (DELETE FROM server_use WHERE folded(owner) = ANY($1) RETURNING *) INSERT INTO
		server_use AS u SELECT server, queue, $2, '', sum(jobs), min(first_at), max(last_at) FROM gone GROUP BY server,
		queue`, names, stands); err != nil {
		return err
	}
	return eraseInSnapshots(ctx, tx, names)
}

// eraseInEvents writes what stands for somebody wherever events name them: in the fields that hold their name, and as a
// whole word in other text, such as a reason that somebody typed. Of events without fields, which older versions wrote,
// the whole sentence is such text.
func eraseInEvents(ctx context.Context, tx pgx.Tx, names []string, stands string) error {
	if err := eraseInSentences(ctx, tx, names, stands); err != nil {
		return err
	}
	for _, n := range names {
		if _, err := tx.Exec(ctx, `UPDATE event SET author = CASE WHEN folded(author) = $1 THEN $2 ELSE author END,
			subject = CASE WHEN folded(subject) = $1 THEN $2 ELSE subject END,
			says = CASE WHEN sentence IS NULL THEN without_name(says, $1, $2) ELSE says END,
			before = CASE WHEN strpos(folded(before::text), $1) > 0 THEN NULL ELSE before END,
			after = CASE WHEN strpos(folded(after::text), $1) > 0 THEN NULL ELSE after END
			WHERE strpos(folded(author || ' ' || subject || ' ' || says || ' ' || coalesce(before::text, '') || ' ' ||
			coalesce(after::text, '')), $1) > 0`, n, stands); err != nil {
			return err
		}
	}
	return nil
}

// eraseInSentences is eraseInEvents of the sentences that have fields.
func eraseInSentences(ctx context.Context, tx pgx.Tx, names []string, stands string) error {
	rows, err := tx.Query(ctx, `SELECT id, sentence FROM event WHERE sentence IS NOT NULL AND EXISTS (SELECT 1
		FROM unnest($1::text[]) AS n, jsonb_each_text(sentence->'fields') AS f WHERE strpos(folded(f.value), n) > 0)
		ORDER BY id`, names)
	if err != nil {
		return err
	}
	type said struct {
		ID       int64
		Sentence *event.Sentence
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[said])
	if err != nil {
		return err
	}
	is := func(called string) bool { return slices.Contains(names, name.Fold(called)) }
	for _, v := range list {
		for _, field := range v.Sentence.Without(is, stands) {
			text := v.Sentence.Fields[field]
			for _, n := range names {
				if err := tx.QueryRow(ctx, "SELECT without_name($1, $2, $3)", text, n, stands).Scan(&text); err != nil {
					return err
				}
			}
			v.Sentence.Fields[field] = text
		}
		if _, err := tx.Exec(ctx, "UPDATE event SET sentence = $2, says = $3 WHERE id = $1", v.ID, v.Sentence,
			v.Sentence.String()); err != nil {
			return err
		}
	}
	return nil
}

// ForgetBefore takes away what people had before a time: picks that ended, and what the directory said of users before.
// It gives how much that was. The audit stays.
func (s PersonTable) ForgetBefore(ctx context.Context, at time.Time) (n int64, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		for _, sql := range []string{"DELETE FROM pick WHERE valid_to < $1", "DELETE FROM directory_row WHERE kind = " +
			"'user' AND valid_to < $1", "DELETE FROM directory_join WHERE valid_to < $1", "DELETE FROM request WHERE " +
			"answered_at < $1", "DELETE FROM server_use WHERE last_at < $1"} {
			tag, err := tx.Exec(ctx, sql, at)
			if err != nil {
				return err
			}
			n += tag.RowsAffected()
		}
		if n == 0 {
			return nil
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Forgotten, Subject: "history", Author: "retention"}.Saying(
			"{count} entries of people's history from before {before} were forgotten", "count", n, "before",
			at.UTC().Format(time.DateOnly)))
	})
	return n, err
}
