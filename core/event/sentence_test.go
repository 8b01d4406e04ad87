package event_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"cirque/core/event"
)

// What is said of an event can be read as a sentence and as values; who erases a person finds them in the fields that
// hold nothing but a name.
func ExampleEvent_Saying() {
	e := event.Event{Kind: event.Picked, Subject: "hall"}.Saying("{queue} was picked for {person}", "queue", "hall",
		"person", event.Person("mira"))
	fmt.Println(e.Says)
	fmt.Println(e.Sentence.Fields["queue"], e.Sentence.People)
	others := e.Sentence.Without(func(called string) bool { return called == "mira" }, "erased-person-7")
	fmt.Println(e.Sentence, others)
	// Output:
	// hall was picked for mira
	// hall [person]
	// hall was picked for erased-person-7 [queue]
}

// TestSentence: fields are put in whatever they hold, once, and what is no field stays.
func TestSentence(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		pattern string
		pairs   []any
		want    string
	}{
		{"nothing", nil, "nothing"},
		{"{a} and {a}", []any{"a", 1}, "1 and 1"},
		{"{a}{b}", []any{"a", "{b}", "b", "{a}"}, "{b}{a}"},
		{"{what} is no field of {a}", []any{"a", "it"}, "{what} is no field of it"},
		{"{a} } {", []any{"a", ""}, " } {"},
		{"{{a}}", []any{"a", "x"}, "{x}"},
	} {
		e := event.Event{}.Saying(c.pattern, c.pairs...)
		if e.Says != c.want {
			t.Errorf("%q: %q, want %q", c.pattern, e.Says, c.want)
		}
		b, err := json.Marshal(e)
		var back event.Event
		if err != nil || json.Unmarshal(b, &back) != nil || back.Sentence.String() != c.want {
			t.Errorf("%q: %s %v", c.pattern, b, err)
		}
	}
}

func TestWithout(t *testing.T) {
	t.Parallel()
	e := event.Event{}.Saying("{who} asks {whom}: {reason}", "who", event.NameOf("user", "mira"), "whom",
		event.NameOf("group", "mira"), "reason", "mira is away")
	others := e.Sentence.Without(func(n string) bool { return n == "mira" }, "gone")
	if got := e.Sentence.String(); got != "gone asks mira: mira is away" || !slices.Equal(others, []string{"reason",
		"whom"}) {
		t.Errorf("%q %q", got, others)
	}
}
