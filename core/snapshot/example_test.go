package snapshot_test

import (
	"fmt"

	"cirque/core/snapshot"
)

// Two moments differ in what came, what went, and in single facts.
func Example() {
	before := snapshot.Sorted([]snapshot.Object{
		{Kind: "queue", Name: "hall on ps-1", Facts: map[string]string{"driver": "Mono 40 PCL6"}},
		{Kind: "server", Name: "ps-2"},
	})
	after := snapshot.Sorted([]snapshot.Object{
		{Kind: "queue", Name: "hall on ps-1", Facts: map[string]string{"driver": "Mono 40 PS"}},
		{Kind: "server", Name: "ps-3"},
	})
	for _, d := range snapshot.Compare(before, after) {
		fmt.Printf("%s %s: %s %q\n", d.Kind, d.Name, d.What, []string{d.Fact, d.Before, d.After})
	}
	// Output:
	// queue hall on ps-1: changed ["driver" "Mono 40 PCL6" "Mono 40 PS"]
	// server ps-2: gone ["" "" ""]
	// server ps-3: new ["" "" ""]
}
