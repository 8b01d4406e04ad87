package event

import (
	"fmt"
	"slices"
	"strings"
)

// A Sentence is what an event says, as values: whoever reads events need not read sentences.
type Sentence struct {
	Pattern string            `json:"pattern" doc:"The sentence with the names of its fields in braces."`
	Fields  map[string]string `json:"fields" doc:"What stands in their place."`
	People  []string          `json:"people,omitempty" doc:"The fields that hold nothing but the name of somebody."`
}

// A Person is the value of a field that holds nothing but the name of somebody.
type Person string

// NameOf is the value of a field that names something of a kind: a Person where that is a user.
func NameOf(kind, called string) any {
	if kind == "user" {
		return Person(called)
	}
	return called
}

// Saying says a sentence of an event: a pattern with names in braces, and pairs of a name and a value, which is written
// as fmt.Sprint does. Pattern and names are to be constants; a test looks whether they agree.
func (e Event) Saying(pattern string, pairs ...any) Event {
	s := &Sentence{Pattern: pattern, Fields: make(map[string]string, len(pairs)/2)}
	for i := 0; i+1 < len(pairs); i += 2 {
		called := fmt.Sprint(pairs[i])
		s.Fields[called] = fmt.Sprint(pairs[i+1])
		if _, is := pairs[i+1].(Person); is {
			s.People = append(s.People, called)
		}
	}
	e.Sentence, e.Says = s, s.String()
	return e
}

// String writes the sentence. What is no field of it stays as it stands.
func (s *Sentence) String() string {
	var b strings.Builder
	rest := s.Pattern
	for {
		text, after, open := strings.Cut(rest, "{")
		b.WriteString(text)
		if !open {
			return b.String()
		}
		called, tail, closed := strings.Cut(after, "}")
		value, known := s.Fields[called]
		if !closed || !known {
			b.WriteByte('{')
			rest = after
			continue
		}
		b.WriteString(value)
		rest = tail
	}
}

// Without writes what stands for somebody into the fields that hold their name, and gives the fields that hold other
// text, in which they may be named as well. is says whether a name is theirs.
func (s *Sentence) Without(is func(called string) bool, stands string) (others []string) {
	for called, value := range s.Fields {
		switch {
		case !slices.Contains(s.People, called):
			others = append(others, called)
		case is(value):
			s.Fields[called] = stands
		}
	}
	slices.Sort(others)
	return others
}
