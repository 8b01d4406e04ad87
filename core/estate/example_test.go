package estate_test

import (
	"fmt"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

// All mistakes are told at once, each with its place and how to mend it.
func ExampleParse() {
	_, err := estate.Parse([]document.File{{Name: "harbour.yaml", Text: `estate: 1
queues:
  - {name: hall, titel: Hall, paths: [{device: hall-40}]}
grants:
  - {name: all, effect: place, queues: [hal], to: [everyone]}
`}}, estate.Options{})
	for _, d := range fault.As(err).Details {
		fmt.Println(d)
	}
	// Output:
	// harbour.yaml:3: unknown key "titel"; the nearest known key is "title"
	// harbour.yaml:3: the path leads to the device "hall-40", which is not one of the queue's own; add hall-40 to the queue's devices, or name one of them
	// harbour.yaml:3: a path of queue hall names the device "hall-40", which is not in the estate; add the device, or mend the name
	// harbour.yaml:5: grant all names the queue "hal", which is not in the estate; did you mean "hall"?
}
