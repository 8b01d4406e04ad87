package path_test

import (
	"fmt"

	"cirque/core/estate"
	"cirque/core/path"
)

// In a spread set each person has a member of their own; when it goes, only its own people move.
func Example() {
	set := []path.Member{{Server: "ps-1"}, {Server: "ps-2"}, {Server: "ps-3"}}
	all := func(int) bool { return true }
	for _, user := range []string{"mira", "ida", "olav"} {
		who := path.SpreadBy(user, "", "")
		was, _ := path.Choose(estate.Spread, set, who, all)
		is, _ := path.Choose(estate.Spread, set, who, func(i int) bool { return set[i].Server != "ps-2" })
		fmt.Println(user, set[was].Server, set[is].Server)
	}
	// Output:
	// mira ps-2 ps-3
	// ida ps-1 ps-1
	// olav ps-3 ps-3
}
