package adopt

import (
	"context"
	"slices"
	"testing"

	"cirque/core/access"
	"cirque/core/adopt"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

// desk is a draft that keeps what was edited, and the store of captures.
type desk struct {
	w        *rooms.World
	edits    []estate.Edit
	captures []stock.Capture
	events   []event.Event
}

func (d *desk) Draft(context.Context, *access.Principal, string) (estate.DraftSheet, error) {
	return estate.DraftSheet{Document: d.w.Present.View().Document()}, nil
}

func (d *desk) Edit(_ context.Context, _ *access.Principal, called string, _ *int64,
	edits []estate.Edit) (estate.DraftSheet, error) {
	d.edits = append(d.edits, edits...)
	return estate.DraftSheet{Draft: estate.Draft{Name: called}}, nil
}

func (d *desk) SaveCapture(_ context.Context, c stock.Capture, e event.Event) error {
	d.captures, d.events = append(d.captures, c), append(d.events, e)
	return nil
}

func furnish(t *testing.T) (*Room, *desk) {
	t.Helper()
	w := rooms.New(t, `{estate: 1, locations: [{path: north}], servers: [{name: ps-1, uri: "ipp://ps-1.example/",
		location: north},
		{name: ps-2, uri: "ipp://ps-2.example/"}]}`, directory.Records{})
	w.StockWatches = []stock.Watch{{Kind: stock.KindServer, Name: "ps-1", URI: "ipp://ps-1.example/"},
		{Kind: stock.KindServer, Name: "ps-2", URI: "ipp://ps-2.example/"}}
	w.StockKept = []stock.Kept{{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{OK: true}, Server: &stock.Server{
		Queues: []stock.Queue{{Name: "hall", Title: "Hall", Device: "ipp://192.0.2.10/ipp/print", State: "idle"},
			{Name: "shop", Device: "ipp://192.0.2.11/ipp/print", State: "idle"}}}}}
	w.Refresh(t)
	d := &desk{w: w}
	return New(Config{Store: d, Present: w.Present, Now: w.Now, Drafts: d, Edits: d}), d
}

// TestAdopt: what was found on a server is proposed with its device, and goes into the draft all at once.
func TestAdopt(t *testing.T) {
	t.Parallel()
	r, d := furnish(t)
	p := rooms.Who(access.Administrator)
	list, err := r.Propose(t.Context(), p, "mine", "", []adopt.Selection{{Kind: stock.KindServer, From: "ps-1"}})
	if err != nil || len(list) != 2 || list[0].Queue.Name != "hall" || list[0].Queue.Title != "Hall" {
		t.Fatalf("%+v %v", list, err)
	}
	one, err := r.Propose(t.Context(), p, "mine", "", []adopt.Selection{{Kind: stock.KindServer, From: "ps-1",
		Found: []string{"shop"}}})
	if err != nil || len(one) != 1 || one[0].Queue.Name != "shop" {
		t.Fatalf("%+v %v", one, err)
	}
	if got, err := r.Adopt(t.Context(), p, "mine", list); err != nil || got.Draft.Name != "mine" {
		t.Fatal(got.Draft, err)
	}
	var lists []string
	for _, e := range d.edits {
		lists = append(lists, e.List+" "+e.Name)
	}
	for _, want := range []string{"queues hall", "queues shop"} {
		if !slices.Contains(lists, want) {
			t.Errorf("%q is missing: %q", want, lists)
		}
	}
	if _, err := r.Adopt(t.Context(), p, "mine", nil); !fault.Is(err, fault.Invalid) {
		t.Error("nothing was chosen:", err)
	}
}

func TestProposeRefuses(t *testing.T) {
	t.Parallel()
	r, _ := furnish(t)
	for code, sel := range map[string]adopt.Selection{"server-unread": {Kind: stock.KindServer, From: "ps-2"},
		"queue-unknown": {Kind: stock.KindServer, From: "ps-1", Found: []string{"attic"}},
		"capture-unknown": {Kind: "capture",
			From: "desk-1"}, "device-unknown": {Kind: stock.KindDevice, From: "192.0.2.99"},
		"selection-kind": {Kind: "cupboard"}} {
		if _, err := r.Propose(t.Context(), rooms.Who(access.Owner), "mine", "",
			[]adopt.Selection{sel}); fault.As(err) == nil ||
			fault.As(err).Code != code || fault.As(err).Fix == "" {
			t.Errorf("%s: %v", code, err)
		}
	}
	if _, err := r.Propose(t.Context(), rooms.Who(access.HelpDesk), "mine", "", nil); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
}

// TestHandIn: an agent hands in what its own machine has, and nobody else's.
func TestHandIn(t *testing.T) {
	t.Parallel()
	r, d := furnish(t)
	agent := &access.Principal{Name: "the agent on desk-1", Role: access.Agent, Machine: "desk-1"}
	got, err := r.HandIn(t.Context(), agent, stock.Capture{Machine: "desk-1", Author: "somebody",
		Queues: []stock.Queue{{Name: "hall"}}})
	if err != nil || got.Author != agent.Name || !got.At.Equal(rooms.Start) || len(d.captures) != 1 ||
		d.events[0].Kind != event.Captured || d.events[0].Says != "Captured: 1 queue of desk-1" {
		t.Errorf("%+v %+v %v", got, d.events, err)
	}
	if _, err := r.HandIn(t.Context(), agent, stock.Capture{Machine: "desk-2"}); !fault.Is(err, fault.Denied) {
		t.Error("another machine's:", err)
	}
	if _, err := r.HandIn(t.Context(), agent, stock.Capture{Machine: "desk-1", Queues: make([]stock.Queue,
		2001)}); !fault.Is(err,
		fault.Invalid) {
		t.Error("too many:", err)
	}
	if list, err := r.Captures(t.Context(), rooms.Who(access.Auditor)); err != nil || list == nil {
		t.Error(list, err)
	}
}
