package postgres

import (
	"context"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"cirque/core/fault"
	"cirque/core/page"
)

// mostCounted is how many rows a total counts at most: to count all of a long history takes longer than anybody waits.
const mostCounted = 100_000

// latest is a list that is read from its end: rows of a table by a growing number.
type latest[T any] struct {
	table, columns string
	number         string // the column of the growing number
	text           string // SQL for the text in which is looked for words
	scan           pgx.RowToFunc[T]
	key            func(*T) int64
	where          []string
	args           []any
}

// only adds a condition, in which ? stands for a value.
func (l *latest[T]) only(condition string, v any) {
	l.args = append(l.args, v)
	l.where = append(l.where, strings.ReplaceAll(condition, "?", "$"+strconv.Itoa(len(l.args))))
}

// page reads one page, the newest first, of the rows in which a word is; of all where it is empty.
func (l latest[T]) page(ctx context.Context, d db, ask page.Ask, word string) (page.Page[T], error) {
	none := page.Page[T]{}
	if word != "" {
		l.only("strpos(folded("+l.text+"), folded(?)) > 0", word)
	}
	condition := func() string {
		if len(l.where) == 0 {
			return ""
		}
		return " WHERE " + strings.Join(l.where, " AND ")
	}
	var total int
	if err := d.pool.QueryRow(ctx, "SELECT count(*) FROM (SELECT FROM "+l.table+condition()+" LIMIT "+
		strconv.Itoa(mostCounted)+") AS counted", l.args...).Scan(&total); err != nil {
		return none, translate(err)
	}
	if ask.After != "" {
		n, err := strconv.ParseInt(ask.After, 10, 64)
		if err != nil {
			return none, fault.New(fault.Invalid, "after-invalid", "give the next of the page before, or leave it out",
				"after is %q, which is no place in this list", ask.After)
		}
		l.only(l.number+" < ?", n)
	}
	rows, err := d.pool.Query(ctx, "SELECT "+l.columns+" FROM "+l.table+condition()+" ORDER BY "+l.number+
		" DESC LIMIT "+strconv.Itoa(ask.Size()+1), l.args...)
	if err != nil {
		return none, translate(err)
	}
	list, err := pgx.CollectRows(rows, l.scan)
	if err != nil {
		return none, translate(err)
	}
	return page.Of(list, total, ask, func(v *T) string { return strconv.FormatInt(l.key(v), 10) }), nil
}
