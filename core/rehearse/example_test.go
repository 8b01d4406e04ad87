package rehearse_test

import (
	"fmt"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/rehearse"
)

// Two worlds are compared in every context that is known; what comes back of ranges is merged.
func Example() {
	people := directory.New(directory.Records{Users: []directory.User{{Name: "mira"}, {Name: "ida"}}})
	world := func(to ...string) *lineup.World {
		doc := &estate.Document{Estate: 1, Queues: []estate.Queue{{Name: "hall", Paths: []estate.Path{{Gateway: true}}}},
			Grants: []estate.Grant{{Name: "g", Effect: estate.Place, Queues: []string{"hall"}, To: to}}}
		return lineup.Bind(lineup.Compile(doc.Sorted(), 1, lineup.Options{}), people, live.State{})
	}
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	plan := rehearse.NewPlan(world("user:mira"), world("user:ida"), rehearse.NewCases(people, nil, nil), now, false)
	var scratch rehearse.Scratch
	half := plan.Len() / 2
	for _, e := range rehearse.Merge([]*rehearse.Part{plan.Run(0, half, &scratch),
		plan.Run(half, plan.Len(), &scratch)}).Effects {
		for _, i := range e.Items {
			fmt.Printf("%s: %s %q\n", plan.Cases[e.Case].Context.User, i.Kind, i.Queue)
		}
	}
	// Output:
	// mira: empty ""
	// mira: loses "hall"
	// ida: gains "hall"
}
