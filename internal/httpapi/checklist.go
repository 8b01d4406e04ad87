package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/endpoint"
)

// checklistRoutes are the steps of tasks, which tick themselves; that of an outage stands with the servers.
func checklistRoutes(s *server, a huma.API) {
	of := func(in Paging, v []endpoint.Check, err error) (paged[endpoint.Check], error) {
		return items(in, v, err, func(v *endpoint.Check) string { return v.Check })
	}
	route(s, a, "GET", "/api/v1/checklist", "checklist", "What is done and what is to do from an empty service to one "+
		"that looks after itself", small, func(ctx context.Context, in *Paging) (paged[endpoint.Check], error) {
		o, err := s.svc.Fleet.Overview(ctx, principalOf(ctx))
		return of(*in, o.SetUp(), err)
	})
	type named struct {
		Paging
		Name string `path:"name" maxLength:"63"`
	}
	route(s, a, "GET", "/api/v1/queues/{name}/checklist", "queue-checklist", "What is done and what is to do until a "+
		"queue prints where it is to", small, func(ctx context.Context, in *named) (paged[endpoint.Check], error) {
		v, err := s.svc.Proofs.Checklist(ctx, principalOf(ctx), in.Name)
		return of(in.Paging, v, err)
	})
}
