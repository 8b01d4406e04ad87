package postgres_test

import (
	"strings"
	"testing"

	"cirque/core/event"
	"cirque/core/page"
	"cirque/internal/testkit"
)

// TestEraseInSentences: a name is found where it stands, whole words of other text as well, and what only has the same
// name stays; what older versions wrote is text alone.
func TestEraseInSentences(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	add := func(e event.Event) {
		t.Helper()
		if err := s.Events.AddEvent(t.Context(), e); err != nil {
			t.Fatal(err)
		}
	}
	add(event.Event{Kind: "a", Subject: "hall", Author: "Mira"}.Saying("{queue} was picked for {person}", "queue",
		"mira-hall",
		"person", event.Person("Mira")))
	add(event.Event{Kind: "b", Subject: "hall", Author: "jens"}.Saying("{person} asks for {queue}: {reason}", "person",
		event.Person("jens"), "queue", "hall", "reason", "as MIRA said, and miranda"))
	add(event.Event{Kind: "c", Subject: "mira", Author: "jens", Says: "mira is owner now"})
	stands, err := s.Persons.ErasePerson(t.Context(), []string{"mira"}, nil, "jens", "asked")
	if err != nil {
		t.Fatal(err)
	}
	list, err := s.Events.Audit(t.Context(), event.Filter{}, page.Ask{Limit: 100})
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]string{"a": "mira-hall was picked for " + stands, "b": "jens asks for hall: as " + stands +
		" said, and miranda", "c": stands + " is owner now"}
	for _, e := range list.Items {
		if says, ok := want[e.Kind]; ok && e.Says != says {
			t.Errorf("%s: %q, want %q", e.Kind, e.Says, says)
		}
		if e.Kind != "c" && e.Sentence.String() != e.Says {
			t.Errorf("%s: the fields say %q, the sentence %q", e.Kind, e.Sentence, e.Says)
		}
		if e.Kind == "a" && (e.Author != stands || e.Sentence.Fields["person"] != stands) ||
			e.Kind == "c" && e.Subject != stands {
			t.Errorf("%+v", e)
		}
		delete(want, e.Kind)
	}
	if len(want) > 0 {
		t.Error("missing:", want)
	}
	found, err := s.Events.Events(t.Context(), page.Ask{Limit: 10}, "miranda")
	if err != nil || len(found.Items) != 1 || !strings.Contains(found.Items[0].Sentence.Fields["reason"], "miranda") {
		t.Errorf("%+v %v", found, err)
	}
}

// TestOlderVersionErases: a version that knows no fields takes a name out of says alone; the fields do not keep it.
func TestOlderVersionErases(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	if err := s.Events.AddEvent(t.Context(), event.Event{Kind: "a", Subject: "x", Author: "y"}.Saying(
		"{person} was here", "person", event.Person("mira"))); err != nil {
		t.Fatal(err)
	}
	if err := s.Exec(t.Context(), "BEGIN; SET LOCAL cirque.erasing = 'on'; "+
		"UPDATE event SET says = without_name(says, 'mira', 'gone') WHERE kind = 'a'; COMMIT"); err != nil {
		t.Fatal(err)
	}
	list, err := s.Events.Audit(t.Context(), event.Filter{Kind: "a"}, page.Ask{})
	if err != nil || len(list.Items) != 1 || list.Items[0].Says != "gone was here" || list.Items[0].Sentence != nil {
		t.Errorf("%+v %v", list.Items, err)
	}
}
