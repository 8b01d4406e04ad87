package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	model "cirque/core/stock"
	"cirque/internal/service/stock"
)

func lineRoute(s *server, a huma.API) {
	type ask struct {
		Kind string `query:"kind" required:"true" enum:"server,device,set"`
		Name string `query:"name" required:"true" maxLength:"256"`
		Paging
	}
	route(s, a, "POST", "/api/v1/stock/line-tests", "test-line", "Try the way from here to a server, a device or each "+
		"member of a set: its name, and the ports that printing needs; nothing is sent", small,
		func(ctx context.Context, in *ask) (paged[model.Line], error) {
			list, err := stock.TestLines(ctx, s.svc.Stock, principalOf(ctx), in.Kind, in.Name)
			return items(in.Paging, list, err, func(v *model.Line) string { return v.Name })
		})
}
