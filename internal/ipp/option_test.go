package ipp

import (
	"testing"
	"time"
)

func TestOptionWords(t *testing.T) {
	for _, c := range []struct {
		v    Value
		want string
	}{
		{Str(Keyword, "one-sided"), "one-sided"}, {Int(Integer, -4), "-4"}, {Int(Enum, 5), "5"}, {Bool(true), "true"},
		{Bool(false), "false"},
		{Value{Tag: Range, Raw: []byte{0, 0, 0, 1, 0, 0, 0, 99}}, "1-99"}, {Value{Tag: Resolution, Raw: []byte{0, 0, 2, 88, 0,
			0, 2, 88, 3}}, "600x600dpi"},
		{Value{Tag: Resolution, Raw: []byte{0, 0, 0, 118, 0, 0, 0, 118, 4}}, "118x118dpcm"},
		{Value{Tag: Range, Raw: []byte{1}}, ""},
	} {
		if got := c.v.Word(); got != c.want {
			t.Errorf("%+v: %q, want %q", c.v, got, c.want)
		}
	}
	if o, ok := (Attribute{Values: []Value{Int(Enum, 3), Int(Enum, 20)}}).Option().([]any); !ok || len(o) != 2 ||
		o[0] != 3.0 {
		t.Error(o)
	}
	if o := Strs(Keyword, "sides", "one-sided").Option(); o != "one-sided" {
		t.Error(o)
	}
}

func TestDateTime(t *testing.T) {
	v := Value{Tag: DateTime, Raw: []byte{0x07, 0xea, 11, 23, 14, 30, 5, 0, '+', 1, 0}}
	if at, ok := v.Time(); !ok || !at.Equal(time.Date(2026, 11, 23, 13, 30, 5, 0, time.UTC)) {
		t.Error(at, ok)
	}
	for _, raw := range [][]byte{nil, {1, 2}, {0x07, 0xea, 11, 23, 14, 30, 5, 0, 'x', 1, 0}} {
		if _, ok := (Value{Tag: DateTime, Raw: raw}).Time(); ok {
			t.Errorf("%v is a time", raw)
		}
	}
}

// TestParseWithin: an answer over the limits is refused, whatever it says of its lengths.
func TestParseWithin(t *testing.T) {
	m := NewRequest(GetPrinters, 7, "ipp://h/ipp/system")
	for range 50 {
		m.Groups = append(m.Groups, Group{Tag: PrinterGroup, Attributes: []Attribute{Strs(Name, "printer-name", "a name"),
			Strs(Keyword, "sides-supported", "one-sided", "two-sided-long-edge")}})
	}
	b, err := m.AppendTo(nil)
	if err != nil {
		t.Fatal(err)
	}
	if back, rest, err := ParseWithin(b, 1<<20, 1000); err != nil || len(back.Groups) != 51 || len(rest) != 0 {
		t.Error(len(back.Groups), err)
	}
	for _, limits := range [][2]int{{100, 1000}, {1 << 20, 20}} {
		if _, _, err := ParseWithin(b, limits[0], limits[1]); err == nil {
			t.Error("over the limits, and taken:", limits)
		}
	}
	if back, _, err := Parse(b); err == nil && len(back.Groups) != 51 {
		t.Error("the usual limits cut it off without a word")
	}
	for i := range len(b) - 1 {
		if _, _, err := ParseWithin(b[:i], 1<<20, 1000); err == nil {
			t.Fatalf("cut off at %d, and taken", i)
		}
	}
	huge := []byte{2, 0, 0, 0, 0, 0, 0, 1, 1, 0x47, 0xff, 0xff}
	if _, _, err := ParseWithin(huge, 1<<20, 1000); err == nil {
		t.Error("a length beyond the end was taken")
	}
}
