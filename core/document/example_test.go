package document_test

import (
	"fmt"

	"cirque/core/document"
)

// A reader takes files strictly, and keeps every complaint.
func Example() {
	var r document.Reader
	for _, n := range r.Read(document.File{Name: "a.yaml", Text: "queues: 3\nquues: [a]\n"}) {
		if o, ok := n.Object([]string{"queues", "grants"}); ok {
			if list, ok := o.Get("queues"); ok {
				list.List()
			}
		}
	}
	first, _ := r.Problems()
	for _, p := range first {
		fmt.Println(p)
	}
	// Output:
	// a.yaml:1: a list is wanted here, found "3"; write a list: [ ... ]
	// a.yaml:2: unknown key "quues"; the nearest known key is "queues"
}
