package document

import (
	"bytes"
	"fmt"
)

// Limits on what is built of a document, which are looked at before anything is. A value of YAML takes about 300 bytes
// while it is read, one of JSON about 70.
const (
	// maxAliases is how many aliases a document may have. Estates need hardly any.
	maxAliases = 10_000
	// A document may have denseFrom values however short they are, and one more for every denseBytes bytes: what people
	// and programs write has one for ten.
	denseFrom  = 100_000
	denseBytes = 5
)

// beyond says which limit a document is beyond, and in which line; "" where none. It counts all that may separate two
// values, in texts too, and so never too few.
func beyond(data []byte) (line int, what string) {
	values, aliases, before := 1, 0, byte('\n')
	for i, c := range data {
		next := byte('\n')
		if i+1 < len(data) {
			next = data[i+1]
		}
		switch c {
		case ',', '\n', ':', '[', '{':
			values++
		case '-', '?':
			if next == ' ' || next == '\n' || next == '\t' {
				values++
			}
		case '*':
			if separates(before) && !separates(next) {
				aliases++
			}
		}
		before = c
		switch {
		case values > maxNodes:
			what = fmt.Sprintf("too large: more than %d values", maxNodes)
		case values > denseFrom+i/denseBytes:
			what = fmt.Sprintf("too dense: %d values in %d bytes", values, i+1)
		case aliases > maxAliases:
			what = fmt.Sprintf("too many aliases: more than %d", maxAliases)
		default:
			continue
		}
		return 1 + bytes.Count(data[:i], []byte{'\n'}), what
	}
	return 0, ""
}

func separates(c byte) bool {
	switch c {
	case ' ', '\t', '\n', ',', '[', ']', '{', '}', ':', '-':
		return true
	}
	return false
}
