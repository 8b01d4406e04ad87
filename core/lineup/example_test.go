package lineup_test

import (
	"fmt"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
)

// An estate is compiled once, bound with a directory and live state, and asked for one context after the other.
func Example() {
	doc, err := estate.Parse([]document.File{{Name: "estate.yaml", Text: `estate: 1
devices: [{name: hall-40, uri: "ipp://10.40.8.31/ipp/print"}]
queues:  [{name: hall, devices: [hall-40], paths: [{device: hall-40}]}]
grants:  [{name: clerks, effect: place, queues: [hall], to: ["group:clerks"]}]`}}, estate.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	people := directory.New(directory.Records{Users: []directory.User{{Name: "mira"}, {Name: "ida"}},
		Groups: []directory.Group{{Name: "clerks", Members: []string{"user:mira"}}}})
	world := lineup.Bind(lineup.Compile(doc, 1, lineup.Options{}), people, live.State{})
	var scratch lineup.Scratch
	for _, user := range []string{"mira", "ida"} {
		q := lineup.Query{User: &user}
		c, err := q.Context(time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC))
		if err != nil {
			fmt.Println(err)
			return
		}
		l, err := world.Resolve(c, &scratch)
		if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Print(user, ":")
		for _, e := range l.Entries {
			fmt.Print(" ", e.Queue, " ", e.Effect, " over ", e.Path.URI)
		}
		fmt.Println()
	}
	// Output:
	// mira: hall placed over ipp://10.40.8.31/ipp/print
	// ida:
}
