package estate

import (
	"bytes"
	"encoding/json"
	"time"

	"cirque/core/span"
)

// Revisions and drafts are stored as they were written. What the version before stored of lengths of time, shares and
// the mail server is read as it is written now.

// formers are, by list, the keys of the version before and what each is now; the settings are by their own names.
func formers() map[string]map[string]rewrite {
	return map[string]map[string]rewrite{
		"locations": {"cut_days": in("cut", aDay)},
		"notices": {"after": in("after", time.Minute), "again": in("again", time.Hour),
			"part": func(raw json.RawMessage) (string, any) {
				var n Percent
				return "part", fromNumber(raw, func(v float64) any { n = Percent(v); return n })
			}},
		AgentsSetting: {"wait_seconds": in("wait", time.Second), "report_minutes": in("report_every", time.Minute),
			"gap_seconds": in("gap", time.Second)},
		ContinuitySetting: {"probe_seconds": in("probe_every", time.Second), "flap_minutes": in("flap_within", time.Minute),
			"return_minutes": in("return_over", time.Minute)},
		HistorySetting: {"person_days": in("people", aDay), "event_days": in("events", aDay), "audit_days": in("audit",
			aDay)},
		SignInSetting: {"idle_minutes": in("idle", time.Minute), "again_minutes": in("again", time.Minute)},
		MailSetting:   {"relay": func(raw json.RawMessage) (string, any) { return "server", raw }},
	}
}

// A rewrite gives a value's key and value as they are now; no value where it is so already.
type rewrite func(raw json.RawMessage) (key string, value any)

// in makes a number of units into a span.
func in(key string, unit time.Duration) rewrite {
	return func(raw json.RawMessage) (string, any) {
		return key, fromNumber(raw, func(n float64) any { return span.Span(n * float64(unit)) })
	}
}

func fromNumber(raw json.RawMessage, as func(float64) any) any {
	var n float64
	if json.Unmarshal(raw, &n) != nil {
		return nil
	}
	return as(n)
}

// maybeFormer says whether something may stand in a text as the version before had it: most have nothing. It is asked
// of every document that is read, and costs little beside reading it.
func maybeFormer(b []byte) bool {
	for _, key := range []string{`_days"`, `_minutes"`, `_seconds"`, `"relay"`} {
		if bytes.Contains(b, []byte(key)) {
			return true
		}
	}
	return numbered(b, `"after"`) || numbered(b, `"again"`) || numbered(b, `"part"`)
}

// numbered says whether a key stands in a text with a bare number.
func numbered(b []byte, key string) bool {
	for {
		_, rest, found := bytes.Cut(b, []byte(key))
		if !found {
			return false
		}
		if next := bytes.TrimLeft(rest, ": \t\r\n"); len(next) > 0 && next[0] >= '0' && next[0] <= '9' {
			return true
		}
		b = rest
	}
}

// renewed gives an object of a list as it is written now.
func renewed(list string, raw json.RawMessage) (json.RawMessage, error) {
	if !maybeFormer(raw) {
		return raw, nil
	}
	var o map[string]json.RawMessage
	if err := json.Unmarshal(raw, &o); err != nil {
		return nil, err
	}
	for key, to := range formers()[list] {
		if _, there := o[key]; !there {
			continue
		}
		now, value := to(o[key])
		if value == nil {
			continue
		}
		text, err := json.Marshal(value)
		if err != nil {
			return nil, err
		}
		delete(o, key)
		o[now] = text
	}
	return json.Marshal(o)
}

// UnmarshalJSON reads what the version before stored, too.
func (d *Document) UnmarshalJSON(b []byte) error {
	type plain Document
	if !maybeFormer(b) {
		return json.Unmarshal(b, (*plain)(d))
	}
	var o map[string]json.RawMessage
	if err := json.Unmarshal(b, &o); err != nil {
		return err
	}
	for _, list := range []string{"locations", "notices"} {
		var rows []json.RawMessage
		if json.Unmarshal(o[list], &rows) != nil {
			continue
		}
		for i := range rows {
			var err error
			if rows[i], err = renewed(list, rows[i]); err != nil {
				return err
			}
		}
		o[list], _ = json.Marshal(rows) // it has just been read
	}
	var settings map[string]json.RawMessage
	if json.Unmarshal(o["settings"], &settings) == nil && settings != nil {
		for name, raw := range settings {
			var err error
			if settings[name], err = renewed(name, raw); err != nil {
				return err
			}
		}
		o["settings"], _ = json.Marshal(settings)
	}
	b, err := json.Marshal(o)
	if err != nil {
		return err
	}
	return json.Unmarshal(b, (*plain)(d))
}
