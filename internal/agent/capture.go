package agent

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/agentproto"
	ippclient "cirque/internal/probe/ipp"
)

// ReadCapture reads this machine's own queues: of a spooler as Open takes it, or, over IPP, of the Unix spooler at a
// URI.
func ReadCapture(ctx context.Context, spooler string) (stock.Capture, error) {
	if strings.HasPrefix(spooler, "ipp://") || strings.HasPrefix(spooler, "ipps://") {
		facts, err := System{}.Facts(ctx)
		if err != nil {
			return stock.Capture{}, err
		}
		s, err := ippclient.New(nil).ReadServer(ctx, spooler, nil, nil)
		if err != nil {
			return stock.Capture{}, err
		}
		return stock.Capture{Machine: facts.Machine, Platform: facts.Platform, Queues: s.Queues}, nil
	}
	o, err := Open(spooler)
	if err != nil {
		return stock.Capture{}, err
	}
	facts, err := o.Machine.Facts(ctx)
	if err != nil {
		return stock.Capture{}, err
	}
	list, err := Captured(ctx, o.Spooler)
	return stock.Capture{Machine: facts.Machine, Platform: facts.Platform, Queues: list}, err
}

// knowsBuiltIn is a spooler of a system that comes with queues of its own, which make files or send faxes.
type knowsBuiltIn interface {
	BuiltIn(i endpoint.Installed) bool
}

// Captured reads what a spooler holds as queues that may be adopted. What the agent itself installed comes from the
// estate, and is left out, as are queues of one person and those that came with the system.
func Captured(ctx context.Context, s Spooler) ([]stock.Queue, error) {
	installed, _, err := s.List(ctx, nil)
	if err != nil {
		return nil, err
	}
	out := []stock.Queue{}
	built, knows := s.(knowsBuiltIn)
	for _, i := range installed {
		if i.Own || i.User != "" || knows && built.BuiltIn(i) {
			continue
		}
		out = append(out, captured(i.Want))
	}
	slices.SortFunc(out, func(a, b stock.Queue) int { return strings.Compare(a.Name, b.Name) })
	return out, nil
}

func captured(w endpoint.Want) stock.Queue {
	return stock.Queue{Name: w.Queue, Title: w.Title, Model: w.Exact, Device: w.URI, URI: w.URI, State: "unknown",
		Accepting: true, Defaults: maps.Clone(w.Options)}
}

// Choose keeps the queues of these names; all where none is named. A name that is not among them is an error.
func Choose(list []stock.Queue, names []string) ([]stock.Queue, error) {
	if len(names) == 0 {
		return list, nil
	}
	var have []string
	for _, q := range list {
		have = append(have, q.Name)
	}
	for _, n := range names {
		if !slices.Contains(have, n) {
			return nil, fault.New(fault.Unknown, "capture-queue", "choose among "+strings.Join(have, ", "),
				"this machine has no queue %q of its own", n)
		}
	}
	return slices.DeleteFunc(slices.Clone(list), func(q stock.Queue) bool { return !slices.Contains(names, q.Name) }), nil
}

// SendCapture offers a reference machine's queues for adoption.
func SendCapture(ctx context.Context, service, token string, ca []byte, c stock.Capture) error {
	client, err := newClient(service, strings.TrimSpace(token), ca)
	if err != nil {
		return err
	}
	body := struct {
		Machine  string        `json:"machine"`
		Platform string        `json:"platform,omitempty"`
		Queues   []stock.Queue `json:"queues"`
	}{c.Machine, c.Platform, c.Queues}
	_, _, err = client.post(ctx, agentproto.CapturePath, body, nil, 30*time.Second)
	return err
}
