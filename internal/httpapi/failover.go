package httpapi

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/snapshot"
	"cirque/internal/api"
)

// failover tests take servers out of duty to see what would happen; snapshots keep how everything stood.
func failoverTestsRoutes(s *server, a huma.API) {
	type start struct {
		Name string `path:"name" maxLength:"63"`
		Body api.NewFailoverTest
	}
	route(s, a, "POST", "/api/v1/servers/{name}/failover-tests", "start-failover-test",
		"Take a server out of duty for a while, "+
			"to see what would happen if it died", small, func(ctx context.Context,
			in *start) (*out[continuity.FailoverTest], error) {
			e, err := s.svc.Continuity.StartFailoverTest(ctx, principalOf(ctx), in.Name, in.Body.Reason,
				time.Duration(in.Body.Minutes)*time.Minute)
			return &out[continuity.FailoverTest]{e}, err
		})
	route(s, a, "GET", "/api/v1/failover-tests", "failover-tests", "The latest failover tests, newest first", small,
		func(ctx context.Context, in *Paging) (paged[continuity.FailoverTest], error) {
			v, err := s.svc.Continuity.FailoverTests(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *continuity.FailoverTest) string { return number(v.ID) })
		})
	type list struct {
		Paging
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/servers/{name}/outage", "outage", "The checklist of a server's planned outage, which "+
		"ticks itself", small, func(ctx context.Context, in *list) (paged[endpoint.Check], error) {
		v, err := s.svc.Continuity.Outage(ctx, principalOf(ctx), in.Name)
		return items(in.Paging, v, err, func(v *endpoint.Check) string { return v.Check })
	})
	type one struct {
		ID int64 `path:"id" minimum:"1"`
	}
	route(s, a, "GET", "/api/v1/failover-tests/{id}", "failover-test",
		"One failover test, with its report once it is over", small,
		func(ctx context.Context, in *one) (*out[continuity.FailoverTest], error) {
			v, err := s.svc.Continuity.FailoverTest(ctx, principalOf(ctx), in.ID)
			return &out[continuity.FailoverTest]{v}, err
		})
	route(s, a, "POST", "/api/v1/failover-tests/{id}/stop", "stop-failover-test",
		"End a failover test before its time: the server "+
			"returns at once", small, func(ctx context.Context, in *one) (*out[continuity.FailoverTest], error) {
			v, err := s.svc.Continuity.StopFailoverTest(ctx, principalOf(ctx), in.ID)
			return &out[continuity.FailoverTest]{v}, err
		})
	route(s, a, "GET", "/api/v1/snapshots", "snapshots", "Snapshots of how everything stood, newest first", small,
		func(ctx context.Context, in *Paging) (paged[snapshot.Snapshot], error) {
			v, err := s.svc.Snapshots.Snapshots(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *snapshot.Snapshot) string { return v.Name })
		})
	type take struct{ Body api.NewSnapshot }
	route(s, a, "POST", "/api/v1/snapshots", "take-snapshot", "Keep how servers, devices and endpoints stand now",
		small, func(ctx context.Context, in *take) (*out[snapshot.Snapshot], error) {
			v, err := s.svc.Snapshots.TakeSnapshot(ctx, principalOf(ctx), in.Body.Name, in.Body.Note)
			return &out[snapshot.Snapshot]{v}, err
		})
	type named struct {
		Name string `path:"name" maxLength:"63"`
	}
	route(s, a, "DELETE", "/api/v1/snapshots/{name}", "remove-snapshot", "Forget a snapshot", small,
		func(ctx context.Context, in *named) (*struct{}, error) {
			return nil, s.svc.Snapshots.RemoveSnapshot(ctx, principalOf(ctx), in.Name)
		})
	type with struct {
		Name  string `path:"name" maxLength:"63"`
		With  string `query:"with" maxLength:"63" doc:"Another snapshot; how it stands now when absent."`
		Word  string `query:"word" maxLength:"256" doc:"Only what has it in its kind or name."`
		Limit int    `query:"limit" minimum:"1" maximum:"10000" default:"500"`
	}
	route(s, a, "GET", "/api/v1/snapshots/{name}/compare", "compare-snapshot",
		"What differs from a snapshot", small, func(ctx context.Context,
			in *with) (*out[snapshot.Compared], error) {
			v, err := s.svc.Snapshots.CompareSnapshots(ctx, principalOf(ctx), in.Name, in.With, in.Word, in.Limit)
			return &out[snapshot.Compared]{v}, err
		})
}
