package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/server"
	"cirque/internal/testkit/worlds"
)

// TestBareNames: the common Unix spooler knows people by what stands before an @, so that is what it is given; where
// somebody else counts as one of them, that is said; other servers get whole names.
func TestBareNames(t *testing.T) {
	t.Parallel()
	d := directory.New(directory.Records{Users: []directory.User{{Name: "mira@a.example"}, {Name: "mira@b.example"},
		{Name: "jonas@a.example"}, {Name: "ida"}, {Name: "ida@b.example"}, {Name: "Kaja"}}})
	for _, c := range []struct {
		platform, access, names, says string
		more                          bool
	}{
		{"linux/x64", `{allow: ["user:jonas@a.example", "user:kaja"]}`, "jonas kaja", "", false},
		{"linux/x64", `{allow: ["user:mira@a.example"]}`, "mira", "lets more people print to q than the estate: it knows " +
			"people by what stands before the @, and so mira@b.example, too", true},
		{"linux/x64", `{allow: ["user:mira@a.example", "user:mira@b.example"]}`, "mira", "", false},
		{"linux/x64", `{deny: ["user:ida@b.example"]}`, "but ida", "refuses more people at q than the estate: it knows " +
			"people by what stands before the @, and so ida, too", false},
		{"linux/x64", `{allow: ["user:ida"]}`, "ida", "and so ida@b.example, too", true},
		{"windows/x64", `{allow: ["user:mira@a.example"]}`, "mira@a.example", "", false},
		{"windows/x64", `{deny: ["user:Stranger"]}`, "but stranger", "", false}, // the directory does not know them
		{"linux/x64", `{deny: ["user:ida@elsewhere.example"]}`, "but ida", "refuses more people at q than the estate", false},
		{"linux/x64", `{allow: ["user:kaja", "user:Stranger"], deny: ["user:other"]}`, "kaja", "", false},
	} {
		doc := worlds.Parse(t, fmt.Sprintf("estate: 1\nservers: [{name: ps, uri: \"ipp://ps.example/\", kept: true, "+
			"platform: %s}]\ndevices: [{name: d, uri: \"ipp://192.0.2.1/\"}]\nqueues: [{name: q, devices: [d], paths: [{server: "+
			"ps}], access: %s}]\n", c.platform, c.access))
		plan := server.Wanted(doc, d, "ps", time.Time{}, nil)
		if len(plan.Wants) != 1 {
			t.Fatalf("%+v", plan)
		}
		got := strings.Join(plan.Wants[0].People.Names, " ")
		if plan.Wants[0].People.Everyone {
			got = "but " + got
		}
		i := slices.IndexFunc(plan.Points, func(p server.Point) bool { return p.Kind == "people" })
		says, more := "", false
		if i >= 0 {
			says, more = plan.Points[i].Says, plan.Points[i].More
		}
		if got != c.names || !strings.Contains(says, c.says) || says != "" && c.says == "" || more != c.more {
			t.Errorf("%s %s: %q, %q, %v", c.platform, c.access, got, says, more)
		}
	}
}
