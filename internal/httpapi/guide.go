package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/docs"
)

// guideRoutes give the guides to all people who are signed in.
func guideRoutes(s *server, a huma.API) {
	// What all people may do stands for being one of them.
	signedIn := func(ctx context.Context) error { return access.Check(principalOf(ctx), access.OwnToken) }
	route(s, a, "GET", "/api/v1/guides", "guides", "How things are done, page by page", small,
		func(ctx context.Context, in *Paging) (paged[docs.Guide], error) {
			return items(*in, docs.Guides(), signedIn(ctx), func(g *docs.Guide) string { return g.Name })
		})
	type one struct {
		Name string `path:"name" maxLength:"63"`
	}
	route(s, a, "GET", "/api/v1/guides/{name}", "guide", "How something is done", small,
		func(ctx context.Context, in *one) (*out[docs.Guide], error) {
			if err := signedIn(ctx); err != nil {
				return nil, err
			}
			g, ok := docs.Find(in.Name)
			if !ok {
				return nil, fault.New(fault.Unknown, "guide-unknown", "see GET /api/v1/guides", "there is no guide %q", in.Name)
			}
			return &out[docs.Guide]{g}, nil
		})
}
