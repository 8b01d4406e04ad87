// Package page cuts lists into pages. In go a list in a stable order and what was asked for; out comes one page, with
// how many there are on all of them and from where to go on.
package page

import (
	"slices"
	"strconv"
	"strings"
)

// Limits on how many items a page has.
const (
	Usual = 100  // where nothing is said
	Most  = 1000 // whatever is said
)

// A Page is part of a list. To have all of it, ask again with after set to Next until Next is empty.
type Page[T any] struct {
	Items []T    `json:"items"`
	Next  string `json:"next" doc:"What to give as after to have the next page; empty on the last one."`
	Total int    `json:"total" doc:"How many there are on all pages."`
}

// An Ask is what part of a list is wanted. The zero Ask is the first page.
type Ask struct {
	After string // the key of the last item that was had; empty for the first page
	Limit int    // how many; Usual when zero
}

// Size gives how many items are to be on the page.
func (a Ask) Size() int {
	if a.Limit <= 0 {
		return Usual
	}
	return min(a.Limit, Most)
}

// Cut gives the page of a list that was asked for. key names an item, once in the list. Where the item named by After
// is gone from the list meanwhile, the page begins with the first one whose key sorts after it, bytewise, if the list
// is ordered by key; else with the first one of all, so that none is lost.
func Cut[T any](list []T, ask Ask, key func(*T) string) Page[T] {
	from := 0
	if ask.After != "" {
		from = after(list, ask.After, key)
	}
	to := min(from+ask.Size(), len(list))
	out := Page[T]{Items: slices.Clone(list[from:to]), Total: len(list)}
	if out.Items == nil {
		out.Items = []T{}
	}
	if to < len(list) {
		out.Next = key(&list[to-1])
	}
	return out
}

// after gives where a list goes on after the item of a key.
func after[T any](list []T, last string, key func(*T) string) int {
	for i := len(list) - 1; i >= 0; i-- {
		if key(&list[i]) == last {
			return i + 1
		}
	}
	compare := func(a, b T) int { return strings.Compare(key(&a), key(&b)) }
	if !slices.IsSortedFunc(list, compare) {
		return 0
	}
	at, _ := slices.BinarySearchFunc(list, last, func(v T, k string) int { return strings.Compare(key(&v), k) })
	return at
}

// Of makes a page of what a store gave: one item more than fits says that others follow.
func Of[T any](list []T, total int, ask Ask, key func(*T) string) Page[T] {
	out := Page[T]{Items: list, Total: total}
	if n := ask.Size(); len(list) > n {
		out.Items = list[:n]
		out.Next = key(&list[n-1])
	}
	if out.Items == nil {
		out.Items = []T{}
	}
	return out
}

// At gives a page of a list of which only places are known: some are the items from a place on, and total is how many
// there are. Next is a place then.
func At[T any](some []T, from, total int) Page[T] {
	out := Page[T]{Items: some, Total: total}
	if out.Items == nil {
		out.Items = []T{}
	}
	if from+len(some) < total {
		out.Next = strconv.Itoa(from + len(some))
	}
	return out
}

// Map gives a page of something else that is made of each item.
func Map[T, U any](p Page[T], f func(T) U) Page[U] {
	out := Page[U]{Items: make([]U, len(p.Items)), Next: p.Next, Total: p.Total}
	for i, v := range p.Items {
		out.Items[i] = f(v)
	}
	return out
}
