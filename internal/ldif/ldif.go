// Package ldif reads the LDAP Data Interchange Format, version 1 (RFC 2849): from text to records, no more. It knows
// nothing of what the attributes mean.
package ldif

import (
	"encoding/base64"
	"fmt"
	"strings"
	"unicode/utf8"
)

// Limits on what is read.
const (
	MaxRecords = 2_000_000
	maxLine    = 4 << 20
)

// A Record is one entry. Change records are refused: what is read here is a state, not a change.
type Record struct {
	Line       int // where it begins
	DN         string
	Attributes []Attribute
}

// An Attribute is one attribute with one value. Name is in lower case, without options.
type Attribute struct {
	Line  int
	Name  string
	Value string
}

// Get gives the first value of an attribute, "" where there is none.
func (r Record) Get(name string) string {
	for _, a := range r.Attributes {
		if a.Name == name {
			return a.Value
		}
	}
	return ""
}

// All gives all values of an attribute.
func (r Record) All(name string) []string {
	var out []string
	for _, a := range r.Attributes {
		if a.Name == name {
			out = append(out, a.Value)
		}
	}
	return out
}

// A ParseError says which line cannot be read.
type ParseError struct {
	Line int
	What string
}

func (e *ParseError) Error() string { return fmt.Sprintf("ldif: line %d: %s", e.Line, e.What) }

// line is a logical line: folded ones joined.
type line struct {
	number int
	text   string
}

// Parse reads all records. Errors are *ParseError; the first ends the reading.
func Parse(text string) ([]Record, error) {
	lines, err := unfold(text)
	if err != nil {
		return nil, err
	}
	var out []Record
	var cur *Record
	for _, l := range lines {
		if l.text == "" {
			cur = nil
			continue
		}
		name, value, err := l.split()
		if err != nil {
			return nil, err
		}
		switch {
		case name == "version" && len(out) == 0 && cur == nil:
			if value != "1" {
				return nil, &ParseError{l.number, fmt.Sprintf("version %s is not known, only 1", value)}
			}
		case cur == nil && name != "dn":
			return nil, &ParseError{l.number, fmt.Sprintf("a record begins with dn:, not with %s:", name)}
		case cur == nil:
			if len(out) >= MaxRecords {
				return nil, &ParseError{l.number, "too many records"}
			}
			out = append(out, Record{Line: l.number, DN: value})
			cur = &out[len(out)-1]
		case name == "dn":
			return nil, &ParseError{l.number, "a blank line is missing before this record"}
		case name == "changetype" || name == "control":
			return nil, &ParseError{l.number, "this is a list of changes; export the entries themselves"}
		default:
			cur.Attributes = append(cur.Attributes, Attribute{l.number, name, value})
		}
	}
	return out, nil
}

// unfold joins lines that continue others (RFC 2849, note 2). What is long is joined once, at its end: whoever sends a
// line in a million pieces must not have it copied a million times.
func unfold(text string) ([]line, error) {
	var out []line
	var pieces []string // of the last line, once it is continued
	long := 0
	join := func() {
		if len(pieces) > 0 {
			out[len(out)-1].text = strings.Join(pieces, "")
			pieces = nil
		}
	}
	comment := false
	number := 0
	for raw := range strings.Lines(strings.TrimPrefix(text, "\ufeff")) {
		number++
		raw = strings.TrimSuffix(strings.TrimSuffix(raw, "\n"), "\r")
		switch {
		case strings.HasPrefix(raw, " "):
			if comment {
				continue
			}
			if len(out) == 0 || out[len(out)-1].text == "" {
				return nil, &ParseError{number, "this line continues nothing"}
			}
			if len(pieces) == 0 {
				pieces, long = append(pieces, out[len(out)-1].text), len(out[len(out)-1].text)
			}
			pieces = append(pieces, raw[1:])
			if long += len(raw) - 1; long > maxLine {
				return nil, &ParseError{number, "the value is too long"}
			}
		case strings.HasPrefix(raw, "#"):
			comment = true
		default:
			comment = false
			join()
			if len(raw) > maxLine {
				return nil, &ParseError{number, "the value is too long"}
			}
			out = append(out, line{number, raw})
		}
	}
	join()
	return out, nil
}

func (l line) split() (name, value string, err error) {
	name, value, ok := strings.Cut(l.text, ":")
	name, _, _ = strings.Cut(strings.ToLower(name), ";")
	if !ok || name == "" || strings.ContainsAny(name, " \t") {
		return "", "", &ParseError{l.number, "a line is NAME: VALUE"}
	}
	switch {
	case strings.HasPrefix(value, ":"):
		b, err := base64.StdEncoding.DecodeString(strings.TrimSpace(value[1:]))
		if err != nil {
			return "", "", &ParseError{l.number, name + ": not valid base64"}
		}
		value = string(b)
	case strings.HasPrefix(value, "<"):
		return "", "", &ParseError{l.number, name + ": values in other files or at URLs are not read"}
	default:
		value = strings.TrimLeft(value, " ")
		if !utf8.ValidString(value) {
			return "", "", &ParseError{l.number, name + ": not UTF-8; such values are written in base64"}
		}
	}
	return name, value, nil
}
