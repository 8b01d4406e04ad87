// Package driver knows the names of drivers: exact ones as set-up files list them (INF and PPD), near misses of them,
// and what a package of files holds.
package driver

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// A Comparison says where two names that should be one differ.
type Comparison struct {
	Equal bool         `json:"equal"`
	Says  string       `json:"says" doc:"One sentence, such as: they differ at letter 19, a space against two spaces."`
	At    int          `json:"at" doc:"The first letter that differs, counted from 1; 0 where they are equal."`
	Parts []Difference `json:"parts" doc:"Both names in pieces, in order; put together, the pieces of one side are that name."`
}

// A Difference is a piece of two names: the same on both sides, or not.
type Difference struct {
	Same bool   `json:"same"`
	A    string `json:"a"`
	B    string `json:"b"`
}

// Compare compares two names letter by letter.
func Compare(a, b string) Comparison {
	x, y := []rune(a), []rune(b)
	c := Comparison{Equal: a == b, Parts: align(x, y)}
	if c.Equal {
		c.Says = "they are equal, letter by letter"
		return c
	}
	at := 1
	for _, p := range c.Parts {
		if !p.Same {
			c.At = at
			c.Says = fmt.Sprintf("they differ at letter %d: %s", at, against(p, x, y))
			break
		}
		at += len([]rune(p.A))
	}
	if more := slices.IndexFunc(c.Parts, func(p Difference) bool { return !p.Same }); more >= 0 {
		n := 0
		for _, p := range c.Parts[more+1:] {
			if !p.Same {
				n++
			}
		}
		if n > 0 {
			c.Says += fmt.Sprintf(", and at %d more", n)
			if n == 1 {
				c.Says += " place"
			} else {
				c.Says += " places"
			}
		}
	}
	return c
}

func against(p Difference, x, y []rune) string {
	switch {
	case strings.EqualFold(p.A, p.B):
		return fmt.Sprintf("capital against small letter, %s against %s", spell(p.A), spell(p.B))
	case p.A == "":
		return fmt.Sprintf("%s more in the second", spell(p.B))
	case p.B == "":
		return fmt.Sprintf("%s more in the first", spell(p.A))
	}
	return fmt.Sprintf("%s against %s", spell(p.A), spell(p.B))
}

var letterNames = map[rune]string{' ': "a space", '\t': "a tab", '\u00a0': "a no-break space",
	'\u2007': "a figure space", '\u202f': "a narrow no-break space", '\u3000': "a wide space",
	'\u200b': "a zero-width space", '\ufeff': "a byte-order mark", '-': "a hyphen", '\u2010': "a true hyphen",
	'\u2011': "a no-break hyphen", '\u2013': "an en dash", '\u2014': "an em dash", '\u2212': "a minus sign",
	'/': "a slash", '\\': "a backslash", '.': "a dot", ',': "a comma", '_': "an underscore", '\'': "a straight quote",
	'\u2019': "a curly quote", '(': "an opening bracket", ')': "a closing bracket"}

// spell names what the eye does not tell apart.
func spell(s string) string {
	r := []rune(s)
	if len(r) > 0 && !slices.ContainsFunc(r, func(c rune) bool { return c != r[0] }) {
		if n, ok := letterNames[r[0]]; ok {
			if len(r) == 1 {
				return n
			}
			return fmt.Sprintf("%d times %s", len(r), strings.TrimPrefix(strings.TrimPrefix(n, "a "), "an "))
		}
	}
	return "“" + Visible(s) + "”"
}

// Visible writes a name so that every letter can be seen: spaces as ·, tabs as →, other blanks and invisible letters by
// their number.
func Visible(s string) string {
	var b strings.Builder
	for _, r := range s {
		switch {
		case r == ' ':
			b.WriteRune('·')
		case r == '\t':
			b.WriteRune('→')
		case unicode.IsSpace(r), unicode.IsControl(r), unicode.Is(unicode.Cf, r):
			fmt.Fprintf(&b, "[U+%04X]", r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// longest bounds what is aligned letter by letter; what is longer is compared from its ends only.
const longest = 512

// align cuts two names into pieces that are the same and pieces that are not, with as few letters as possible in the
// latter.
func align(x, y []rune) []Difference {
	pre := 0
	for pre < len(x) && pre < len(y) && x[pre] == y[pre] {
		pre++
	}
	post := 0
	for post < len(x)-pre && post < len(y)-pre && x[len(x)-1-post] == y[len(y)-1-post] {
		post++
	}
	var out []Difference
	add := func(same bool, a, b []rune) {
		if len(a)+len(b) == 0 {
			return
		}
		if n := len(out); n > 0 && out[n-1].Same == same {
			out[n-1].A += string(a)
			out[n-1].B += string(b)
			return
		}
		out = append(out, Difference{same, string(a), string(b)})
	}
	add(true, x[:pre], y[:pre])
	mx, my := x[pre:len(x)-post], y[pre:len(y)-post]
	if len(mx) > longest || len(my) > longest {
		add(false, mx, my)
	} else {
		common := lengths(mx, my)
		for i, j := 0, 0; i < len(mx) || j < len(my); {
			switch {
			case i < len(mx) && j < len(my) && mx[i] == my[j]:
				add(true, mx[i:i+1], my[j:j+1])
				i, j = i+1, j+1
			case j == len(my) || i < len(mx) && common[i+1][j] >= common[i][j+1]:
				add(false, mx[i:i+1], nil)
				i++
			default:
				add(false, nil, my[j:j+1])
				j++
			}
		}
	}
	add(true, x[len(x)-post:], y[len(y)-post:])
	return out
}

// lengths gives the longest common subsequence's length from every pair of places on.
func lengths(x, y []rune) [][]int {
	out := make([][]int, len(x)+1)
	for i := range out {
		out[i] = make([]int, len(y)+1)
	}
	for i := len(x) - 1; i >= 0; i-- {
		for j := len(y) - 1; j >= 0; j-- {
			if x[i] == y[j] {
				out[i][j] = out[i+1][j+1] + 1
			} else {
				out[i][j] = max(out[i+1][j], out[i][j+1])
			}
		}
	}
	return out
}

// Nearest gives the name that was most likely meant, where typed is none of the known ones: first one that differs only
// in case, blanks, dashes and other marks, then one that differs in few letters. An exact name gives "".
func Nearest(typed string, known []string) string {
	if slices.Contains(known, typed) {
		return ""
	}
	bare := strip(typed)
	best, bestAt := "", max(1, len([]rune(typed))/6)+1
	for _, k := range known {
		if strip(k) == bare && bare != "" {
			return k
		}
		if d := distance([]rune(strings.ToLower(typed)), []rune(strings.ToLower(k)), bestAt); d < bestAt {
			best, bestAt = k, d
		}
	}
	return best
}

// strip leaves the letters and digits.
func strip(s string) string {
	return strings.Map(func(r rune) rune {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return -1
		}
		return unicode.ToLower(r)
	}, s)
}

// distance counts the letters to add, take out or change; it gives up at most.
func distance(x, y []rune, most int) int {
	if max(len(x), len(y)) > longest || max(len(x)-len(y), len(y)-len(x)) >= most {
		return most
	}
	row := make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i, a := range x {
		diagonal, least := row[0], i+1
		row[0] = i + 1
		for j, b := range y {
			d := diagonal
			if a != b {
				d++
			}
			diagonal = row[j+1]
			row[j+1] = min(d, row[j]+1, diagonal+1)
			least = min(least, row[j+1])
		}
		if least >= most {
			return most
		}
	}
	return row[len(y)]
}
