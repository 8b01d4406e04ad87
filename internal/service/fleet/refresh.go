package fleet

import (
	"context"
	"fmt"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/words"
)

// Refresh has an endpoint's agent look at its spooler and report now, in whichever process of the service it waits.
func (s *Room) Refresh(ctx context.Context, p *access.Principal, machine string) (endpoint.Judged, error) {
	if err := access.Check(p, access.RefreshEndpoint); err != nil {
		return endpoint.Judged{}, err
	}
	rec, err := s.store.Endpoint(ctx, machine)
	if err != nil {
		return endpoint.Judged{}, err
	}
	if err := access.CheckAt(p, access.RefreshEndpoint, s.present.View().SiteOfMachine(rec.Report, s.now()),
		"the endpoint "+
			rec.Report.Machine); err != nil {
		return endpoint.Judged{}, err
	}
	err = s.store.Call(ctx, machine, event.Event{Kind: event.Called, Subject: rec.Report.Machine, Author: p.Name}.Saying(
		"{machine} was asked to look at its queues and report", "machine", rec.Report.Machine))
	s.present.Agents.Wake(machine) // here at once; the other processes hear of it
	return s.present.View().Judged(rec, s.now()), err
}

// Otherwise says how long an endpoint takes to hear of a change when it is not called.
func (s *Room) Otherwise() string {
	set := s.Pace()
	hurry := ""
	if all := s.present.View().Document().Agent(); all.HurryUntil != "" && set != all {
		hurry = " Agents hurry until " + all.HurryUntil + "."
	}
	return fmt.Sprintf("While it is connected it hears of a change within seconds; after a broken connection it asks "+
		"again within %s, and reports at least every %s.",
		words.Span(set.Gap.D()),
		words.Span(set.Report.D())) + hurry
}

// Pace gives the settings by which agents ask and report now.
func (s *Room) Pace() estate.AgentSettings {
	return s.present.View().Document().Agent().Hurried(s.now())
}
