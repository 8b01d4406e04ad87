package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/endpoint"
	"cirque/internal/service/fleet"
)

func identitiesRoute(s *server, a huma.API) {
	type ask struct {
		Machine string `path:"machine" maxLength:"256"`
		Login   string `query:"login" maxLength:"256" doc:"A sign-in name as the system has it; those of the last report where none is said."`
		Paging
	}
	route(s, a, "GET", "/api/v1/endpoints/{machine}/identities", "identities", "Whom a machine's agent would take "+
		"somebody for who signs in there, by each way of knowing people; the agent need not have reported", small,
		func(ctx context.Context, in *ask) (paged[endpoint.Identity], error) {
			list, err := fleet.Identities(ctx, s.svc.Fleet, principalOf(ctx), in.Machine, in.Login)
			return items(in.Paging, list, err, func(v *endpoint.Identity) string { return v.Login })
		})
}
