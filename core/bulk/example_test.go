package bulk_test

import (
	"fmt"

	"cirque/core/bulk"
	"cirque/core/estate"
)

// A pattern makes names of many queues; old names go on leading to them.
func ExampleRename() {
	doc := &estate.Document{Estate: 1, Queues: []estate.Queue{{Name: "hall", Location: "ardholm/quay"},
		{Name: "yard", Location: "ardholm/yard"}}}
	_, renamings, err := bulk.Rename(doc, []string{"hall", "yard"}, "{site}-{name}")
	fmt.Println(renamings, err)
	// Output:
	// [{hall ardholm-hall 0} {yard ardholm-yard 0}] <nil>
}
