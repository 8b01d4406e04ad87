package ipp

import (
	"bytes"
	"errors"
	"io"
	"reflect"
	"strings"
	"testing"
)

func sample() Message {
	m := NewRequest(PrintJob, 7, "ipp://printer.example/ipp/print", Attr("requesting-user-name", Str(Name, "mira")))
	m.Groups = append(m.Groups, Group{JobGroup, []Attribute{
		Attr("copies", Int(Integer, 2)), Strs(Keyword, "finishings-col-ready", "none", "staple"), Attr("urgent", Bool(true)),
		Attr("when", Value{Tag: DateTime, Raw: []byte("12345678901")}), Attr("nothing", Value{Tag: NoValue}),
		Attr("title", Value{Tag: NameWithLanguage, Lang: "nb", Text: "Rute 7"}),
		Attr("media-col", Value{Tag: Collection, Members: []Attribute{
			Attr("media-size", Value{Tag: Collection, Members: []Attribute{Attr("x-dimension", Int(Integer, 21000)),
				Attr("y-dimension", Int(Integer, 29700))}}),
			Strs(Keyword, "media-type", "stationery", "labels")}})}})
	return m
}

func TestRoundTrip(t *testing.T) {
	t.Parallel()
	b, err := sample().AppendTo(nil)
	if err != nil {
		t.Fatal(err)
	}
	got, rest, err := Parse(append(b, "%PDF-1.4"...))
	if err != nil || string(rest) != "%PDF-1.4" || !reflect.DeepEqual(got, sample()) {
		t.Errorf("got %+v, rest %q, %v", got, rest, err)
	}
	in := Buffered(io.MultiReader(bytes.NewReader(b), strings.NewReader("%PDF-1.4")))
	streamed, err := ReadMessage(in)
	after, _ := io.ReadAll(in)
	if err != nil || !reflect.DeepEqual(streamed, sample()) || string(after) != "%PDF-1.4" {
		t.Errorf("streamed %+v, then %q, %v", streamed, after, err)
	}
}

// TestEveryCut parses each prefix of a message: all but the whole end too early, and say so.
func TestEveryCut(t *testing.T) {
	t.Parallel()
	b, _ := sample().AppendTo(nil)
	for n := range b {
		_, _, err := Parse(b[:n])
		var pe *ParseError
		if !errors.As(err, &pe) || !errors.Is(err, ErrShort) {
			t.Fatalf("%d of %d bytes: %v", n, len(b), err)
		}
		if _, err := ReadMessage(Buffered(bytes.NewReader(b[:n]))); !errors.Is(err, ErrShort) {
			t.Fatalf("%d of %d bytes streamed: %v", n, len(b), err)
		}
	}
}

func TestRefused(t *testing.T) {
	t.Parallel()
	head := "\x02\x00\x00\x0b\x00\x00\x00\x01"
	deep := head + "\x01\x34\x00\x01a\x00\x00"
	for range MaxDepth + 1 {
		deep += "\x4a\x00\x00\x00\x01m\x34\x00\x00\x00\x00"
	}
	many := head + "\x01"
	for range MaxAttributes + 1 {
		many += "\x21\x00\x01a\x00\x04\x00\x00\x00\x00"
	}
	for name, c := range map[string]struct {
		in   string
		want error
	}{
		"value before a group":       {head + "\x21\x00\x01a\x00\x04\x00\x00\x00\x00\x03", ErrTag},
		"group zero":                 {head + "\x00\x03", ErrTag},
		"integer of three bytes":     {head + "\x01\x21\x00\x01a\x00\x03\x00\x00\x00\x03", ErrLength},
		"boolean of two bytes":       {head + "\x01\x22\x00\x01a\x00\x02\x00\x00\x03", ErrLength},
		"negative length":            {head + "\x01\x44\x80\x00", ErrLength},
		"more value without a first": {head + "\x01\x44\x00\x00\x00\x01a\x03", ErrTag},
		"end without a beginning":    {head + "\x01\x37\x00\x00\x00\x00\x03", ErrTag},
		"member outside":             {head + "\x01\x4a\x00\x00\x00\x01m\x03", ErrTag},
		"member value without name":  {head + "\x01\x34\x00\x01a\x00\x00\x21\x00\x00\x00\x04\x00\x00\x00\x01", ErrTag},
		"language longer than value": {head + "\x01\x36\x00\x01a\x00\x04\x00\x09ab\x03", ErrLength},
		"too deep":                   {deep, ErrTooMany},
		"too many":                   {many + "\x03", ErrTooMany},
	} {
		if _, _, err := Parse([]byte(c.in)); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", name, err, c.want)
		}
	}
	long := append([]byte(head+"\x01"), bytes.Repeat([]byte("\x44\x00\x01a\x7f\xff"+strings.Repeat("x",
		maxLength)), 40)...)
	if _, err := ReadMessage(Buffered(bytes.NewReader(long))); !errors.Is(err, ErrTooMany) {
		t.Errorf("a header over the limit: %v", err)
	}
}

func TestNotEncoded(t *testing.T) {
	t.Parallel()
	for name, m := range map[string]Message{
		"no value":  {Groups: []Group{{JobGroup, []Attribute{{Name: "a"}}}}},
		"no name":   {Groups: []Group{{JobGroup, []Attribute{Attr("", Bool(true))}}}},
		"end group": {Groups: []Group{{Tag: endOfAttributes}}},
		"too long":  {Groups: []Group{{JobGroup, []Attribute{Attr("a", Str(Text, strings.Repeat("x", 1<<15)))}}}},
	} {
		if _, err := m.AppendTo(nil); err == nil {
			t.Errorf("%s was encoded", name)
		}
	}
}

// FuzzParse holds the law: what parses, encodes, and parses to the same; and the stream reads what the slice does.
func FuzzParse(f *testing.F) {
	b, _ := sample().AppendTo(nil)
	f.Add(b)
	f.Add([]byte("\x02\x00\x00\x0b\x00\x00\x00\x01\x03"))
	f.Fuzz(func(t *testing.T, in []byte) {
		m, rest, err := Parse(in)
		streamed, errS := ReadMessage(Buffered(bytes.NewReader(in)))
		if (err == nil) != (errS == nil) && len(in) < MaxHeader {
			t.Fatalf("slice says %v, stream %v", err, errS)
		}
		if err != nil {
			return
		}
		if !reflect.DeepEqual(m, streamed) {
			t.Fatalf("slice %+v\nstream %+v", m, streamed)
		}
		again, err := m.AppendTo(nil)
		if err != nil {
			// An attribute that a collection names and gives no value cannot be written.
			return
		}
		back, _, err := Parse(again)
		if err != nil || !reflect.DeepEqual(back, m) {
			t.Fatalf("back %+v, %v\nwas %+v (rest %d)", back, err, m, len(rest))
		}
	})
}
