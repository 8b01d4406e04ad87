package httpapi

import (
	"context"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/stock"
	"cirque/internal/api"
	decommissioning "cirque/internal/service/decommission"
)

// leavingRoutes are the end of a server, and who printed through it.
func leavingRoutes(s *server, a huma.API) {
	type Named struct { // exported: huma reads no embedded type that is not
		Name string `query:"name" maxLength:"63" doc:"Which of one's own drafts; main when absent."`
	}
	type end struct {
		Named
		Body api.EndServer
	}
	route(s, a, "POST", "/api/v1/draft/end-server", "end-server", "Take the paths through a server out of the queues "+
		"that nothing leads there by, and through which nobody has printed for a while", small.by(access.EditDraft),
		func(ctx context.Context, in *end) (*out[api.MovedQueues], error) {
			b := in.Body
			list, d, err := s.svc.Decommission.EndServer(ctx, principalOf(ctx), in.Name, b.Server,
				b.Quiet.Or(decommissioning.Quiet), b.Dry)
			if err != nil {
				return nil, err
			}
			return &out[api.MovedQueues]{api.MovedQueues{Moved: list, Draft: draftUnlessDry(d, b.Dry)}}, nil
		})
	type complete struct {
		Named
		Body api.CompleteSet
	}
	route(s, a, "POST", "/api/v1/draft/complete-set", "complete-set", "Propose what makes the members of a "+
		"server set alike",
		small.by(access.EditDraft), func(ctx context.Context, in *complete) (*out[api.CompletedSet], error) {
			list, d, err := s.svc.Adopt.Complete(ctx, principalOf(ctx), in.Name, in.Body.Set, in.Body.Dry)
			if err != nil {
				return nil, err
			}
			return &out[api.CompletedSet]{api.CompletedSet{Steps: list, Draft: draftUnlessDry(d, in.Body.Dry)}}, nil
		})
	type inside struct {
		Name string `path:"name" maxLength:"63"`
	}
	route(s, a, "GET", "/api/v1/stock/servers/{name}/inside", "server-inside", "The drivers, paper forms and "+
		"ports of a print server", small, func(ctx context.Context, in *inside) (*out[stock.Inside], error) {
		v, err := s.svc.Drivers.InsideServer(ctx, principalOf(ctx), in.Name)
		return &out[stock.Inside]{v}, err
	})
	type matrix struct {
		Find  string `query:"find" maxLength:"256" doc:"Only queues with this in their name."`
		Holes bool   `query:"holes" doc:"Only queues with a hole."`
		Limit int    `query:"limit" minimum:"1" maximum:"10000" default:"500"`
	}
	route(s, a, "GET", "/api/v1/stock/matrix", "server-matrix", "Which queue is on which print server, and with which "+
		"driver on which platform, with the holes", small, func(ctx context.Context,
		in *matrix) (*out[stock.ServerMatrix], error) {
		v, err := s.svc.Drivers.ServerMatrix(ctx, principalOf(ctx))
		v.Rows = slices.DeleteFunc(v.Rows, func(r stock.MatrixRow) bool {
			return in.Holes && !r.Hole || !strings.Contains(r.Queue, in.Find)
		})
		v.Rows = v.Rows[:min(len(v.Rows), in.Limit)]
		return &out[stock.ServerMatrix]{v}, err
	})
	type used struct {
		Name string `path:"name" maxLength:"63"`
		Paging
	}
	route(s, a, "GET", "/api/v1/stock/servers/{name}/uses", "server-uses", "Who printed through a server, as it "+
		"is kept, the latest first", small, func(ctx context.Context, in *used) (paged[decommission.Use], error) {
		list, err := s.svc.Decommission.Used(ctx, principalOf(ctx), in.Name)
		return items(in.Paging, list, err, func(v *decommission.Use) string { return v.Queue + " " + v.Owner + " " + v.From })
	})
}
