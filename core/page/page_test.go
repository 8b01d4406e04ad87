package page_test

import (
	"slices"
	"strconv"
	"testing"

	"cirque/core/page"
)

func self(s *string) string { return *s }

// TestCut: whatever the size of pages, all of them together are the list, each item once and in order; also where the
// item from which to go on is gone.
func TestCut(t *testing.T) {
	t.Parallel()
	var list []string
	for i := range 57 {
		list = append(list, "q"+strconv.Itoa(100+i))
	}
	for limit := range 60 {
		var got []string
		for ask := (page.Ask{Limit: limit}); ; {
			p := page.Cut(list, ask, self)
			if p.Total != len(list) || len(p.Items) > ask.Size() {
				t.Fatal(limit, p)
			}
			got = append(got, p.Items...)
			if ask.After = p.Next; p.Next == "" {
				break
			}
		}
		if !slices.Equal(got, list) {
			t.Fatal(limit, got)
		}
	}
	if p := page.Cut(list, page.Ask{After: "q120x", Limit: 2}, self); !slices.Equal(p.Items, []string{"q121", "q122"}) {
		t.Error("one that is gone:", p)
	}
	if p := page.Cut(list, page.Ask{After: "r"}, self); len(p.Items) != 0 || p.Items == nil || p.Next != "" {
		t.Error("after the last:", p)
	}
	if p := page.Cut([]string(nil), page.Ask{}, self); p.Items == nil || p.Total != 0 {
		t.Error("an empty list:", p)
	}
	if got := (page.Ask{Limit: 5000}).Size(); got != page.Most {
		t.Error(got)
	}
}

// TestOf: one more than fits says that others follow.
func TestOf(t *testing.T) {
	t.Parallel()
	p := page.Of([]string{"c", "b", "a"}, 9, page.Ask{Limit: 2}, self)
	if !slices.Equal(p.Items, []string{"c", "b"}) || p.Next != "b" || p.Total != 9 {
		t.Error(p)
	}
	if p := page.Of([]string{"a"}, 1, page.Ask{After: "b", Limit: 2}, self); p.Next != "" || len(p.Items) != 1 {
		t.Error(p)
	}
	if n := page.Map(p, func(s string) int { return len(s) }); !slices.Equal(n.Items, []int{1, 1}) || n.Next != "b" {
		t.Error(n)
	}
}
