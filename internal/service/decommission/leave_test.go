package decommission

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/rehearse"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

// others are the rooms that this one asks.
type others struct {
	asked rehearse.Ask
}

func (o *others) Rehearsed(_ context.Context, _ *access.Principal, what rehearse.Ask) (*rehearse.Report, error) {
	o.asked = what
	return &rehearse.Report{Totals: map[rehearse.Kind]rehearse.Count{rehearse.Stranded: {People: 3},
		rehearse.Gains: {People: 9}}}, nil
}

func (o *others) KeysFor(stock.Watch) []stock.Key { return nil }

func (o *others) ReadJobs(_ context.Context, uri string, _ *stock.Key, ended bool, _ int) ([]stock.Job, error) {
	if !ended || !strings.HasSuffix(uri, "/hall") {
		return nil, fault.New(fault.Unavailable, "refused", "", "%s does not answer", uri)
	}
	return []stock.Job{{Owner: "mira"}, {Owner: "mira"}, {Owner: "ida"}}, nil
}

// kept holds what is kept of who printed.
type kept struct {
	list  []decommission.Use
	known decommission.Known
}

func (k *kept) Uses(context.Context, string, int) ([]decommission.Use, decommission.Known, error) {
	return k.list, k.known, nil
}

func (k *kept) LastUses(context.Context, string) (map[[3]string]time.Time, error) {
	out := map[[3]string]time.Time{}
	for _, u := range k.list {
		out[[3]string{u.Queue, u.Owner, u.From}] = u.Last
	}
	return out, nil
}

func (k *kept) KeepUses(_ context.Context, _ string, list []decommission.Use,
	next func(decommission.Known) decommission.Known) error {
	k.list, k.known = append(k.list, list...), next(k.known)
	return nil
}

const twoServers = `estate: 1
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}, {name: ps-2, uri: "ipp://ps-2.example/"}, {name: ps-3,
	uri: "ipp://ps-3.example/"}]
server_sets: [{name: pair, style: standby, members: [ps-1, ps-2]}]
queues: [{name: hall, paths: [{set: pair}]}, {name: yard, paths: [{server: ps-1}]}]
grants: [{name: all, effect: place, queues: [yard]}]`

// TestDepends: what leads to a server, who would miss it and who used it; a server to which nothing leads may go.
func TestDepends(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, twoServers, directory.Records{})
	w.StockKept = []stock.Kept{{Kind: stock.KindServer, Name: "ps-1", Check: stock.Check{OK: true},
		Server: &stock.Server{Queues: []stock.Queue{{Name: "hall", URI: "ipp://ps-1.example/printers/hall"}}}}}
	w.Refresh(t)
	o := &others{}
	s := New(Config{Uses: &kept{}, Present: w.Present, Prober: o, Rehearsals: o, Keys: o})
	d, err := s.Depends(t.Context(), rooms.Who(access.Owner), "ps-1")
	if err != nil || d.Unused || !slices.Equal(d.Queues, []string{"hall", "yard"}) || !slices.Equal(d.Only,
		[]string{"yard"}) || !slices.Equal(d.Grants, []string{"all"}) || d.People != 3 {
		t.Errorf("%+v %v", d, err)
	}
	if !slices.Equal(o.asked.Without, []string{"server:ps-1"}) {
		t.Errorf("rehearsed without %q", o.asked.Without)
	}
	if len(d.Lately) != 2 || !strings.Contains(d.Told, "from the server's own lists") {
		t.Errorf("late use: %+v, %s", d.Lately, d.Told)
	}
	if d, err := s.Depends(t.Context(), rooms.Who(access.Owner), "ps-3"); err != nil || !d.Unused ||
		!strings.Contains(d.Says, "may be switched off") || !strings.Contains(d.Told, "not known") {
		t.Errorf("%+v %v", d, err)
	}
	if _, err := s.Depends(t.Context(), rooms.Who(access.Owner), "ps-9"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if _, err := s.Depends(t.Context(), rooms.Who(access.Person), "ps-1"); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
}

// TestQuiet: for how long nobody printed is said as far as it is proven.
func TestQuiet(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
	day := 24 * time.Hour
	w := rooms.New(t, twoServers, directory.Records{})
	for says, k := range map[string]kept{
		"Nobody has printed there for 20d, as far as that is kept": {known: decommission.Known{Since: now.Add(-20 * day),
			Read: now, Told: true}},
		"Nobody had printed there for 10d when its lists were last read, 10d ago": {known: decommission.Known{
			Since: now.Add(-20 * day), Read: now.Add(-10 * day), Says: "it is silent", Told: true}},
		"": {known: decommission.Known{Since: now.Add(-20 * day), Read: now}}, // it has never told of a job
		"The last who printed there did so 3d ago": {list: []decommission.Use{{Queue: "hall", Owner: "mira",
			Last: now.Add(-3 * day)}}, known: decommission.Known{Told: true}},
	} {
		s := New(Config{Uses: &k, Present: w.Present, Rehearsals: &others{}, Keys: &others{},
			Now: func() time.Time { return now }})
		d, err := s.Depends(t.Context(), rooms.Who(access.Owner), "ps-3")
		if err != nil || !strings.Contains(d.Says, says) || says == "" && strings.Contains(d.Says, "obody") ||
			(d.Kept != nil) != (says != "" && !k.known.Since.IsZero()) {
			t.Errorf("%q: %q, kept %v, %v", says, d.Says, d.Kept, err)
		}
	}
}
