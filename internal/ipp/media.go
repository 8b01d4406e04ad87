package ipp

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Size gives the sides in hundredths of millimetres that stand at the end of a self-describing name of media (PWG
// 5101.1, section 5.1), such as iso_a4_210x297mm; ok is false where there are none.
func Size(media string) (x, y int32, ok bool) {
	size := media[strings.LastIndexByte(media, '_')+1:]
	unit := 100.0
	text, metric := strings.CutSuffix(size, "mm")
	if !metric {
		if text, ok = strings.CutSuffix(size, "in"); !ok {
			return 0, 0, false
		}
		unit = 2540
	}
	a, b, both := strings.Cut(text, "x")
	w, err1 := strconv.ParseFloat(a, 64)
	h, err2 := strconv.ParseFloat(b, 64)
	if !both || err1 != nil || err2 != nil || w <= 0 || h <= 0 || w > 1e4 || h > 1e5 {
		return 0, 0, false
	}
	return int32(w*unit + 0.5), int32(h*unit + 0.5), true
}

// Col makes a collection.
func Col(members ...Attribute) Value { return Value{Tag: Collection, Members: members} }

// Ints makes an attribute of integers or enums.
func Ints(tag Tag, name string, list ...int) Attribute {
	a := Attribute{Name: name}
	for _, n := range list {
		a.Values = append(a.Values, Int(tag, int32(n)))
	}
	return a
}

// At makes a dateTime (RFC 8011, section 5.1.15), in UTC.
func At(t time.Time) Value {
	t = t.UTC()
	return Value{Tag: DateTime, Raw: []byte{byte(t.Year() >> 8), byte(t.Year()), byte(t.Month()), byte(t.Day()),
		byte(t.Hour()), byte(t.Minute()), byte(t.Second()), byte(t.Nanosecond() / 1e8), '+', 0, 0}}
}

// Supported makes the attribute that says which values of an option there are, out of their words: numbers, ranges,
// truths, resolutions and keywords.
func Supported(name, option string, words []string) Attribute {
	a := Attribute{Name: name}
	for _, w := range words {
		a.Values = append(a.Values, supportedValue(option, w))
	}
	return a
}

func supportedValue(option, word string) Value {
	var a, b int32
	n, err := strconv.Atoi(word)
	switch {
	case err == nil && syntaxes[option] == Enum:
		return Int(Enum, int32(n))
	case err == nil:
		return Int(Integer, int32(n))
	case word == "true" || word == "false":
		return Bool(word == "true")
	case scan(word, "%dx%ddpi", &a, &b):
		return Dots(a)
	case scan(word, "%d-%d", &a, &b) && fmt.Sprintf("%d-%d", a, b) == word:
		return Span(a, b)
	}
	return Str(Keyword, word)
}
