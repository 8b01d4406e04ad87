package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/service/adopt"
)

func secondQueueRoute(s *server, a huma.API) {
	type second struct {
		Name string `query:"name" maxLength:"63" doc:"Which of one's own drafts; main when absent."`
		Body api.SecondQueue
	}
	route(s, a, "POST", "/api/v1/draft/second-queue", "second-queue", "Add another queue on the devices of one, whose "+
		"drivers speak another page language", small.by(access.EditDraft), func(ctx context.Context,
		in *second) (*out[api.MadeSecond], error) {
		b := in.Body
		made, d, err := s.svc.Adopt.Second(ctx, principalOf(ctx), in.Name, adopt.Language{Queue: b.Queue,
			Called: b.Called, Title: b.Title, Language: b.Language}, b.Dry)
		if err != nil {
			return nil, err
		}
		return &out[api.MadeSecond]{api.MadeSecond{Proposal: made, Draft: draftUnlessDry(d, b.Dry)}}, nil
	})
}
