package estate

import (
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/fault"
)

func TestUndoOf(t *testing.T) {
	t.Parallel()
	grant := func(rest string) string {
		return "estate: 1\nqueues: [{name: q}]\ngrants: [{name: g, effect: place, queues: [q]" + rest + "}]\n"
	}
	const none = "estate: 1\nqueues: [{name: q}]\n"
	for _, c := range []struct{ before, after, now, want string }{
		{grant(""), grant(", default: 5"), grant(", default: 5"), grant("")},
		{grant(", default: 3"), grant(", default: 5"), grant(", default: 5, note: later"), grant(", default: 3, note: later")},
		{grant(""), grant(", note: x"), grant(", note: x, default: 1"), grant(", default: 1")},
		{none, grant(""), grant(""), none},
		{grant(", note: x"), none, none, grant(", note: x")},
		{grant(""), grant(", default: 5"), grant(", default: 7"), "grant g, default: it has been changed again since"},
		{grant(""), grant(", default: 5"), none, "was taken out since"},
		{grant(""), grant(", default: 5"), grant(""), "as it was before already"},
		{none, grant(""), grant(", note: x"), "was changed since"},
		{grant(""), grant(""), grant(""), "did nothing to the grant g"},
	} {
		read := func(text string) *Document {
			d, err := Parse([]document.File{{Name: "e", Text: text}}, Options{})
			if err != nil {
				t.Fatal(err)
			}
			return d
		}
		now, ref := read(c.now), Ref{"grants", "g"}
		edit, err := UndoOf(ref, read(c.before), read(c.after), now)
		if err != nil {
			if !strings.Contains(fault.As(err).What, c.want) {
				t.Errorf("%q: %v", c.now, err)
			}
			continue
		}
		changes, err := ParseEdits([]Edit{edit}, now, now, Options{})
		if err != nil {
			t.Fatal(err)
		}
		if got, want := now.With(changes).Find(ref), read(c.want).Find(ref); !SameObject("grants", got, want) {
			t.Errorf("%q is undone to %+v", c.now, got)
		}
	}
}
