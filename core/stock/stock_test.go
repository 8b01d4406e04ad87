package stock_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

func yes() *bool { b := true; return &b }
func no() *bool  { b := false; return &b }

func TestThrough(t *testing.T) {
	got := stock.Through(worlds.Parse(t, worlds.Harbour), "ps-2")
	if len(got) != 1 || !slices.Equal(got["Hall Mono"], []string{"hall"}) {
		t.Error(got)
	}
	if got := stock.Through(worlds.Parse(t, worlds.Harbour), "ps-1"); len(got) != 6 {
		t.Error(got)
	}
}

func TestServerDifferences(t *testing.T) {
	s := &stock.Server{Queues: []stock.Queue{
		{Name: "Hall Mono", Device: "ipp://10.1.0.11/ipp/print", Model: "Mono 40 PCL6"}, {Name: "both",
			Device: "socket://10.1.0.99:9100"}, {Name: "pool", Shared: no()},
		{Name: "Raw", Device: "socket://10.1.0.13:9100"}, {Name: "Labels", Model: "Label 2"}, {Name: "extra", Shared: yes()},
	}}
	got := map[string]string{}
	for _, d := range stock.ServerDifferences(worlds.Parse(t, worlds.Harbour), "ps-1", s) {
		got[d.Kind+" "+d.Queue] = d.Severity + ": " + d.Says + " / " + d.Fix
	}
	for key, part := range map[string]string{
		"other-device both":   "warning: on ps-1, \"both\" leads to 10.1.0.99; in the estate both leads to d2 at 10.1.0.12",
		"not-shared pool":     "people cannot reach it there",
		"gone raw":            `the server has "Raw": write that as remote_name, to the letter`,
		"gone bare":           "error: bare leads through ps-1, which has no queue \"bare\"",
		"other-driver Labels": "they differ at letter 6: a space against a hyphen",
		"unlisted extra":      "note: ",
		"unlisted Raw":        "note: ",
	} {
		if !strings.Contains(got[key], part) {
			t.Errorf("%s: %q, want %q in it", key, got[key], part)
		}
	}
	if len(got) != 7 {
		t.Errorf("%d differences: %v", len(got), got)
	}
	if d := stock.ServerDifferences(worlds.Parse(t, worlds.Harbour), "ps-1", nil); d == nil || len(d) != 0 {
		t.Error("of a server that was not read:", d)
	}
}

func TestServerChanges(t *testing.T) {
	at := time.Date(2026, 11, 1, 8, 0, 0, 0, time.UTC)
	later := at.Add(time.Hour)
	a := &stock.Server{Started: &at, Queues: []stock.Queue{{Name: "a", Model: "M 1", State: "idle"},
		{Name: "b", Device: "ipp://10.1.0.1/"}, {Name: "c", Defaults: map[string]any{"print-quality": 5.0}}, {Name: "gone"}}}
	b := &stock.Server{Started: &later, Queues: []stock.Queue{{Name: "a", Model: "M 2", State: "stopped", Jobs: 4},
		{Name: "b", Device: "ipp://10.1.0.2/"}, {Name: "c", Defaults: map[string]any{"print-quality": 5}}, {Name: "new"}}}
	var kinds []string
	for _, c := range stock.ServerChanges("ps", a, b) {
		kinds = append(kinds, c.Kind+" "+c.Subject)
	}
	if want := []string{"restarted ", "driver a", "address b", "queue-new new",
		"queue-gone gone"}; !slices.Equal(kinds, want) {
		t.Errorf("%v, want %v", kinds, want)
	}
	if c := stock.ServerChanges("ps", nil, b); c != nil {
		t.Error("a first reading is no change:", c)
	}
	many := &stock.Server{}
	for i := range 200 {
		many.Queues = append(many.Queues, stock.Queue{Name: strings.Repeat("q", i+1)})
	}
	if c := stock.ServerChanges("ps", &stock.Server{}, many); len(c) != 51 ||
		c[50].Says != "150 more things changed on ps" {
		t.Errorf("%d changes, the last %+v", len(c), c[len(c)-1])
	}
	slow := at.Add(30 * time.Second)
	if stock.Restarted(a, &stock.Server{Started: &slow}) || stock.Restarted(nil, b) || !stock.Restarted(a, b) {
		t.Error("restarts are not told from drift")
	}
	if !stock.SameServer(a, &stock.Server{At: later, Started: &slow, Queues: a.Queues}) || stock.SameServer(a, b) ||
		stock.SameServer(nil, b) {
		t.Error("readings that tell the same are not told")
	}
}

func TestComparePair(t *testing.T) {
	a := &stock.Server{Queues: []stock.Queue{{Name: "x", Model: "M-1", Defaults: map[string]any{"sides": "one-sided",
		"media": "a4"}, Shared: yes()}, {Name: "only"}, {Name: "same", Defaults: map[string]any{"n": 1}}}}
	b := &stock.Server{Queues: []stock.Queue{{Name: "x", Model: "M 1", Device: "ipp://h/",
		Defaults: map[string]any{"sides": "two-sided-long-edge"}, Shared: no()}, {Name: "same",
		Defaults: map[string]any{"n": 1.0}}, {Name: "there"}}}
	got := stock.ComparePair(a, b)
	if len(got) != 4 || got[0].On != "first" || !got[1].Same || got[2].On != "second" || got[3].Queue != "x" {
		t.Fatalf("%+v", got)
	}
	if want := []string{`driver: "M-1" and "M 1": they differ at letter 2: a hyphen against a space`,
		"device: none and ipp://h/", "default media: a4 and unset", "default sides: one-sided and two-sided-long-edge",
		"shared on one only"}; !slices.Equal(got[3].Says, want) {
		t.Errorf("%q", got[3].Says)
	}
}

func TestSlug(t *testing.T) {
	for s, want := range map[string]string{"Booking Hall, 2nd": "booking-hall-2nd", "  Över/Kø  ": "over-ko",
		"Straße": "strase", "日本": "", "---": "", strings.Repeat("ab ", 40): strings.TrimRight(strings.Repeat("ab-",
			40)[:63], "-")} {
		if got := stock.Slug(s); got != want {
			t.Errorf("%q: %q, want %q", s, got, want)
		}
	}
}

// TestRights: who may print on one server and not on the other is said, however many they are.
func TestRights(t *testing.T) {
	t.Parallel()
	many := func(last string) []string { return []string{"a", "b", "c", "d", "e", "f", last} }
	for _, c := range []struct {
		a, b stock.Queue
		says string
	}{
		{stock.Queue{}, stock.Queue{Allowed: []string{"all"}, Denied: []string{"none"}}, ""},
		{stock.Queue{Allowed: []string{"ida", "all"}}, stock.Queue{Allowed: []string{"ida"}}, ""},
		{stock.Queue{Allowed: []string{"mira", "ida"}}, stock.Queue{}, "ida, mira and everybody"},
		{stock.Queue{Denied: []string{"ida"}}, stock.Queue{Allowed: []string{"ida"}}, "everybody but ida and ida"},
		{stock.Queue{Allowed: many("x")}, stock.Queue{Denied: many("x")},
			"a, b, c, d, e and 2 more and everybody but a, b, c, d, e and 2 more"},
		{stock.Queue{Allowed: many("x")}, stock.Queue{Allowed: many("y")}, "a, b, c, d, e and 2 more, and not alike in x, y"},
	} {
		want := []string{}
		if c.says != "" {
			want = append(want, "who may print: "+c.says)
		}
		list := func(q stock.Queue) *stock.Server { q.Name = "hall"; return &stock.Server{Queues: []stock.Queue{q}} }
		if got := stock.ComparePair(list(c.a), list(c.b)); !slices.Equal(got[0].Says, want) {
			t.Errorf("%+v and %+v: %q", c.a, c.b, got[0].Says)
		}
	}
}
