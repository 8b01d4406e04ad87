package readiness

import (
	"errors"
	"strings"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
)

// TestExamine: a set-up that lacks nothing has no question that is answered with no; each thing that is wrong with it
// makes exactly the right one a no, with what to do.
func TestExamine(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC)
	good := SetUp{Now: now, Account: "cirque", Data: "/d", DataThere: true, Free: 20 << 30, Own: true, Major: 15, Reached: true,
		Server: 15, Schema: 43, Knows: 43, Listen: ":8631", Public: "c.example", Names: []string{"c.example"},
		Until: now.AddDate(1, 0, 0), SecretKey: "/d/secret-key", SecretThere: true, OpenFiles: 65536, Oldest: 15, Version: "0.1.0",
		StateOfEstate: true, BackedUp: now.Add(-3 * time.Hour)}
	broken := fault.New(fault.Invalid, "x", "mend it so", "it is broken")
	for name, c := range map[string]struct {
		spoil func(s *SetUp)
		check string // that says no; empty for none
		says  string
	}{
		"good":           {func(*SetUp) {}, "", "it is of this version"},
		"nothing yet":    {func(s *SetUp) { *s = SetUp{Data: "/d", Own: true, Free: -1, Listen: ":1", Oldest: 15} }, "", "made at the first start"},
		"data":           {func(s *SetUp) { s.DataWrong = broken }, "data directory", "it is broken"},
		"data open":      {func(s *SetUp) { s.DataOpen = true }, "data directory", "others than cirque"},
		"disk":           {func(s *SetUp) { s.Free = 50 << 20 }, "room", "50 MiB are free"},
		"programs":       {func(s *SetUp) { s.Programs = broken }, "PostgreSQL there", "it is broken"},
		"database":       {func(s *SetUp) { s.Wrong, s.Reached = broken, false }, "database answer", "it is broken"},
		"too old":        {func(s *SetUp) { s.Server = 14 }, "database answer", "PostgreSQL 14"},
		"standby":        {func(s *SetUp) { s.Standby = true }, "database answer", "stands by"},
		"empty":          {func(s *SetUp) { s.Schema = 0 }, "", "furnished at the first start"},
		"older":          {func(s *SetUp) { s.Schema = 40 }, "", "is upgraded at the start"},
		"later":          {func(s *SetUp) { s.Schema = 44 }, "fit this version", "later version (44, and 0.1.0 knows 43)"},
		"clock":          {func(s *SetUp) { s.Ahead = -2 * time.Minute }, "clocks", "2 min behind this"},
		"clock ahead":    {func(s *SetUp) { s.Ahead = 31 * time.Second }, "clocks", "ahead of this"},
		"port":           {func(s *SetUp) { s.Taken = errors.New("in use") }, "listen", "in use"},
		"port, but ours": {func(s *SetUp) { s.Taken, s.Runs = errors.New("in use"), "7" }, "", "as process 7"},
		"certificate":    {func(s *SetUp) { s.Certificate = broken }, "certificate", "it is broken"},
		"ended":          {func(s *SetUp) { s.Until = now.Add(-time.Hour) }, "certificate", "ended on 1 December 2026"},
		"ends soon":      {func(s *SetUp) { s.Until = now.AddDate(0, 0, 3) }, "certificate", "ends on 4 December 2026"},
		"ends, its own":  {func(s *SetUp) { s.Until, s.OwnCertificate = now.AddDate(0, 0, 3), true }, "", "until 4 December"},
		"other name":     {func(s *SetUp) { s.Public = "d.example" }, "certificate", "it is for c.example"},
		"key gone":       {func(s *SetUp) { s.SecretThere = false }, "secret key", "holds what it sealed"},
		"key open":       {func(s *SetUp) { s.SecretOpen = true }, "secret key", "read by others"},
		"backup old":     {func(s *SetUp) { s.BackedUp = now.AddDate(0, 0, -9) }, "backed up", "not for 9 days"},
		"no backup":      {func(s *SetUp) { s.BackedUp = time.Time{} }, "", "no backup is known of"},
		"files":          {func(s *SetUp) { s.OpenFiles = 1024 }, "open enough files", "1024"},
	} {
		s := good
		c.spoil(&s)
		said, no := "", []string{}
		for _, v := range Examine(s) {
			said += v.Says + "\n"
			if v.Result == endpoint.No {
				no = append(no, v.Check)
				if v.Fix == "" {
					t.Errorf("%s: nothing mends %q", name, v.Check)
				}
			} else if v.Result == endpoint.Yes && v.Fix != "" {
				t.Errorf("%s: %q is well, and is to be mended", name, v.Check)
			}
		}
		if c.check == "" && len(no) > 0 || c.check != "" && (len(no) != 1 || !strings.Contains(no[0], c.check)) {
			t.Errorf("%s: no is said of %q", name, no)
		}
		if !strings.Contains(said, c.says) {
			t.Errorf("%s: it says\n%s", name, said)
		}
	}
}
