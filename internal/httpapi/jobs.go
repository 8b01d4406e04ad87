package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/job"
	"cirque/core/page"
	"cirque/internal/api"
)

// jobRoutes look after jobs at the gateway.
func jobRoutes(s *server, a huma.API) {
	type one struct {
		ID int64 `path:"id" minimum:"1" maximum:"2147483647"`
	}
	type releasing struct {
		ID   int64 `path:"id" minimum:"1" maximum:"2147483647"`
		Body api.ReleaseJob
	}
	type deciding struct {
		ID   int64 `path:"id" minimum:"1" maximum:"2147483647"`
		Body api.DecideJob
	}
	route(s, a, "GET", "/api/v1/jobs", "jobs", "Jobs at the gateway, the newest first; to people their own",
		small.by(access.Print), func(ctx context.Context, in *jobsAsked) (paged[job.Job], error) {
			v, err := s.svc.Printing.Page(ctx, principalOf(ctx), in.filter(), in.ask())
			return &out[page.Page[job.Job]]{v}, err
		})
	route(s, a, "GET", "/api/v1/jobs/{id}", "job", "One job, with what happened to it", small.by(access.Print),
		func(ctx context.Context, in *one) (*out[api.ShownJob], error) {
			j, past, err := s.svc.Printing.Show(ctx, principalOf(ctx), in.ID)
			return &out[api.ShownJob]{api.ShownJob{Job: j, Past: past}}, err
		})
	done := func(j job.Job, err error) (*out[job.Job], error) { return &out[job.Job]{j}, err }
	route(s, a, "POST", "/api/v1/jobs/{id}/cancel", "cancel-job", "Cancel a job", small.by(access.Print),
		func(ctx context.Context, in *one) (*out[job.Job], error) {
			return done(s.svc.Printing.Cancel(ctx, principalOf(ctx), in.ID))
		})
	route(s, a, "POST", "/api/v1/jobs/{id}/hold", "hold-job", "Have a job wait that is at no device yet",
		small.by(access.Print), func(ctx context.Context, in *one) (*out[job.Job], error) {
			return done(s.svc.Printing.HoldJob(ctx, principalOf(ctx), in.ID))
		})
	route(s, a, "POST", "/api/v1/jobs/{id}/release", "release-job", "Let a job go that waits, at a device where it may "+
		"be had", small.by(access.Print), func(ctx context.Context, in *releasing) (*out[job.Job], error) {
		return done(s.svc.Printing.Release(ctx, principalOf(ctx), in.ID, in.Body.Device))
	})
	route(s, a, "POST", "/api/v1/jobs/{id}/decide", "decide-job", "Say of a job of which it is not known whether it "+
		"printed that it has, or that it is to be sent again", small.by(access.Print), func(ctx context.Context,
		in *deciding) (*out[job.Job], error) {
		return done(s.svc.Printing.Decide(ctx, principalOf(ctx), in.ID, in.Body.Printed))
	})
}

// jobsAsked is which jobs are asked for.
type jobsAsked struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100" doc:"How many items at most."`
	After  string `query:"after" maxLength:"1024" doc:"The next of the page before; the first page when absent."`
	Queue  string `query:"queue" maxLength:"63"`
	Device string `query:"device" maxLength:"63"`
	Person string `query:"person" maxLength:"255"`
	State  string `query:"state" enum:"pending,pending-held,processing,processing-stopped,completed,canceled,aborted,open,ended" doc:"A state; open for all that have not ended, ended for all others."`
}

func (in *jobsAsked) ask() page.Ask { return page.Ask{After: in.After, Limit: in.Limit} }

func (in *jobsAsked) filter() job.Filter {
	f := job.Filter{Device: in.Device}
	if in.Queue != "" {
		f.Queues = []string{in.Queue}
	}
	if in.Person != "" {
		f.Owners = []string{in.Person}
	}
	switch in.State {
	case "":
	case "open":
		f.Open = true
	case "ended":
		f.Ended = true
	default:
		f.States = []job.State{job.State(in.State)}
	}
	return f
}
