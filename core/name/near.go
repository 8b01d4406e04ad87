package name

import (
	"cmp"
	"iter"
	"slices"
	"strings"
)

// Near gives, of some names, those that somebody may have meant by a word: few letters apart from it, or beginning with
// it or with its first part; the nearest first, at most so many. A name that is the same under folding is not among
// them.
func Near(word string, names iter.Seq[string], most int) []string {
	type near struct {
		name  string
		steps int
	}
	w := Fold(word)
	limit := max(1, len(w)/4)
	part, _, parted := strings.Cut(w, ".")
	var found []near
	for n := range names {
		f := Fold(n)
		steps := limit + 1
		if d := len(f) - len(w); -limit <= d && d <= limit {
			steps = apart(w, f, limit)
		}
		if steps > limit && len(w) >= 3 && (strings.HasPrefix(f, w) || parted && len(part) >= 3 && strings.HasPrefix(f,
			part+".")) {
			steps = limit + 1
		} else if steps > limit {
			continue
		}
		if f != w {
			found = append(found, near{n, steps})
		}
	}
	slices.SortFunc(found, func(a, b near) int {
		return cmp.Or(cmp.Compare(a.steps, b.steps), strings.Compare(a.name, b.name))
	})
	out := []string{}
	for _, f := range found[:min(most, len(found))] {
		out = append(out, f.name)
	}
	return out
}

// apart counts the single-letter edits, and exchanges of neighbours, between two words; limit+1 stands for any more.
func apart(a, b string, limit int) int {
	rows := [3][]int{make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		row, above, before := rows[i%3], rows[(i+2)%3], rows[(i+1)%3]
		row[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
			cost := above[j-1]
			if a[i-1] != b[j-1] {
				cost++
			}
			cost = min(cost, above[j]+1, row[j-1]+1)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cost = min(cost, before[j-2]+1)
			}
			row[j] = cost
			least = min(least, cost)
		}
		if least > limit {
			return limit + 1
		}
	}
	return min(rows[len(a)%3][len(b)], limit+1)
}

// DidYouMean puts near names into a question; where there are none, it gives what is to be said otherwise.
func DidYouMean(near []string, otherwise string) string {
	if len(near) == 0 {
		return otherwise
	}
	return "did you mean " + strings.Join(near, " or ") + "?"
}
