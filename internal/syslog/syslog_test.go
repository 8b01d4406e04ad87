package syslog

import (
	"bytes"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf8"
)

func TestAppend(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 3, 2, 8, 4, 5, 123456789, time.FixedZone("", 3600))
	for _, c := range []struct {
		m    Message
		want string
	}{
		{Message{Severity: Notice, At: at, Host: "cirque.example", App: "cirque", ID: "token.made", Software: "Cirque",
			Version: "1.2", Text: `{"id":7}`},
			`<109>1 2026-03-02T07:04:05.123456Z cirque.example cirque - token.made [origin software="Cirque" ` +
				`swVersion="1.2"] ` + "\xef\xbb\xbf" + `{"id":7}`},
		{Message{Severity: Alert, Text: "a\nb\x1b[1m"}, "<105>1 - - - - - - \xef\xbb\xbfa b [1m"},
		{Message{Severity: Warning, Host: "zwei wörter", Software: `a"]\`, Version: ""},
			`<108>1 - zwei_w_rter - - - [origin software="a\"\]\\" swVersion=""] ` + "\xef\xbb\xbf"},
	} {
		got := string(Append(nil, c.m))
		if want := strconv.Itoa(len(c.want)) + " " + c.want; got != want {
			t.Errorf("got  %q\nwant %q", got, want)
		}
	}
}

// shape is the ABNF of RFC 5424, section 6, as far as it is used here.
var shape = regexp.MustCompile(`(?s)^<10[589]>1 (-|\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{6}Z) [!-~]{1,255} [!-~]{1,48} - ` +
	`[!-~]{1,32} (-|\[origin software="([^"\\\]]|\\["\\\]])*" swVersion="([^"\\\]]|\\["\\\]])*"\]) ` + "\xef\xbb\xbf.*$")

// FuzzAppend: whatever is in a message, what is written is one message of the syntax, of its stated length, on one
// line.
func FuzzAppend(f *testing.F) {
	f.Add("cirque.example", "token.made", "Cirque", "1.2", `{"id":7}`)
	f.Add("a b", "x\n", `"]\`, "\xff", strings.Repeat("ö", 5000))
	f.Add("a", "x", "a", "1", strings.Repeat("a\x81", 6000))
	f.Fuzz(func(t *testing.T, host, id, software, version, text string) {
		b := Append(nil, Message{Severity: Notice, At: time.Unix(1, 0), Host: host, App: host, ID: id, Software: software,
			Version: version, Text: text})
		n, body, ok := bytes.Cut(b, []byte(" "))
		if size, err := strconv.Atoi(string(n)); !ok || err != nil || size != len(body) {
			t.Fatalf("%q has %d octets", n, len(body))
		}
		if !shape.Match(body) || !utf8.Valid(body) || bytes.ContainsAny(body, "\n\r\x00\x1b") || len(body) > 8<<10 {
			t.Fatalf("%q", body)
		}
	})
}
