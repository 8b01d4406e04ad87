package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/estate"
	"cirque/internal/service/drafts"
)

func pastRoute(s *server, a huma.API) {
	type ask struct {
		List   string `query:"list" required:"true" enum:"locations,subnets,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances,settings"`
		Object string `query:"object" required:"true" maxLength:"256" doc:"Its name; of a location the path, of a subnet its address."`
		Paging
	}
	route(s, a, "GET", "/api/v1/estate/past", "past", "What each of the latest two hundred revisions did to one object "+
		"of the estate, newest first", small, func(ctx context.Context, in *ask) (paged[estate.Past], error) {
		list, err := drafts.Past(ctx, s.svc.Drafts, principalOf(ctx), estate.Ref{List: in.List, Name: in.Object})
		return items(in.Paging, list, err, func(v *estate.Past) string { return number(int64(v.Revision.Number)) })
	})
}
