package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/internal/api"
)

// views are lists of the console as people keep them.
func viewsRoutes(s *server, a huma.API) {
	type list struct {
		Paging
		Page string `query:"page" maxLength:"63" doc:"Only those of this list."`
	}
	route(s, a, "GET", "/api/v1/views", "views", "The lists of the console that one keeps, and those "+
		"that others share", small, func(ctx context.Context, in *list) (paged[access.KeptView], error) {
		v, err := s.svc.Views.Views(ctx, principalOf(ctx), in.Page)
		return items(in.Paging, v, err, func(v *access.KeptView) string { return v.Owner + "\n" + v.Page + "\n" + v.Name })
	})
	type one struct {
		Page string `path:"page" minLength:"1" maxLength:"63" pattern:"^[a-z-]+$" doc:"The list, such as queues."`
		Name string `path:"name" minLength:"1" maxLength:"100"`
	}
	type keep struct {
		Page string `path:"page" minLength:"1" maxLength:"63" pattern:"^[a-z-]+$" doc:"The list, such as queues."`
		Name string `path:"name" minLength:"1" maxLength:"100"`
		Body api.KeepView
	}
	route(s, a, "PUT", "/api/v1/views/{page}/{name}", "keep-view", "Keep a list of the console as it is narrowed and "+
		"ordered, in place of one of that name", small, func(ctx context.Context, in *keep) (*out[access.KeptView], error) {
		v, err := s.svc.Views.KeepView(ctx, principalOf(ctx), access.KeptView{Page: in.Page, Name: in.Name,
			Search: in.Body.Search, Shared: in.Body.Shared})
		return &out[access.KeptView]{v}, err
	})
	route(s, a, "DELETE", "/api/v1/views/{page}/{name}", "remove-view", "Forget a list that one keeps", small,
		func(ctx context.Context, in *one) (*struct{}, error) {
			return nil, s.svc.Views.RemoveView(ctx, principalOf(ctx), in.Page, in.Name)
		})
}
