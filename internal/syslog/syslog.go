// Package syslog writes messages of the syslog protocol (RFC 5424), framed for a stream (RFC 6587, section 3.4.1, and
// RFC 5425, section 4.3). It opens no connection.
package syslog

import (
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// A Severity says how urgent a message is (RFC 5424, section 6.2.1).
type Severity int

// The severities that are used here.
const (
	Alert   Severity = 1
	Warning Severity = 4
	Notice  Severity = 5
)

// audit is the facility of messages: log audit (RFC 5424, section 6.2.1).
const audit = 13

// A Message is one entry.
type Message struct {
	Severity Severity
	At       time.Time
	Host     string // who sends it; empty where it is not known
	App      string
	ID       string // the sort of message
	Software string // of the structured data origin (RFC 5424, section 7.2)
	Version  string
	Text     string // UTF-8
}

// MostText is how much text a message may have, so that every receiver takes it whole (RFC 5425, section 4.3.1).
const MostText = 7 << 10

// Append writes a message with its length before it, as a stream needs it.
func Append(b []byte, m Message) []byte {
	body := m.write(nil)
	b = strconv.AppendInt(b, int64(len(body)), 10)
	b = append(b, ' ')
	return append(b, body...)
}

// write writes a message (RFC 5424, section 6).
func (m Message) write(b []byte) []byte {
	b = fmt.Appendf(b, "<%d>1 %s %s %s - %s ", audit*8+int(m.Severity), stamp(m.At), header(m.Host, 255),
		header(m.App, 48), header(m.ID, 32))
	if m.Software == "" {
		b = append(b, '-')
	} else {
		b = fmt.Appendf(b, `[origin software="%s" swVersion="%s"]`, value(m.Software, 48), value(m.Version, 32))
	}
	// It is cut last: what stands for a byte that is no UTF-8 may be longer than the byte.
	text := strings.Map(plain, strings.ToValidUTF8(m.Text, "?"))
	for len(text) > MostText || !utf8.ValidString(text) {
		text = text[:len(text)-1]
	}
	b = append(b, " \xef\xbb\xbf"...) // UTF-8 follows (section 6.4)
	return append(b, text...)
}

// stamp has microseconds at most (section 6.2.3).
func stamp(at time.Time) string {
	if at.IsZero() {
		return "-"
	}
	return at.UTC().Format("2006-01-02T15:04:05.000000Z07:00")
}

// header is a field of the header: printable ASCII, and a dash where there is nothing.
func header(s string, most int) string {
	s = strings.Map(func(r rune) rune {
		if r <= ' ' || r > '~' {
			return '_'
		}
		return r
	}, s)
	if len(s) > most {
		s = s[:most]
	}
	if s == "" {
		return "-"
	}
	return s
}

// value is that of a parameter (section 6.3.3).
func value(s string, most int) string {
	for len(s) > most || !utf8.ValidString(s) {
		s = s[:len(s)-1]
	}
	return strings.NewReplacer(`"`, `\"`, `\`, `\\`, `]`, `\]`).Replace(strings.Map(plain, s))
}

// plain takes control characters out: one may forge a line where the message is shown.
func plain(r rune) rune {
	if r < ' ' || r == 0x7f || r >= 0x80 && r < 0xa0 {
		return ' '
	}
	return r
}
