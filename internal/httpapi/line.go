package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	model "cirque/core/stock"
	"cirque/internal/service/stock"
)

func lineRoutes(s *server, a huma.API) {
	type ask struct {
		Name string `path:"name" maxLength:"256"`
		Paging
	}
	for kind, of := range map[string]string{"server": "a print server", "device": "a device",
		"set": "each member of a server set"} {
		route(s, a, "POST", "/api/v1/stock/"+kind+"s/{name}/line-test", "test-line-of-"+kind, "Try the way from here to "+of+
			": its name, and the ports that printing needs; nothing is sent", small, func(ctx context.Context,
			in *ask) (paged[model.Line], error) {
			list, err := stock.TestLines(ctx, s.svc.Stock, principalOf(ctx), kind, in.Name)
			return items(in.Paging, list, err, func(v *model.Line) string { return v.Name })
		})
	}
}
