package drafts_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/internal/service/drafts"
	"cirque/internal/testkit/rooms"
)

// reported are machines whose agents have reported, with their locations.
type reported map[string]string

func (r reported) Reported(context.Context) (func(string) *fleet.Judgement, error) {
	f := fleet.New(time.Hour)
	for machine, location := range r {
		f.Put(endpoint.Judged{Record: endpoint.Record{Report: endpoint.Report{Machine: machine}}}, fleet.Follows{
			Location: location})
	}
	return f.Get, nil
}

// TestScopeOfPublishing: what somebody with a scope publishes holds at their sites alone; what reaches further is refused
// when it is published, by the estate of then, and may be proposed.
func TestScopeOfPublishing(t *testing.T) {
	t.Parallel()
	const text = `
estate: 1
locations: [{path: ard}, {path: bra}]
subnets: [{cidr: 10.40.8.0/22, location: ard}]
queues: [{name: hall, location: ard, paths: [{gateway: true}]}, {name: pier, location: bra, paths: [{gateway: true}]}]
grants: [{name: g, effect: place, queues: [hall], to: [everyone]}]
`
	s := &store{World: rooms.New(t, text, directory.Records{Machines: []directory.Machine{{Name: "desk-1",
		Location: "ard"}}}), t: t, kept: map[string]estate.Draft{}}
	r, err := drafts.New(drafts.Config{Store: s, Beside: s, Now: s.Now, As: s.as, Present: s.Present,
		Fleet: reported{"laptop-7": "ard", "pier-2": "bra"}})
	if err != nil {
		t.Fatal(err)
	}
	bjorn, root := rooms.Who(access.SiteAdmin, "bra"), rooms.Who(access.Administrator)
	bjorn.Name, bjorn.Account, root.Name, root.Account = "bjorn", "bjorn", "root", "root"
	publish := func(p *access.Principal, more string) error {
		_, same, err := r.Publish(t.Context(), p, []document.File{{Name: "e.yaml", Text: text + more}}, "x")
		if err == nil && same {
			t.Errorf("%s changes nothing", more)
		}
		return err
	}
	for more, want := range map[string]string{
		"stations: [{name: desk-1, location: bra}]":                            "there is a machine of that name, and it is at ard",
		"stations: [{name: laptop-7, location: bra}]":                          "there is a machine of that name, and it is at ard",
		"stations: [{name: n, location: bra, addresses: [10.40.8.9]}]":         "its address 10.40.8.9 lies at ard",
		"devices: [{name: d, uri: \"ipp://10.40.8.1/\", location: ard}]":       "may not change device d: it lies at ard",
		"notices: [{name: n, about: [servers], tell: [\"mail:a@b.example\"]}]": "it tells of faults at all sites",
	} {
		if err := publish(bjorn, more); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", more, err, want)
		}
	}
	// A grant that says everyone holds at the site.
	if _, err := r.Edit(t.Context(), bjorn, "", nil, []estate.Edit{{Ref: estate.Ref{List: "grants", Name: "mine"},
		Object: []byte(
			`{"name":"mine","effect":"place","queues":["pier"],"to":["everyone"],"default":1000,"insist":true}`)}}); err != nil {
		t.Fatal(err)
	}
	d, err := r.Draft(t.Context(), bjorn, "")
	if err != nil {
		t.Fatal(err)
	}
	if g := d.Document.Find(estate.Ref{List: "grants", Name: "mine"}).(*estate.Grant); len(g.At) != 1 ||
		g.At[0] != "location:bra" {
		t.Errorf("the grant holds at %v", g.At)
	}
	// Meanwhile somebody leads all to the queue: what the draft changes of it reaches them now.
	if _, err := r.Edit(t.Context(), bjorn, "", nil, title("pier", "Mine")); err != nil {
		t.Fatal(err)
	}
	if _, _, err := r.Publish(t.Context(), root, []document.File{{Name: "e.yaml", Text: strings.Replace(text,
		"queues: [hall], to", "queues: [hall, pier], to", 1)}}, "x"); err != nil {
		t.Fatal(err)
	}
	s.Refresh(t)
	if _, err := r.PublishDraft(t.Context(), bjorn, "", "x", nil); fault.As(err) == nil ||
		fault.As(err).Code != "reaches-elsewhere" {
		t.Fatalf("by the estate that it was made on: %v", err)
	}
	// So it is proposed, seen, taken over and published by whoever may.
	if _, err := r.Propose(t.Context(), bjorn, "", " "); !fault.Is(err, fault.Invalid) {
		t.Error("without a reason:", err)
	}
	if d, err := r.Propose(t.Context(), bjorn, "", "a name that people know"); err != nil || d.ProposedAt == nil {
		t.Fatal(d, err)
	}
	list, err := r.Proposals(t.Context(), root)
	if err != nil || len(list) != 1 || list[0].Author != "bjorn" || list[0].Reason != "a name that people know" {
		t.Fatalf("%+v %v", list, err)
	}
	if _, err := r.Take(t.Context(), bjorn, list[0].ID, ""); !fault.Is(err, fault.Denied) {
		t.Error("who proposed it takes it:", err)
	}
	if err := r.DeclineProposal(t.Context(), bjorn, list[0].ID, "no"); !fault.Is(err, fault.Denied) {
		t.Error("who proposed it declines it:", err)
	}
	mine, err := r.Take(t.Context(), root, list[0].ID, "")
	if err != nil || len(mine.Changes) != 2 || mine.Author != "root" {
		t.Fatal(mine, err)
	}
	if list, err := r.Proposals(t.Context(), root); err != nil || len(list) != 0 {
		t.Errorf("it is still proposed: %v %v", list, err)
	}
	if _, err := r.PublishDraft(t.Context(), root, mine.Name, "as proposed", nil); err != nil {
		t.Error(err)
	}
	if err := r.DeclineProposal(t.Context(), root, 99, "no"); !fault.Is(err, fault.Unknown) {
		t.Error("what is not proposed:", err)
	}
}
