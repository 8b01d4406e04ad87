package words

import (
	"fmt"
	"reflect"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Control says whether a rune does something to whatever shows it instead of being seen: the control characters
// (Unicode, category Cc), and those that turn the direction of writing (UAX 9, section 2).
func Control(r rune) bool {
	switch r {
	case '\u061c', '\u200e', '\u200f', '\u202a', '\u202b', '\u202c', '\u202d', '\u202e', '\u2066', '\u2067', '\u2068',
		'\u2069':
		return true
	}
	return unicode.IsControl(r)
}

// Controls says whether a text has a control character; within several lines, their ends and tabs are none.
func Controls(s string, lines bool) bool {
	for _, r := range s {
		if Control(r) && !(lines && (r == '\n' || r == '\r' || r == '\t')) {
			return true
		}
	}
	return false
}

// Escape writes control characters so that they are seen and do nothing, such as \u001b; keep are left as they are.
func Escape(s, keep string) string {
	if !strings.ContainsFunc(s, func(r rune) bool { return Control(r) && !strings.ContainsRune(keep, r) }) {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		switch {
		case !Control(r) || strings.ContainsRune(keep, r):
			b.WriteRune(r)
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\t':
			b.WriteString(`\t`)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return b.String()
}

// OneLine makes one line of a text that somebody else made up, of most bytes at most: control characters become blanks.
func OneLine(s string, most int) string {
	s = strings.TrimSpace(strings.Map(func(r rune) rune {
		if Control(r) {
			return ' '
		}
		return r
	}, s))
	return Clip(s, most)
}

// Clip keeps a text within most bytes; it ends before the character that would not fit.
func Clip(s string, most int) string {
	if len(s) <= most {
		return s
	}
	for most > 0 && !utf8.RuneStart(s[most]) {
		most--
	}
	return s[:most]
}

// Clean takes control characters, but for ends of lines and tabs, out of every text in a value that was read from
// somebody else: its fields, and the elements of its lists and maps, however deep. v is a pointer.
func Clean(v any) { clean(reflect.ValueOf(v)) }

// clean says whether it changed anything: what is clean already is only read, since others may be reading it too.
func clean(v reflect.Value) (changed bool) {
	switch v.Kind() {
	case reflect.Pointer:
		return !v.IsNil() && clean(v.Elem())
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Field(i).CanSet() {
				changed = clean(v.Field(i)) || changed
			}
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			changed = clean(v.Index(i)) || changed
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			e := reflect.New(v.Type().Elem()).Elem()
			e.Set(v.MapIndex(k))
			if clean(e) {
				v.SetMapIndex(k, e)
				changed = true
			}
		}
	case reflect.String:
		if s := v.String(); v.CanSet() && Controls(s, true) {
			v.SetString(strings.Map(func(r rune) rune {
				if Control(r) && r != '\n' && r != '\t' {
					return ' '
				}
				return r
			}, s))
			return true
		}
	}
	return changed
}
