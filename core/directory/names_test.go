package directory

import (
	"slices"
	"testing"
)

func TestMachineNames(t *testing.T) {
	t.Parallel()
	d := New(Records{Machines: []Machine{{Name: "DESK-1"}, {Name: "desk-2.skerry.example"}, {Name: "till-1.a.example"},
		{Name: "till-1.b.example"}, {Name: "old-1$"}, {Name: "10.40.0.9"}},
		Groups: []Group{{Name: "g", Members: []string{"machine:desk-1$", "machine:desk-2", "machine:unlisted"}}}})
	for asked, want := range map[string]string{
		"desk-1": "desk-1", "desk-1$": "desk-1", "desk-1.skerry.example": "desk-1",
		"desk-2": "desk-2.skerry.example", "desk-2$": "desk-2.skerry.example",
		"desk-2.skerry.example": "desk-2.skerry.example", "desk-2.other.example": "",
		"till-1": "", "till-1.a.example": "till-1.a.example", "till-1.c.example": "",
		"old-1": "old-1$", "old-1$": "old-1$", "10.40.0.9": "10.40.0.9", "10": "", "10.40.0.8": "",
		"unlisted": "unlisted", "none": "",
	} {
		id, got := d.MachineID(asked), ""
		if id != NoMember {
			got = d.MachineName(id)
		}
		if got != want {
			t.Errorf("%s is taken for %q, want %q", asked, got, want)
		}
	}
	g, _ := d.GroupID("g")
	for _, m := range []string{"desk-1", "desk-2.skerry.example", "unlisted"} {
		if !slices.Contains(d.MachineGroups(d.MachineID(m)), g) {
			t.Errorf("%s is not in the group that names it otherwise", m)
		}
	}
}

// TestGroupsOfSources: a name that two sources have means the first by name, unless the source is written; and a
// source's groups mean their own.
func TestGroupsOfSources(t *testing.T) {
	t.Parallel()
	d := New(Records{Groups: []Group{
		{Name: "clerks", Source: "ard", Members: []string{"user:mira"}},
		{Name: "all", Source: "ard", Members: []string{"group:clerks"}},
		{Name: "Clerks", Source: "bay", Members: []string{"user:jonas"}},
		{Name: "staff", Source: "bay", Members: []string{"group:clerks"}},
		{Name: "ard/tellers", Source: "cove", Members: []string{"user:ida"}},
	}})
	for called, who := range map[string]string{"clerks": "mira", "ard/clerks": "mira", "bay/CLERKS": "jonas",
		"all": "mira", "staff": "jonas", "bay/staff": "jonas", "ard/tellers": "ida", "cove/ard/tellers": "ida"} {
		id, ok := d.GroupID(called)
		var in []string
		if ok {
			d.EachUserIn(id, func(m MemberID) { in = append(in, d.UserName(m)) })
		}
		if len(in) != 1 || in[0] != who {
			t.Errorf("group:%s holds %v, want %s", called, in, who)
		}
	}
	if _, ok := d.GroupID("cove/clerks"); ok {
		t.Error("a source has a group that it has not")
	}
}
