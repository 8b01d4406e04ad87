package advert_test

import (
	"fmt"

	"cirque/core/advert"
	"cirque/core/estate"
)

// Queues that are listed become printer entries below a place of the directory (RFC 7612).
func ExampleEntries() {
	doc := &estate.Document{Estate: 1, Queues: []estate.Queue{
		{Name: "hall", Title: "Booking hall", Listed: true, Paths: []estate.Path{{Device: "hall-40"}},
			Devices: []string{"hall-40"}},
		{Name: "back-office"},
	}, Devices: []estate.Device{{Name: "hall-40", URI: "ipp://10.40.8.31/ipp/print"}}}
	for _, e := range advert.Entries(doc, "ou=printers,dc=skerry,dc=example",
		func(string) *advert.Reading { return nil }) {
		fmt.Println(e.Queue, e.Attributes["printer-uri"], e.Lacks)
	}
	// Output:
	// hall [ipp://10.40.8.31/ipp/print]
}
