package decommission_test

import (
	"fmt"

	"cirque/core/decommission"
	"cirque/core/estate"
)

// Before a server goes: what still leads to it.
func ExampleDependentsOf() {
	doc := &estate.Document{Estate: 1, Servers: []estate.Server{{Name: "ps-1"}, {Name: "ps-2"}},
		ServerSets: []estate.ServerSet{{Name: "pair", Members: []string{"ps-1", "ps-2"}}},
		Queues: []estate.Queue{{Name: "hall", Paths: []estate.Path{{Set: "pair"}}}, {Name: "yard",
			Paths: []estate.Path{{Server: "ps-1"}}}}}
	fmt.Printf("%+v\n", decommission.DependentsOf(doc, "ps-1", nil))
	// Output:
	// {Server:ps-1 Sets:[pair] Queues:[hall yard] Only:[yard] Lacked:[]}
}
