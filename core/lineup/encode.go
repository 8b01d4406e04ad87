package lineup

import (
	"encoding/json"
	"hash"
	"strconv"
	"time"
)

// AppendJSON appends the lineup as JSON, as encoding/json would mean it, without reflection. Where sum is not nil, all
// of it but the revision and the time goes into it, and what else of its queues an endpoint asks about: what a reader
// acts upon.
func (l *Lineup) AppendJSON(b []byte, sum hash.Hash) []byte {
	from := len(b)
	said := func() {
		if sum != nil {
			_, _ = sum.Write(b[from:]) // a hash takes everything
		}
	}
	c := &l.Context
	b = append(b, `{"context":{"user":`...)
	b = optional(b, c.User)
	b = append(b, `,"machine":`...)
	b = optional(b, c.Machine)
	b = append(b, `,"host":`...)
	b = optional(b, c.Host)
	b = append(b, `,"addresses":[`...)
	for i, a := range c.Addresses {
		if i > 0 {
			b = append(b, ',')
		}
		b = append(a.AppendTo(append(b, '"')), '"')
	}
	b = append(b, `],"location":`...)
	b = optional(b, c.Location)
	b = append(b, `,"session":`...)
	b = quote(b, c.Session)
	b = append(b, `,"platform":`...)
	b = optional(b, c.Platform)
	said()
	b = append(b, `,"time":"`...)
	b = c.Time.AppendFormat(b, time.RFC3339Nano)
	b = append(b, `"},"revision":`...)
	b = strconv.AppendInt(b, int64(l.Revision), 10)
	from = len(b)
	b = append(b, `,"entries":[`...)
	for i := range l.Entries {
		if i > 0 {
			b = append(b, ',')
		}
		b = l.Entries[i].appendJSON(b)
		if w := l.Entries[i].wire; sum != nil && w != nil && w.besides != "" {
			_, _ = sum.Write([]byte(w.besides))
		}
	}
	b = append(b, `],"left_out":[`...)
	for i := range l.LeftOut {
		o := &l.LeftOut[i]
		if i > 0 {
			b = append(b, ',')
		}
		b = append(b, `{"queue":`...)
		b = quote(b, o.Queue)
		b = append(b, `,"reason":`...)
		b = quote(b, string(o.Reason))
		b = append(b, `,"grants":`...)
		b = append(quotes(b, o.Grants), '}')
	}
	b = append(b, ']', '}')
	said()
	return b
}

// wire is what the estate alone makes of an entry, ready to be copied.
type wire struct {
	head, path, options []byte
	besides             string // what else of the queue an endpoint shows or sets: what is fitted, and where it is
}

func wireHead(queue string, title *string) []byte {
	b := quote([]byte(`{"queue":`), queue)
	return optional(append(b, `,"title":`...), title)
}

func wirePath(t Taken) []byte {
	b := quote([]byte(`,"path":{"through":`), string(t.Through))
	b = optional(append(b, `,"device":`...), t.Device)
	b = optional(append(b, `,"server":`...), t.Server)
	b = optional(append(b, `,"set":`...), t.Set)
	return append(quote(append(b, `,"uri":`...), t.URI), '}')
}

func wireOptions(options map[string]any) []byte {
	text, _ := json.Marshal(options) // texts, numbers and lists of these
	return append([]byte(`,"options":`), text...)
}

func (e *Entry) appendJSON(b []byte) []byte {
	w := e.wire
	if w == nil {
		w = &wire{wireHead(e.Queue, e.Title), wirePath(e.Path), wireOptions(e.Options), ""}
	}
	b = append(b, w.head...)
	b = append(b, `,"effect":"`...)
	b = append(b, e.Effect...) // of fixed words, as are scope, if_removed and not_accepting
	b = append(b, `","scope":"`...)
	b = append(b, e.Scope...)
	b = append(b, `","default":`...)
	b = strconv.AppendBool(b, e.Default)
	b = append(b, `,"insist":`...)
	b = strconv.AppendBool(b, e.Insist)
	b = append(b, `,"if_removed":"`...)
	b = append(b, e.IfRemoved...)
	b = append(b, `","stranded":`...)
	b = strconv.AppendBool(b, e.Stranded)
	b = append(b, `,"not_accepting":`...)
	b = optional(b, e.NotAccepting)
	b = append(b, `,"distance":`...)
	if e.Distance == nil {
		b = append(b, "null"...)
	} else {
		b = strconv.AppendInt(b, int64(*e.Distance), 10)
	}
	b = append(b, w.path...)
	b = append(b, `,"driver":"`...)
	b = append(b, e.Driver...) // a name
	b = append(b, `","exact":`...)
	b = optional(b, e.Exact)
	b = append(b, w.options...)
	b = append(b, `,"grants":[`...)
	for i, g := range e.Grants {
		if i > 0 {
			b = append(b, ',')
		}
		b = append(append(append(b, '"'), g...), '"') // a name
	}
	return append(b, ']', '}')
}

func quotes(b []byte, list []string) []byte {
	b = append(b, '[')
	for i, s := range list {
		if i > 0 {
			b = append(b, ',')
		}
		b = quote(b, s)
	}
	return append(b, ']')
}

func optional(b []byte, s *string) []byte {
	if s == nil {
		return append(b, "null"...)
	}
	return quote(b, *s)
}

// quote writes a text; what is not plain ASCII is left to encoding/json.
func quote(b []byte, s string) []byte {
	for i := range len(s) {
		if c := s[i]; c < 0x20 || c >= 0x7f || c == '"' || c == '\\' {
			text, _ := json.Marshal(s) // a text cannot fail
			return append(b, text...)
		}
	}
	return append(append(append(b, '"'), s...), '"')
}
