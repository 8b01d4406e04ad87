package document

import (
	"encoding/csv"
	"fmt"
	"slices"
	"strings"

	"cirque/core/fault"
)

// Table reads CSV with a head line, divided by commas, semicolons or tabs, as spreadsheets write it. The columns of
// must have to be there, those of may can be; any other is a mistake, so that none is passed over for a slip of the
// pen. most is how many lines it may have, the head line included.
func Table(name, text string, must, may []string, most int) (rows [][]string, head map[string]int, err error) {
	text = strings.TrimPrefix(text, "\ufeff")
	first, _, _ := strings.Cut(text, "\n")
	r := csv.NewReader(strings.NewReader(text))
	for _, sep := range []rune{';', '\t'} {
		if strings.Count(first, string(sep)) > strings.Count(first, string(r.Comma)) {
			r.Comma = sep
		}
	}
	r.FieldsPerRecord = -1
	all, err := r.ReadAll()
	if err != nil {
		return nil, nil, fault.New(fault.Invalid, "table-invalid", "save the table as CSV", "%s is no table: %s", name,
			strings.TrimPrefix(err.Error(), "parse error on ")).Because(err)
	}
	if len(all) == 0 || len(all) > most {
		return nil, nil, fault.New(fault.Invalid, "table-invalid", "give a head line and one line for each object",
			"%s has %d lines", name, len(all))
	}
	head = map[string]int{}
	known := slices.Concat(must, may)
	var bad []fault.Detail
	for i, h := range all[0] {
		h = strings.ToLower(strings.TrimSpace(h))
		if _, twice := head[h]; twice {
			bad = append(bad, fault.Detail{Place: name + ":1", What: fmt.Sprintf("the column %q stands there twice", h),
				Fix: "leave one of the two out"})
		}
		head[h] = i
		if !slices.Contains(known, h) {
			fix := "the columns are " + strings.Join(known, ", ")
			if near := Nearest(h, known); near != "" {
				fix = "did you mean " + near + "?"
			}
			bad = append(bad, fault.Detail{Place: name + ":1", What: fmt.Sprintf("there is no column %q", h), Fix: fix})
		}
	}
	for _, m := range must {
		if _, ok := head[m]; !ok {
			bad = append(bad, fault.Detail{Place: name + ":1", What: fmt.Sprintf("the column %q is missing", m), Fix: "add it"})
		}
	}
	for i, row := range all[1:] {
		if len(row) < len(all[0]) {
			bad = append(bad, fault.Detail{Place: fmt.Sprintf("%s:%d", name, i+2),
				What: fmt.Sprintf("the line has %d of %d columns", len(row), len(all[0])),
				Fix:  "leave cells empty rather than out"})
		} else if over := row[len(all[0]):]; slices.ContainsFunc(over, func(s string) bool { return s != "" }) {
			bad = append(bad, fault.Detail{Place: fmt.Sprintf("%s:%d", name, i+2),
				What: fmt.Sprintf("the line has %d columns, and the head %d", len(row), len(all[0])),
				Fix:  "put a cell with what divides columns in it into quotes"})
		}
	}
	if len(bad) > 0 {
		return nil, nil, fault.New(fault.Invalid, "table-invalid", bad[0].Fix, "%s: %s", bad[0].Place,
			bad[0].What).With(bad[:min(len(bad), 100)])
	}
	for i, row := range all[1:] {
		for j := range row {
			row[j] = asWritten(strings.TrimSpace(row[j]))
		}
		all[i+1] = row
	}
	return all[1:], head, nil
}

// Cell gives a row's cell of a column that may not be there.
func Cell(row []string, head map[string]int, column string) string {
	if i, ok := head[column]; ok {
		return row[i]
	}
	return ""
}

// WriteTable writes CSV, whose cells no spreadsheet computes.
func WriteTable(head []string, rows [][]string) string {
	var b strings.Builder
	w := csv.NewWriter(&b)
	_ = w.Write(head) // a builder takes everything
	for _, row := range rows {
		row = slices.Clone(row)
		for i := range row {
			row[i] = Harmless(row[i])
		}
		_ = w.Write(row)
	}
	w.Flush()
	return b.String()
}

// Harmless writes a cell that a spreadsheet would compute as a text for it, by the apostrophe that spreadsheets take
// for that; Table reads it back as it was.
func Harmless(cell string) string {
	if computed(cell) {
		return "'" + cell
	}
	return cell
}

// asWritten undoes Harmless.
func asWritten(cell string) string {
	if rest, ok := strings.CutPrefix(cell, "'"); ok && computed(rest) {
		return rest
	}
	return cell
}

// computed says whether a spreadsheet takes a cell for more than a text, or would once apostrophes in front are gone.
func computed(cell string) bool {
	cell = strings.TrimLeft(cell, "'")
	return cell != "" && strings.ContainsRune("=+-@\t\r\n＝＋－＠", []rune(cell)[0])
}

// MaxRows is how many lines a table may have.
const MaxRows = 50_000
