package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/page"
	"cirque/core/update"
	"cirque/core/words"
	"cirque/internal/agentproto"
	"cirque/internal/api"
)

func fleetRoutes(s *server, a huma.API) {
	identitiesRoute(s, a)
	checklistRoutes(s, a)
	type report struct {
		Updates string `header:"Cirque-Updates" enum:"deb,rpm,msi,archive,left" doc:"How the agent is brought to another version."`
		Consent string `header:"Cirque-Consent" enum:"asked" doc:"The agent changes nothing before somebody has agreed on the machine."`
		Body    endpoint.Report
	}
	type judged struct {
		Update string `header:"Cirque-Update" doc:"The order by which the machine is to come to another version; absent for none."`
		Body   endpoint.Judged
	}
	route(s, a, "POST", agentproto.ReportPath, "report", "An agent tells how its endpoint stands",
		medium.by(access.Report).asTold(),
		func(ctx context.Context, in *report) (*judged, error) {
			words.Clean(&in.Body)
			if in.Updates != "" {
				in.Body.Updates = in.Updates
			}
			in.Body.Waits = in.Body.Waits || in.Consent != ""
			e, err := s.svc.Fleet.Report(ctx, principalOf(ctx), in.Body)
			return &judged{s.svc.Updates.Tells(update.Machine{Name: in.Body.Machine, Version: in.Body.Version,
				Platform: in.Body.Platform, Updates: in.Body.Updates}), e}, err
		})
	type endpoints struct {
		Paging
		State endpoint.State `query:"state" enum:"converged,behind,failing,silent" doc:"Only those that stand so."`
		Site  string         `query:"site" maxLength:"63" doc:"Only those at this site."`
		Queue string         `query:"queue" maxLength:"256" doc:"Only those that are to have this queue, or have it and must not."`
		One   string         `query:"machine" maxLength:"256" doc:"This one alone."`
		Sort  string         `query:"sort" enum:"machine,-machine,state,-state,last_seen,-last_seen,queues,-queues,users,-users,revision,-revision,platform,-platform,location,-location" doc:"By what; a dash for the other way round."`
	}
	route(s, a, "GET", "/api/v1/endpoints", "endpoints", "Endpoints by name, with how they stand", small,
		func(ctx context.Context, in *endpoints) (paged[fleet.Row], error) {
			list, err := s.svc.Fleet.Endpoints(ctx, principalOf(ctx), fleet.Filter{State: in.State, Site: in.Site,
				Word: in.Find, Queue: in.Queue, Only: in.One, Sort: in.Sort}, in.ask())
			return &out[page.Page[fleet.Row]]{list}, err
		})
	type named struct {
		Machine string `path:"machine" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/endpoints/{machine}", "endpoint", "One endpoint", small, func(ctx context.Context,
		in *named) (*out[endpoint.Judged], error) {
		e, err := s.svc.Fleet.Endpoint(ctx, principalOf(ctx), in.Machine)
		return &out[endpoint.Judged]{e}, err
	})
	route(s, a, "POST", "/api/v1/endpoints/{machine}/refresh", "refresh-endpoint", "Have an endpoint look at its queues "+
		"and report now", small, func(ctx context.Context, in *named) (*out[api.Called], error) {
		e, err := s.svc.Fleet.Refresh(ctx, principalOf(ctx), in.Machine)
		return &out[api.Called]{api.Called{Endpoint: e, Otherwise: s.svc.Fleet.Otherwise()}}, err
	})
	type events struct {
		Paging
		Routine string `query:"routine" enum:"yes,no" doc:"no leaves out what happens every day and asks nothing of anybody, such as signing in."`
		Before  int64  `query:"before" minimum:"0" deprecated:"true" doc:"What after says; goes with the next version."`
	}
	route(s, a, "GET", "/api/v1/events", "events", "What happened, newest first", small, func(ctx context.Context,
		in *events) (paged[event.Event], error) {
		list, err := s.svc.Audit.Events(ctx, principalOf(ctx), before(in.Paging, in.Before), in.Find,
			in.Routine != "no")
		return &out[page.Page[event.Event]]{list}, err
	})
	route(s, a, "GET", "/api/v1/overview", "overview", "The figures of the first page", small, func(ctx context.Context,
		_ *struct{}) (*out[endpoint.Overview], error) {
		o, err := s.svc.Fleet.Overview(ctx, principalOf(ctx))
		return &out[endpoint.Overview]{o}, err
	})
}
