package estate

import (
	"fmt"
	"slices"
)

// manyObjects is above how many objects of a list taking out more than half is worth a question.
const manyObjects = 10

// A Taking is a list of which a change takes out all, or most.
type Taking struct {
	List string `json:"list"`
	Out  int    `json:"out" doc:"How many objects it takes out."`
	Of   int    `json:"of" doc:"How many there were."`
}

// String says it, such as "all 3 queues" or "12 of 20 grants".
func (t Taking) String() string {
	switch {
	case t.Out == t.Of && t.Of == 1:
		return "the only " + Word(t.List)
	case t.Out == t.Of:
		return fmt.Sprintf("all %d %ss", t.Of, Word(t.List))
	}
	return fmt.Sprintf("%d of %d %ss", t.Out, t.Of, Word(t.List))
}

// Takes gives the lists of which a change takes out all objects, or more than half of over ten: what wants to be
// confirmed (estate.md, section 7). A queue that merely has another name is not taken out.
func Takes(before, after *Document) []Taking {
	out := []Taking{}
	left := map[Ref]bool{}
	for _, r := range after.Refs() {
		left[r] = true
	}
	for _, q := range after.Queues {
		for _, f := range q.Formerly {
			left[Ref{List: "queues", Name: f}] = true
		}
	}
	by := map[string]*Taking{}
	for _, r := range before.Refs() {
		t := by[r.List]
		if t == nil {
			t = &Taking{List: r.List}
			by[r.List] = t
		}
		t.Of++
		if !left[r] {
			t.Out++
		}
	}
	for _, list := range Lists() {
		if t := by[list]; t != nil && t.Out > 0 && (t.Out == t.Of || t.Of > manyObjects && t.Out > t.Of/2) {
			out = append(out, *t)
		}
	}
	return slices.Clip(out)
}
