package cmdline

import (
	"io"
	"strings"
	"unicode/utf8"

	"cirque/core/words"
)

// A plainWriter shows what the service tells and somebody made up: control characters are written out, so that none
// does anything to the terminal. Ends of lines and tabs are the client's own.
type plainWriter struct {
	to   io.Writer
	rest []byte // the beginning of a character whose end has not come yet
}

func (w *plainWriter) Write(b []byte) (int, error) {
	text := append(w.rest, b...)
	w.rest = nil
	for i := 1; i < utf8.UTFMax && i <= len(text); i++ {
		if at := len(text) - i; utf8.RuneStart(text[at]) {
			if !utf8.FullRune(text[at:]) {
				w.rest = append([]byte(nil), text[at:]...)
				text = text[:at]
			}
			break
		}
	}
	lines := strings.Split(words.Escape(string(text), "\n\t\r"), "\r\n") // CSV ends its lines so
	for i := range lines {
		lines[i] = strings.ReplaceAll(lines[i], "\r", `\r`)
	}
	s := strings.Join(lines, "\r\n")
	if _, err := io.WriteString(w.to, s); err != nil {
		return 0, err
	}
	return len(b), nil
}

// Plain makes one.
func Plain(to io.Writer) io.Writer { return &plainWriter{to: to} }
