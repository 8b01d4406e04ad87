package ipp

import (
	"encoding/binary"
	"fmt"
	"maps"
	"slices"
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

// Option gives an attribute's value as a document has it: a text, a whole number, a truth, an object of a collection's
// members, or a list of these.
func (a Attribute) Option() any {
	one := func(v Value) any {
		switch v.Tag {
		case Integer, Enum:
			return float64(v.Int) // as JSON reads it back
		case Boolean:
			return v.Int == 1
		case Collection:
			out := make(map[string]any, len(v.Members))
			for _, m := range v.Members {
				out[m.Name] = m.Option()
			}
			return out
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

// syntaxes are those of options whose values are neither keywords nor integers (RFC 8011, section 5.2; PWG 5100.7).
var syntaxes = map[string]Tag{"finishings": Enum, "print-quality": Enum, "orientation-requested": Enum,
	"page-ranges": Range, "printer-resolution": Resolution, "output-device": Name, "job-name": Name,
	"job-account-id": Name}

// OptionAttribute is Option's way back: it makes the attribute called name for the value of an option as a document has
// it. A value of another kind is an error.
func OptionAttribute(name, option string, value any) (Attribute, error) {
	list, ok := value.([]any)
	if !ok {
		list = []any{value}
	}
	a := Attribute{Name: name}
	for _, v := range list {
		made, err := optionValue(option, v)
		if err != nil {
			return a, err
		}
		a.Values = append(a.Values, made)
	}
	if len(a.Values) == 0 {
		return a, fmt.Errorf("the option %s has no value", option)
	}
	return a, nil
}

func optionValue(option string, v any) (Value, error) {
	tag, special := syntaxes[option]
	number := func(n int) Value {
		if tag == Enum {
			return Int(Enum, int32(n))
		}
		return Int(Integer, int32(n))
	}
	switch v := v.(type) {
	case string:
		var a, b int32
		switch {
		case tag == Range && scan(v, "%d-%d", &a, &b):
			return Span(a, b), nil
		case tag == Resolution && scan(v, "%dx%ddpi", &a, &b):
			return Dots(a), nil
		case special && tag != Enum:
			return Str(tag, v), nil
		}
		return Str(Keyword, v), nil
	case bool:
		return Bool(v), nil
	case int:
		return number(v), nil
	case int64:
		return number(int(v)), nil
	case float64:
		return number(int(v)), nil
	case map[string]any:
		out := Value{Tag: Collection}
		for _, k := range slices.Sorted(maps.Keys(v)) {
			m, err := OptionAttribute(k, k, v[k])
			if err != nil {
				return out, err
			}
			out.Members = append(out.Members, m)
		}
		return out, nil
	}
	return Value{}, fmt.Errorf("the option %s has a value that no attribute takes: %v", option, v)
}

func scan(s, format string, a, b *int32) bool {
	n, err := fmt.Sscanf(s, format, a, b)
	return err == nil && n == 2
}

// Span makes a range of integers, both ends included (RFC 8011, section 5.1.14).
func Span(from, to int32) Value {
	b := binary.BigEndian.AppendUint32(nil, uint32(from))
	return Value{Tag: Range, Raw: binary.BigEndian.AppendUint32(b, uint32(to))}
}

// Options are the job template attributes that Cirque reads of queues and devices (RFC 8011, section 5.2; PWG 5100.3).
var Options = []string{"sides", "print-color-mode", "media", "media-source", "media-type", "print-quality",
	"finishings", "output-bin", "number-up", "orientation-requested", "copies"}

// Abilities are what else a device has and a driverless client asks for (PWG 5100.7, 5100.13, 5100.14).
var Abilities = []string{"page-ranges", "printer-resolution", "print-content-optimize", "print-rendering-intent",
	"print-scaling", "media-bottom-margin", "media-top-margin", "media-left-margin", "media-right-margin", "media-ready",
	"urf", "pwg-raster-document-resolution", "pwg-raster-document-type", "pwg-raster-document-sheet-back",
	"identify-actions", "multiple-document-handling", "operations"}

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
