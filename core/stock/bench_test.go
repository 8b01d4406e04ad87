package stock_test

import (
	"fmt"
	"testing"

	"cirque/core/estate"
	"cirque/core/stock"
)

// BenchmarkSetView compares two members of 2,000 queues each, which differ in none.
func BenchmarkSetView(b *testing.B) {
	s := &stock.Server{}
	doc := &estate.Document{}
	for i := range 2000 {
		name := fmt.Sprintf("q-%d", i)
		s.Queues = append(s.Queues, stock.Queue{Name: name, Model: "Mono 40"})
		doc.Queues = append(doc.Queues, estate.Queue{Name: name, Paths: []estate.Path{{Set: "pair"}}})
	}
	set := estate.ServerSet{Name: "pair", Members: []string{"a", "b"}}
	doc.ServerSets = []estate.ServerSet{set}
	for b.Loop() {
		if v := stock.NewSetView(doc, set, func(string) *stock.Server { return s }); len(v.Rows) != 2000 || !v.Rows[0].Same {
			b.Fatal(len(v.Rows))
		}
	}
}
