package ipp

import (
	"encoding/binary"
	"fmt"
	"strconv"
	"time"
)

// Word writes a value as options are written by people: keywords, numbers, true and false, ranges and resolutions. Out
// of band values and collections are "".
func (v Value) Word() string {
	switch v.Tag {
	case Integer, Enum:
		return strconv.Itoa(int(v.Int))
	case Boolean:
		return strconv.FormatBool(v.Int == 1)
	case Range:
		if len(v.Raw) == 8 {
			return fmt.Sprintf("%d-%d", int32(binary.BigEndian.Uint32(v.Raw)), int32(binary.BigEndian.Uint32(v.Raw[4:])))
		}
	case Resolution:
		if len(v.Raw) == 9 {
			unit := "dpi"
			if v.Raw[8] == 4 {
				unit = "dpcm" // RFC 8011, section 5.1.16
			}
			return fmt.Sprintf("%dx%d%s", int32(binary.BigEndian.Uint32(v.Raw)), int32(binary.BigEndian.Uint32(v.Raw[4:])), unit)
		}
	}
	return v.Text
}

// Words writes all values of an attribute, without those that have no word.
func (a Attribute) Words() []string {
	var out []string
	for _, v := range a.Values {
		if w := v.Word(); w != "" {
			out = append(out, w)
		}
	}
	return out
}

// Option gives an attribute's value as a document has it: a text, a whole number, a truth, or a list of these.
func (a Attribute) Option() any {
	one := func(v Value) any {
		switch v.Tag {
		case Integer, Enum:
			return float64(v.Int) // as JSON reads it back
		case Boolean:
			return v.Int == 1
		}
		return v.Word()
	}
	if len(a.Values) == 1 {
		return one(a.Values[0])
	}
	out := make([]any, 0, len(a.Values))
	for _, v := range a.Values {
		out = append(out, one(v))
	}
	return out
}

// enums are the options whose numbers are enums (RFC 8011, section 5.2).
var enums = map[string]bool{"finishings": true, "print-quality": true, "orientation-requested": true}

// OptionAttribute is Option's way back: it makes the attribute called name for the value of an option as a document has
// it. A value of another kind is an error.
func OptionAttribute(name, option string, value any) (Attribute, error) {
	list, ok := value.([]any)
	if !ok {
		list = []any{value}
	}
	a := Attribute{Name: name}
	for _, v := range list {
		tag := Integer
		if enums[option] {
			tag = Enum
		}
		switch v := v.(type) {
		case string:
			a.Values = append(a.Values, Str(Keyword, v))
		case bool:
			a.Values = append(a.Values, Bool(v))
		case int:
			a.Values = append(a.Values, Int(tag, int32(v)))
		case int64:
			a.Values = append(a.Values, Int(tag, int32(v)))
		case float64:
			a.Values = append(a.Values, Int(tag, int32(v)))
		default:
			return a, fmt.Errorf("the option %s has a value that no attribute takes: %v", option, v)
		}
	}
	if len(a.Values) == 0 {
		return a, fmt.Errorf("the option %s has no value", option)
	}
	return a, nil
}

// Options are the job template attributes that Cirque reads of queues and devices (RFC 8011, section 5.2; PWG 5100.3).
var Options = []string{"sides", "print-color-mode", "media", "media-source", "media-type", "print-quality",
	"finishings", "output-bin", "number-up", "orientation-requested", "copies"}

// Time reads a dateTime (RFC 8011, section 5.1.15, after RFC 2579).
func (v Value) Time() (time.Time, bool) {
	b := v.Raw
	if v.Tag != DateTime || len(b) != 11 || b[8] != '+' && b[8] != '-' {
		return time.Time{}, false
	}
	offset := int(b[9])*3600 + int(b[10])*60
	if b[8] == '-' {
		offset = -offset
	}
	return time.Date(int(b[0])<<8|int(b[1]), time.Month(b[2]), int(b[3]), int(b[4]), int(b[5]), int(b[6]),
		int(b[7])*100_000_000, time.FixedZone("", offset)).UTC(), true
}
