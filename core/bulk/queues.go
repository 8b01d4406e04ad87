// Package bulk edits many queues at once: as a table that a spreadsheet can hold, and by a pattern of names. In go
// a document and what is wanted, out come edits of a draft.
package bulk

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/stock"
)

// queueColumns are those of a table of queues; lists are divided by blanks, options and drivers written key=value.
var queueColumns = []string{"name", "title", "location", "labels", "devices", "paths", "drivers", "defaults",
	"listed", "note"}

// QueueTable writes queues as a table that QueueEdits reads back.
func QueueTable(queues []estate.Queue) string {
	rows := make([][]string, 0, len(queues))
	for _, q := range queues {
		rows = append(rows, []string{q.Name, q.Title, q.Location, strings.Join(q.Labels, " "), strings.Join(q.Devices, " "),
			pathsText(q.Paths),
			pairsText(q.Drivers), pairsText(q.Defaults), yes(q.Listed), q.Note})
	}
	return document.WriteTable(queueColumns, rows)
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

func pathsText(paths []estate.Path) string {
	var out []string
	for _, p := range paths {
		s := "gateway"
		switch {
		case p.Device != "":
			s = "device:" + p.Device
		case p.Server != "":
			s = "server:" + p.Server
		case p.Set != "":
			s = "set:" + p.Set
		}
		if p.RemoteName != "" {
			s += "=" + p.RemoteName
		}
		out = append(out, s)
	}
	return strings.Join(out, "; ")
}

func pairsText[V any](m map[string]V) string {
	var out []string
	for _, k := range slices.Sorted(maps.Keys(m)) {
		out = append(out, k+"="+stock.Text(m[k]))
	}
	return strings.Join(out, "; ")
}

// QueueEdits reads a table of queues into edits of a draft. A queue that is there changes only in the columns that the
// table has; an empty cell empties the key. A name that is not there becomes a new queue. Where lines are wrong, the
// edits of the others come with the fault.
//
//nolint:funlen // one column after another
func QueueEdits(doc *estate.Document, name, text string) ([]estate.Edit, error) {
	rows, head, err := document.Table(name, text, []string{"name"}, queueColumns[1:], document.MaxRows)
	if err != nil {
		return nil, err
	}
	was := map[string]estate.Queue{}
	for _, q := range doc.Queues {
		was[q.Name] = q
	}
	for _, q := range doc.Queues {
		for _, f := range q.Formerly {
			if _, taken := was[f]; !taken {
				was[f] = q // under an old name it is that queue still, and no new one
			}
		}
	}
	var out []estate.Edit
	var bad []fault.Detail
	seen := map[string]int{}
	for i, row := range rows {
		complain := func(fix, format string, args ...any) {
			bad = append(bad, fault.Detail{Place: fmt.Sprintf("%s:%d", name, i+2), What: fmt.Sprintf(format, args...), Fix: fix})
		}
		called := row[head["name"]]
		if at := seen[called]; at > 0 {
			complain("leave one of the two out", "the queue %s stands there twice, first in line %d", called, at)
			continue
		}
		seen[called] = i + 2
		if !estate.ValidName(called) {
			fix := "write small letters, digits, dots and dashes"
			if s := stock.Slug(called); s != "" {
				fix += ", such as " + s
			}
			complain(fix, "%q is no name for a queue", called)
		}
		q, there := was[called]
		if !there {
			q.Name = called
		} else if at := seen[q.Name]; at > 0 && q.Name != called {
			complain("leave one of the two out", "%s is an old name of %s, which stands in line %d", called, q.Name, at)
			continue
		}
		called = q.Name
		seen[called] = i + 2
		cell := func(column string, set func(string)) {
			if at, ok := head[column]; ok {
				set(row[at])
			}
		}
		cell("title", func(s string) { q.Title = s })
		cell("location", func(s string) { q.Location = s })
		cell("note", func(s string) { q.Note = s })
		cell("labels", func(s string) { q.Labels = strings.Fields(s) })
		cell("devices", func(s string) { q.Devices = strings.Fields(s) })
		cell("listed", func(s string) {
			switch strings.ToLower(s) {
			case "yes", "true", "1":
				q.Listed = true
			case "no", "false", "0", "":
				q.Listed = false
			default:
				complain("write yes or no", "listed: %q", s)
			}
		})
		cell("paths", func(s string) {
			// A path keeps its conditions, for which a table has no room.
			if s != pathsText(q.Paths) {
				q.Paths = paths(s, complain)
			}
		})
		cell("drivers", func(s string) {
			q.Drivers = map[string]string{}
			for k, v := range keyed(s, complain) {
				q.Drivers[k] = v
			}
		})
		cell("defaults", func(s string) {
			next := map[string]any{}
			for k, v := range keyed(s, complain) {
				next[k] = v
				if old, there := q.Defaults[k]; there && stock.Text(old) == v {
					next[k] = old
				} else if digits(v) && len(v) < 10 {
					next[k] = json.Number(v)
				}
			}
			q.Defaults = next
		})
		b, err := json.Marshal(q)
		if err != nil {
			return nil, err
		}
		if !estate.ValidName(called) {
			continue
		}
		out = append(out, estate.Edit{Ref: estate.Ref{List: "queues", Name: called}, Object: b,
			From: fmt.Sprintf("%s:%d", name, i+2)})
	}
	if len(bad) > 0 {
		return out, fault.New(fault.Invalid, "table-invalid", bad[0].Fix, "%s: %s", bad[0].Place,
			bad[0].What).With(bad[:min(len(bad), 100)])
	}
	return out, nil
}

func digits(s string) bool {
	return s != "" && !strings.ContainsFunc(s, func(r rune) bool { return r < '0' || r > '9' })
}

// parts cuts at semicolons, and at nothing else: names on servers may have blanks.
func parts(s string) []string {
	var out []string
	for _, p := range strings.Split(s, ";") {
		if p = strings.TrimSpace(p); p != "" {
			out = append(out, p)
		}
	}
	return out
}

func paths(s string, complain func(fix, format string, args ...any)) []estate.Path {
	var out []estate.Path
	for _, p := range parts(s) {
		p, remote, _ := strings.Cut(p, "=")
		kind, name, _ := strings.Cut(strings.TrimSpace(p), ":")
		one := estate.Path{RemoteName: remote}
		switch kind {
		case "device":
			one.Device = name
		case "server":
			one.Server = name
		case "set":
			one.Set = name
		case "gateway":
			one.Gateway = true
		default:
			fix := "write device:NAME, server:NAME, set:NAME or gateway, divided by semicolons"
			if near := document.Nearest(kind, []string{"device", "server", "set", "gateway"}); near != "" {
				fix = "did you mean " + near + "?"
			}
			complain(fix, "%q is no path", p)
		}
		out = append(out, one)
	}
	return out
}

func keyed(s string, complain func(fix, format string, args ...any)) map[string]string {
	out := map[string]string{}
	for _, p := range parts(s) {
		k, v, ok := strings.Cut(p, "=")
		if !ok {
			complain("write KEY=VALUE, divided by semicolons", "%q has no value", p)
			continue
		}
		out[strings.TrimSpace(k)] = strings.TrimSpace(v)
	}
	return out
}

// follow has grants that name queues go on naming them.
func follow(doc *estate.Document, renamed map[string]string, put func(list, name string, object any) error) error {
	for _, g := range doc.Grants {
		next := slices.Clone(g.Queues)
		for i, entry := range next {
			if to, ok := renamed[entry]; ok {
				next[i] = to
			}
		}
		if !slices.Equal(next, g.Queues) {
			g.Queues = next
			if err := put("grants", g.Name, g); err != nil {
				return err
			}
		}
	}
	for _, p := range doc.Promises {
		next, did := p, false
		name := func(n string) string {
			if to, ok := renamed[n]; ok {
				did = true
				return to
			}
			return n
		}
		next.Receives, next.Never = slices.Clone(p.Receives), slices.Clone(p.Never)
		for _, list := range [][]string{next.Receives, next.Never} {
			for i, n := range list {
				list[i] = name(n)
			}
		}
		if next.Default = name(p.Default); did {
			if err := put("promises", p.Name, next); err != nil {
				return err
			}
		}
	}
	return nil
}

// A Renaming is one object's new name.
type Renaming struct {
	From string `json:"from"`
	To   string `json:"to"`
	Also int    `json:"also,omitempty" doc:"How many objects name it, and follow."`
}

var patternWords = []string{"name", "title", "location", "site", "last", "n"}

// Rename gives queues new names by a pattern, in which {name}, {title}, {location}, {site}, {last} (of the location)
// and {n} (its number in the selection) stand for the queue's own; any other word in braces is refused. Old names go on
// leading there, and grants that name a queue follow.
func Rename(doc *estate.Document, names []string, pattern string) ([]estate.Edit, []Renaming, error) {
	if strings.TrimSpace(pattern) == "" {
		return nil, nil, fault.New(fault.Invalid, "pattern-missing", "write such as {site}-{name}",
			"there is no pattern for the new names")
	}
	if err := stock.CheckPattern(pattern, patternWords, "a queue"); err != nil {
		return nil, nil, err
	}
	taken, of := map[string]string{}, map[string]estate.Queue{} // taken: by which queue
	for _, q := range doc.Queues {
		of[q.Name] = q
		taken[q.Name] = q.Name
		for _, f := range q.Formerly {
			taken[f] = q.Name
		}
	}
	renamed := map[string]string{}
	var list []Renaming
	var bad []fault.Detail
	for i, n := range names {
		called, err := doc.QueueCalled(n)
		if err != nil {
			return nil, nil, err
		}
		q := *called
		if n = q.Name; slices.ContainsFunc(list, func(r Renaming) bool { return r.From == n }) {
			continue // named twice, such as by an old name
		}
		last := q.Location[strings.LastIndexByte(q.Location, '/')+1:]
		to := stock.Slug(stock.Fill(pattern, map[string]string{"name": q.Name, "title": q.Title, "location": q.Location,
			"site": estate.Site(q.Location), "last": last, "n": fmt.Sprint(i + 1)}))
		switch {
		case to == "":
			bad = append(bad, fault.Detail{Place: n, What: "the pattern leaves no name for it",
				Fix: "put {name} or {n} into the pattern"})
		case taken[to] != "" && taken[to] != n:
			bad = append(bad, fault.Detail{Place: n, What: fmt.Sprintf("the name %s is taken", to),
				Fix: "put {name} or {n} into the pattern"})
		}
		taken[to] = n
		list = append(list, Renaming{From: n, To: to})
		if to != n {
			renamed[n] = to
		}
	}
	if len(bad) > 0 {
		return nil, list, fault.New(fault.Conflict, "names-taken", bad[0].Fix, "%s: %s", bad[0].Place, bad[0].What).With(bad)
	}
	var edits []estate.Edit
	put := func(list, called string, object any) error {
		b, err := json.Marshal(object)
		edits = append(edits, estate.Edit{Ref: estate.Ref{List: list, Name: called}, Object: b})
		return err
	}
	for _, r := range list {
		if r.From == r.To {
			continue
		}
		q := of[r.From]
		// On servers it is still called as it was.
		q.Paths = slices.Clone(q.Paths)
		for i := range q.Paths {
			if q.Paths[i].RemoteName == "" && (q.Paths[i].Server != "" || q.Paths[i].Set != "") {
				q.Paths[i].RemoteName = q.Name
			}
		}
		q.Formerly = append(slices.DeleteFunc(slices.Clone(q.Formerly), func(f string) bool { return f == r.To }), r.From)
		q.Name = r.To
		if err := put("queues", q.Name, q); err != nil {
			return nil, nil, err
		}
		edits = append(edits, estate.Edit{Ref: estate.Ref{List: "queues", Name: r.From}, Remove: true})
	}
	if err := follow(doc, renamed, put); err != nil {
		return nil, nil, err
	}
	return edits, list, nil
}
