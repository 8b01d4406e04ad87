package ipp

import (
	"errors"
	"strings"
	"testing"
	"time"
)

// TestLetter has one mistake a row.
func TestLetter(t *testing.T) {
	t.Parallel()
	good := func() Message {
		m := NewRequest(PrintJob, 7, "ipp://cirque.example/ipp/queues/hall", Attr("job-name", Str(Name, "letter")),
			Attr("requested-attributes", Str(Keyword, "all"), Str(Keyword, "media-col-database")))
		m.Groups = append(m.Groups, Group{JobGroup, []Attribute{Attr("copies", Int(Integer, 2))}})
		return m
	}
	if err := good().Letter(); err != nil {
		t.Fatal(err)
	}
	first := func(m *Message) *[]Attribute { return &m.Groups[0].Attributes }
	for what, c := range map[string]struct {
		change func(*Message)
		status Status
	}{
		"version 0":       {func(m *Message) { m.Version.Major = 0 }, VersionNotSupported},
		"version 3":       {func(m *Message) { m.Version.Major = 3 }, VersionNotSupported},
		"request 0":       {func(m *Message) { m.ID = 0 }, BadRequest},
		"no groups":       {func(m *Message) { m.Groups = nil }, BadRequest},
		"job group first": {func(m *Message) { m.Groups[0], m.Groups[1] = m.Groups[1], m.Groups[0] }, BadRequest},
		"two of them":     {func(m *Message) { m.Groups = append(m.Groups, m.Groups[1]) }, BadRequest},
		"language first":  {func(m *Message) { a := *first(m); a[0], a[1] = a[1], a[0] }, BadRequest},
		"charset alone":   {func(m *Message) { a := first(m); *a = append((*a)[:1], (*a)[2:]...) }, BadRequest},
		"no target":       {func(m *Message) { a := first(m); *a = append((*a)[:2], (*a)[3:]...) }, BadRequest},
		"twice":           {func(m *Message) { a := first(m); *a = append(*a, (*a)[3]) }, BadRequest},
		"charset":         {func(m *Message) { (*first(m))[0].Values[0].Text = "utf-16" }, CharsetNotSupported},
		"syntax":          {func(m *Message) { (*first(m))[3].Values[0].Tag = Keyword }, BadRequest},
		"two names": {func(m *Message) {
			v := &(*first(m))[3].Values
			*v = append(*v, (*v)[0])
		}, BadRequest},
		"long": {func(m *Message) { (*first(m))[3].Values[0].Text = strings.Repeat("x", 256) }, ValueTooLong},
	} {
		m := good()
		c.change(&m)
		var e *LetterError
		if err := m.Letter(); !errors.As(err, &e) || e.Status != c.status || e.Says == "" {
			t.Errorf("%s: %v", what, err)
		}
	}
}

func TestSize(t *testing.T) {
	t.Parallel()
	for name, want := range map[string][2]int32{"iso_a4_210x297mm": {21000, 29700}, "na_letter_8.5x11in": {21590, 27940},
		"om_slip_80x200mm": {8000, 20000}, "a4": {}, "custom_x_0x5mm": {}, "": {}} {
		if x, y, ok := Size(name); [2]int32{x, y} != want || ok != (want[0] > 0) {
			t.Errorf("%s: %d %d %v", name, x, y, ok)
		}
	}
}

// TestSupported: what is said to be supported reads back as the words that it was made of.
func TestSupported(t *testing.T) {
	t.Parallel()
	for option, words := range map[string][]string{"copies": {"1-99"}, "print-quality": {"3", "4"}, "number-up": {"1", "2"},
		"page-ranges": {"true"}, "printer-resolution": {"300x300dpi"}, "media": {"iso_a4_210x297mm", "na_index-4x6_4x6in"}} {
		a := Supported(option+"-supported", option, words)
		if got := a.Words(); strings.Join(got, " ") != strings.Join(words, " ") {
			t.Errorf("%s: %q", option, got)
		}
	}
	now := time.Date(2026, 11, 29, 12, 30, 1, 200e6, time.UTC)
	if got, ok := At(now).Time(); !ok || !got.Equal(now) {
		t.Error(got)
	}
	list := []Attribute{Attr("sides", Str(Keyword, "one-sided")), Attr("media-col", Col(Attr("media-size", Col(
		Attr("x-dimension", Int(Integer, 21000))))))}
	b, err := AppendGroup(nil, list)
	if err != nil {
		t.Fatal(err)
	}
	if got, err := ParseGroup(b); err != nil || len(got) != 2 || got[1].Values[0].Members[0].Values[0].Members[0].
		Values[0].Int != 21000 {
		t.Error(got, err)
	}
	back, err := OptionAttribute("media-col", "media-col", list[1].Option())
	if err != nil || back.Values[0].Tag != Collection || back.Option() == nil {
		t.Error(back, err)
	}
}
