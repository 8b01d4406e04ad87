package document

import (
	"strings"
	"testing"
)

// TestCells: what a spreadsheet would compute is a text in what is written, and is read back as it was.
func TestCells(t *testing.T) {
	t.Parallel()
	for _, cell := range []string{`=HYPERLINK("http://evil.example","x")`, "+1", "-2", "@SUM(A1)", "'=1", "''+1", "'", "a=b",
		"",
		"it's", "＝1", "plain", "'quoted'", "-", "a,b;c\"d"} {
		text := WriteTable([]string{"name", "note"}, [][]string{{"q", cell}})
		line := strings.TrimPrefix(strings.SplitN(text, "\n", 2)[1], "q,")
		if first := strings.TrimLeft(line, `"`); first != "" && strings.ContainsAny(first[:1], "=+-@") {
			t.Errorf("%q is written as %s", cell, line)
		}
		rows, _, err := Table("t.csv", text, []string{"name", "note"}, nil, 10)
		if err != nil || len(rows) != 1 || rows[0][1] != cell {
			t.Errorf("%q comes back as %q (%v)", cell, rows, err)
		}
	}
}

// TestTexts: no text of a document does anything to whatever shows it, or is longer than anybody reads; notes have
// several lines.
func TestTexts(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		`{"title": "Hall\u001b[31m"}`:                              "d.json:1: control characters stand in",
		`{"title": "two\nlines"}`:                                  "d.json:1: control characters stand in",
		`{"title": "\u202efdp"}`:                                   "d.json:1: control characters stand in",
		`{"title": "` + strings.Repeat("x", 12<<20) + `"}`:         "the text has 12582912 bytes",
		`{"note": "two\nlines\tand a tab"}`:                        "",
		`{"note": "\u0000"}`:                                       "control characters stand in",
		`{"note": "` + strings.Repeat("x", 17<<10) + `"}`:          "the text has 17408 bytes",
		`{"title": "Åse's hall, 2nd floor", "note": "fine – yes"}`: "",
	} {
		var r Reader
		docs := r.Read(File{Name: "d.json", Text: text})
		o, _ := docs[0].Object([]string{"title", "note"})
		o.Text("title")
		o.Text("note")
		first, _ := r.Problems()
		got := ""
		for _, d := range first {
			got += d.Place + ": " + d.What
		}
		if (got == "") != (want == "") || !strings.Contains(got, want) {
			t.Errorf("%.60s: %.100s, want %q", text, got, want)
		}
	}
}
