package driver_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/driver"
	"cirque/core/estate"
)

func packages() []driver.Package {
	old := driver.Package{Digest: "old", Models: []driver.Model{{Exact: "Mono 40 PCL6", Platform: "windows/x64",
		Language: "PCL6", Version: "1.0", Date: "2024-01-01", HardwareIDs: []string{"USB\\M40"}}}}
	fresh := driver.Package{Digest: "new", Models: []driver.Model{
		{Exact: "Mono 40 PCL6", Platform: "windows/x64", Language: "PCL6", Version: "2.0", Date: "2026-01-01"},
		{Exact: "Mono 40 PS", Platform: "windows/x64", Language: "PostScript", Version: "2.0", Date: "2026-01-01"},
		{Exact: "Mono 400 PCL6", Platform: "windows/x64", Language: "PCL6"}, {Exact: "Label 2", Platform: "windows/x64"},
	}}
	other := driver.Package{Digest: "other", Models: []driver.Model{{Exact: "Wide 90", Platform: "linux"}}}
	return []driver.Package{old, fresh, other}
}

func doc() *estate.Document {
	return &estate.Document{
		Drivers: []estate.Driver{{Name: "m", Exact: "Mono 40 PCL6", Platform: "windows/x64"}, {Name: "l", Exact: "Label-2",
			Platform: "windows/x64"}, {Name: "w", Exact: "Wide 90", Platform: "macos"}, {Name: "n", Exact: "Nobody's",
			Platform: "linux/x64"}},
		Queues: []estate.Queue{
			{Name: "a", Drivers: map[string]string{"windows/x64": "m"}}, {Name: "b"},
			{Name: "c", Drivers: map[string]string{"windows": "l", "*": "driverless"}},
			{Name: "gone", Retired: true},
		},
	}
}

func TestHoldings(t *testing.T) {
	got := map[string]driver.Holding{}
	for _, h := range driver.Holdings(doc(), packages()) {
		got[h.Driver] = h
	}
	for name, want := range map[string]string{"m": "found", "l": "near", "w": "absent", "n": "absent"} {
		if got[name].State != want {
			t.Errorf("%s is %s, want %s", name, got[name].State, want)
		}
	}
	if !slices.Equal(got["m"].Packages, []string{"old", "new"}) || !slices.Equal(got["m"].Queues, []string{"a"}) ||
		got["l"].Near != "Label 2" || got["w"].Says != "packages accept it for linux, not for macos" {
		t.Errorf("%+v", got)
	}
	if u := driver.Unused(packages(), driver.Holdings(doc(), packages())); !slices.Equal(u, []string{"other"}) {
		t.Error("unused:", u)
	}
	if s := driver.Superseded(packages(), driver.Holdings(doc(), packages())); !slices.Equal(s, []string{"old"}) {
		t.Error("superseded:", s)
	}
}

func TestMatrix(t *testing.T) {
	m := driver.Matrix(doc(), map[string]int{"windows/x64": 3, "linux/x64": 1}, driver.Holdings(doc(), packages()),
		func(q, p string) int { return len(q) + len(p) })
	want := map[string][2]string{"a": {"none", "found"}, "b": {"driverless", "driverless"}, "c": {"driverless", "near"}}
	if len(m) != 3 {
		t.Fatalf("%+v", m)
	}
	for _, row := range m {
		if got := [2]string{row.Cells[0].State, row.Cells[1].State}; got != want[row.Queue] || row.Cells[1].Machines != 3 ||
			row.Cells[1].Receive != len(row.Queue)+len("windows/x64") {
			t.Errorf("%s: %+v", row.Queue, row.Cells)
		}
	}
}

// TestChoices: names that fit a model come first, the usual language is marked, and of two versions the newer is told.
func TestChoices(t *testing.T) {
	on := map[string][]string{"Mono 40 PCL6": {"ps-1"}, "Handwritten": {"ps-2"}}
	list := driver.Choices(packages(), doc(), on, driver.Wanted{Model: "Mono 40"})
	if len(list) != 6 || list[0].Exact != "Mono 40 PCL6" || !list[0].Marked || list[0].Version != "2.0" ||
		list[0].Driver != "m" || !slices.Equal(list[0].Servers, []string{"ps-1"}) {
		t.Errorf("%+v", list)
	}
	if list[1].Exact != "Mono 40 PS" || list[1].Marked || !list[1].Fits {
		t.Errorf("the second is %+v", list[1])
	}
	if i := slices.IndexFunc(list, func(c driver.Choice) bool {
		return c.Exact == "Mono 400 PCL6"
	}); i < 0 || list[i].Fits {
		t.Error("Mono 400 is taken for a Mono 40")
	}
	narrow := driver.Wanted{Platform: "windows/x64", Words: "mono ps"}
	if list := driver.Choices(packages(), doc(), on, narrow); len(list) != 1 || list[0].Exact != "Mono 40 PS" {
		t.Errorf("narrowed: %+v", list)
	}
}

// TestAdvice: what is printed decides which language is marked, and whether one queue does for all.
func TestAdvice(t *testing.T) {
	t.Parallel()
	ask := func(uses ...driver.Use) (string, []driver.Choice) {
		list := driver.Choices(packages(), doc(), nil, driver.Wanted{Model: "Mono 40", Platform: "windows/x64", Uses: uses})
		return driver.Advice(list, uses), list
	}
	if says, _ := ask(driver.Office, driver.Sessions); !strings.HasPrefix(says,
		"One queue does for all: PCL6 for office, sessions") {
		t.Error(says)
	}
	says, list := ask(driver.Office, driver.Layout)
	if !strings.Contains(says, "2 queues on the one device: PCL6 for office; PostScript for layout") {
		t.Error(says)
	}
	marked := 0
	for _, c := range list {
		if c.Marked {
			marked++
		}
		if c.Marked != (len(c.For) > 0) || c.Marked && !c.Fits {
			t.Errorf("%+v", c)
		}
	}
	if marked != 2 {
		t.Errorf("%d names are marked", marked)
	}
	if says, _ := ask(); says != "" {
		t.Error(says)
	}
	if says := driver.Advice(nil, driver.Uses); !strings.Contains(says, "nothing to choose") {
		t.Error(says)
	}
}
