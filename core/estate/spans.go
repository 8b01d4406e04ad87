package estate

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"cirque/core/document"
	"cirque/core/span"
)

// Lengths of time and shares are written with their unit: 90s, 5m, 10%. The version before had bare numbers, mostly
// under keys that named the unit; those are read for one version more, and return_minutes always.

// A Percent is a share, written such as 10%.
type Percent int

func (p Percent) String() string { return strconv.Itoa(int(p)) + "%" }

// MarshalText writes a share.
func (p Percent) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads one.
func (p *Percent) UnmarshalText(text []byte) error {
	n, err := strconv.Atoi(strings.TrimSuffix(string(text), "%"))
	*p = Percent(n)
	return err
}

// A former key is how the version before wrote a length of time.
type former struct {
	key  string
	unit time.Duration
}

// spanOf reads a length of time within bounds, where one is written, under its key or as the version before had it; ok
// is false where none is.
func spanOf(o document.Object, key string, least, most time.Duration, was former, into *span.Span) (ok bool) {
	n, wrote := o.Get(key)
	if !wrote && was.key != "" {
		if n, wrote = o.Get(was.key); !wrote {
			return false
		}
		number, good := n.Int(int((least+was.unit-1)/was.unit), int(most/was.unit))
		*into = span.Span(time.Duration(number) * was.unit)
		return good
	}
	if !wrote {
		return false
	}
	if v, _ := n.Value(); was.key == "" && was.unit > 0 {
		if number, bare := v.(float64); bare {
			v = span.Format(time.Duration(number * float64(was.unit)))
		}
		if text, is := v.(string); is {
			return bounded(n, text, least, most, into)
		}
	}
	text, is := n.Text()
	return is && bounded(n, text, least, most, into)
}

func bounded(n document.Node, text string, least, most time.Duration, into *span.Span) bool {
	d, err := span.Parse(text)
	switch {
	case err != nil:
		what, fix, _ := strings.Cut(err.Error(), ": ")
		n.Complain(fix, "%s", what)
		return false
	case d < least || d > most:
		n.Complain(fmt.Sprintf("write %s to %s", span.Format(least), span.Format(most)), "%s is out of bounds", text)
		return false
	}
	*into = span.Span(d)
	return true
}

// percentOf reads a share of 1 to 100 percent, where one is written.
func percentOf(o document.Object, key string, into *Percent) {
	n, wrote := o.Get(key)
	if !wrote {
		return
	}
	v, _ := n.Value()
	number, is := v.(float64) // as the version before had it
	if text, ok := v.(string); ok && strings.HasSuffix(text, "%") {
		n, err := strconv.Atoi(strings.TrimSuffix(text, "%"))
		number, is = float64(n), err == nil
	}
	if !is || number < 1 || number > 100 || number != float64(int(number)) {
		n.Complain("write 1% to 100%", "that is no share")
		return
	}
	*into = Percent(number)
}

const aDay = 24 * time.Hour
