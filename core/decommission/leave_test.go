package decommission_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/decommission"
	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

func TestDependentsOf(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
	d := decommission.DependentsOf(doc, "ps-1", nil)
	if !slices.Equal(d.Queues, []string{"hall", "both", "pool", "raw", "bare", "labels"}) || !slices.Equal(d.Only,
		[]string{"pool", "raw", "bare", "labels"}) || !slices.Equal(d.Sets, []string{"pair"}) {
		t.Errorf("%+v", d)
	}
	lacks := func(server, remote string) bool { return server == "ps-2" && remote == "Hall Mono" }
	if d := decommission.DependentsOf(doc, "ps-1", lacks); !slices.Contains(d.Only, "hall") || !slices.Equal(d.Lacked,
		[]string{"ps-2 lacks Hall Mono"}) {
		t.Errorf("with what ps-2 lacks: %+v", d)
	}
	if d := decommission.DependentsOf(doc, "ps-3", nil); len(d.Queues)+len(d.Sets) != 0 {
		t.Errorf("%+v", d)
	}
}

// TestLeave: afterwards no queue that was moved leads through the server, and each leads where and when it did before.
func TestLeave(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
	readings := map[string]*stock.Device{"d1": {Supported: map[string][]string{"sides": {"one-sided"}},
		Formats: []string{"text/plain"}}}
	edits, moved, err := decommission.Leave(doc, "ps-1", "device", nil, readings)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]decommission.Moved{}
	for _, m := range moved {
		got[m.Queue] = m
	}
	for queue, want := range map[string]struct {
		moved bool
		says  string
	}{
		"hall": {true, "straight to d1"}, "both": {true, "straight to d2"}, "pool": {true, "through the gateway"},
		"labels": {true, "straight to d2"},
		"raw":    {false, "its device d3 is reached by socket, over which no lineup can lead"},
		"bare":   {false, "the estate does not say which device is behind it"},
	} {
		if m := got[queue]; m.Moved != want.moved || !strings.Contains(m.Says, want.says) {
			t.Errorf("%s: %+v", queue, m)
		}
	}
	if r := strings.Join(got["hall"].Remarks, "; "); !strings.Contains(r, "does not take sides = two-sided-long-edge") ||
		!strings.Contains(r, "takes none of PDF, PWG raster") {
		t.Error("remarks on hall:", r)
	}
	if r := strings.Join(got["both"].Remarks, "; "); !strings.Contains(r, "has not been read") {
		t.Error("remarks on both:", r)
	}
	after := worlds.With(t, doc, edits)
	if left := slices.Sorted(slices.Values(decommission.DependentsOf(after, "ps-1", nil).Queues)); !slices.Equal(left,
		[]string{"bare", "raw"}) {
		t.Error("still lead there:", left)
	}
	for _, q := range after.Queues {
		switch q.Name {
		case "both":
			// The server's path held at one place only; the straight one after it, everywhere.
			if len(q.Paths) != 2 || q.Paths[0].Device != "d2" || !slices.Equal(q.Paths[0].At, []string{"location:ard"}) ||
				len(q.Paths[1].At) != 0 {
				t.Errorf("%+v", q.Paths)
			}
		case "hall":
			if len(q.Paths) != 1 || q.Paths[0].Device != "d1" || q.Paths[0].RemoteName != "" {
				t.Errorf("%+v", q.Paths)
			}
		}
	}
	if edits, moved, err := decommission.Leave(doc, "ps-1", "gateway", []string{"hall"}, nil); err != nil ||
		len(edits) != 1 ||
		len(moved) != 1 || moved[0].Says != "through the gateway" {
		t.Error(edits, moved, err)
	}
	for _, c := range [][3]string{{"ps-9", "device", `no server "ps-9"`}, {"ps-1", "cloud", `moved to "cloud"`},
		{"ps-3", "device hall", "does not lead through ps-3"}} {
		to, only, _ := strings.Cut(c[1], " ")
		if _, _, err := decommission.Leave(doc, c[0], to, strings.Fields(only), nil); err == nil ||
			!strings.Contains(err.Error(), c[2]) {
			t.Errorf("%v: %v", c, err)
		}
	}
}

func TestOrphansOf(t *testing.T) {
	doc := worlds.Parse(t, worlds.Harbour)
	list, err := stock.ParseReservations("r.csv",
		"mac,address\n02:00:5e:10:00:01,10.1.0.11\n02:00:5e:10:00:09,10.1.0.200\n", nil)
	if err != nil {
		t.Fatal(err)
	}
	o := decommission.OrphansOf(doc, func(q string) bool {
		return q == "hall" || q == "both"
	}, map[string]*stock.Server{"ps-1": {Queues: []stock.Queue{{Name: "Hall Mono"}, {Name: "stray"}}}, "ps-2": nil}, list,
		[]string{"10.1.0.77", "10.1.0.12"})
	for what, pair := range map[string][2][]string{
		"queues": {o.Queues, {"bare", "labels", "pool", "raw"}}, "devices": {o.Devices, {}}, "servers": {o.Servers, {"ps-3"}},
		"drivers":   {o.Drivers, {}},
		"addresses": {o.Addresses, {"10.1.0.200", "10.1.0.77"}}, "found": {o.Found, {"ps-1: stray"}},
	} {
		if !slices.Equal(pair[0], pair[1]) {
			t.Errorf("%s: %v, want %v", what, pair[0], pair[1])
		}
	}
}
