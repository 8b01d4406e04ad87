package cli

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"cirque/core/words"
	"cirque/internal/cmdline"
)

// A table has columns of equal width, two spaces between. On a terminal that is too narrow the widest columns go on
// below themselves, and a word that is too long is cut, with an ellipsis; the main column, by which a row is known,
// stays whole.
type table struct {
	width int
	keep  int // the main column
	head  []string
	rows  [][]string
}

// table makes one; its main column is the first that has a head.
func (r *screen) table(head ...string) *table {
	t := &table{width: r.width, head: head}
	for t.keep < len(head)-1 && head[t.keep] == "" {
		t.keep++
	}
	return t
}

// main says which column the main one is, where it is another.
func (t *table) main(column int) *table {
	t.keep = column
	return t
}

func (t *table) add(cells ...string) {
	for i := range cells {
		cells[i] = words.Escape(cells[i], "")
	}
	t.rows = append(t.rows, cells)
}

func (t *table) write(w io.Writer) {
	widths := make([]int, len(t.head))
	all := append([][]string{t.head}, t.rows...)
	for _, row := range all {
		for i, cell := range row {
			widths[i] = max(widths[i], utf8.RuneCountInString(cell))
		}
	}
	if t.width > 0 {
		t.narrow(widths)
	}
	for _, row := range all {
		t.writeRow(w, row, widths)
	}
}

// writeRow writes one row, on as many lines as its tallest cell needs.
func (t *table) writeRow(w io.Writer, row []string, widths []int) {
	cells, lines := make([][]string, len(row)), 1
	for i, cell := range row {
		cells[i] = []string{cell}
		if i != t.keep {
			cells[i] = cmdline.Break(cell, widths[i])
		}
		lines = max(lines, len(cells[i]))
	}
	for n := range lines {
		var b strings.Builder
		for i, parts := range cells {
			cell := ""
			if n < len(parts) {
				cell = parts[n]
			}
			if i != t.keep {
				cell = cut(cell, widths[i])
			}
			b.WriteString(cell + strings.Repeat(" ", max(0, widths[i]-utf8.RuneCountInString(cell))+2))
		}
		fmt.Fprintln(w, strings.TrimRight(b.String(), " "))
	}
}

// How narrow columns become: first so that words of this length stay whole, and where that is not enough, of that.
const (
	wholeWord = 16
	narrowest = 8
)

// narrow takes from the widest columns, one after the other, until the table fits; nothing from the main one.
func (t *table) narrow(widths []int) {
	total := 2 * (len(widths) - 1)
	for _, w := range widths {
		total += w
	}
	for _, whole := range []int{wholeWord, narrowest} {
		least := make([]int, len(widths))
		for i := range widths {
			least[i] = t.longest(i, whole)
		}
		for ; total > t.width; total-- {
			widest := -1
			for i, w := range widths {
				if i != t.keep && w > least[i] && (widest < 0 || w > widths[widest]) {
					widest = i
				}
			}
			if widest < 0 {
				break
			}
			widths[widest]--
		}
	}
}

// longest is how many columns the longest part of a word of a column needs, its head's words among them, where words of
// this length stay whole.
func (t *table) longest(column, whole int) int {
	n := 0
	for _, row := range append([][]string{t.head}, t.rows...) {
		if column >= len(row) {
			continue
		}
		for _, word := range strings.Fields(row[column]) {
			for _, part := range cmdline.Parts(word, whole) {
				n = max(n, utf8.RuneCountInString(part))
			}
		}
	}
	return max(narrowest, min(n, wholeWord))
}

func cut(s string, width int) string {
	if utf8.RuneCountInString(s) <= width {
		return s
	}
	return string([]rune(s)[:width-1]) + "…"
}
