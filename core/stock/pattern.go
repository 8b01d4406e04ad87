package stock

import (
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
)

// CheckPattern refuses a pattern of names with words in braces that are none of those that stand for something of what
// is named.
func CheckPattern(pattern string, words []string, of string) error {
	rest := pattern
	var near []string
	braced := make([]string, 0, len(words))
	for _, w := range words {
		rest = strings.ReplaceAll(rest, "{"+w+"}", "")
		braced = append(braced, "{"+w+"}")
		if len(w) > 1 { // a single letter is near to anything
			near = append(near, w)
		}
	}
	i := strings.IndexAny(rest, "{}")
	if i < 0 {
		return nil
	}
	word := rest[i:]
	if end := strings.IndexByte(word, '}'); end > 0 {
		word = word[:end+1]
	}
	fix := "write " + strings.Join(braced, ", ")
	if meant := document.Nearest(strings.Trim(word, "{}"), near); meant != "" {
		fix = "did you mean {" + meant + "}?"
	}
	return fault.New(fault.Invalid, "pattern-invalid", fix, "%q in the pattern stands for nothing of %s", word, of)
}

// Fill writes what the words in a pattern's braces stand for in their places.
func Fill(pattern string, stand map[string]string) string {
	var pairs []string
	for w, s := range stand {
		pairs = append(pairs, "{"+w+"}", s)
	}
	return strings.NewReplacer(pairs...).Replace(pattern)
}
