package httpapi

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/service/drafts"
)

// timedRoutes are those of drafts that wait for their moment, and of what is said of drafts.
func timedRoutes(s *server, a huma.API) {
	type publishAt struct {
		Name string `query:"name" maxLength:"63" doc:"Which of one's own drafts; main when absent."`
		Body api.PublishAt
	}
	route(s, a, "POST", "/api/v1/draft/publish-at", "publish-draft-at", "Have one's own draft, as it is, be "+
		"published at a "+
		"moment", small, func(ctx context.Context, in *publishAt) (*out[api.Draft], error) {
		d, err := drafts.PublishAt(mayBreak(ctx, in.Body.BreakPromises), s.svc.Drafts, principalOf(ctx), in.Name,
			in.Body.Reason, in.Body.At, in.Body.Version)
		if err != nil {
			return nil, err
		}
		return &out[api.Draft]{draftOf(d)}, nil
	})
	type one struct {
		ID int64 `path:"id" minimum:"1"`
	}
	route(s, a, "DELETE", "/api/v1/drafts/{id}/publish-at", "keep-draft-back", "Have a draft that waits for its "+
		"moment be "+
		"an ordinary one again", small, func(ctx context.Context, in *one) (*out[api.Draft], error) {
		d, err := drafts.KeepBack(ctx, s.svc.Drafts, principalOf(ctx), in.ID)
		if err != nil {
			return nil, err
		}
		return &out[api.Draft]{draftOf(d)}, nil
	})
	key := func(c *estate.Comment) string { return number(c.ID) }
	route(s, a, "GET", "/api/v1/drafts/{id}/comments", "comments", "What was said of a draft", small,
		func(ctx context.Context, in *struct {
			Paging
			ID int64 `path:"id" minimum:"1"`
		}) (paged[estate.Comment], error) {
			list, err := drafts.Comments(ctx, s.svc.Drafts, principalOf(ctx), in.ID)
			return items(in.Paging, list, err, key)
		})
	route(s, a, "GET", "/api/v1/revisions/{number}/comments", "revision-comments", "What was said of the draft that a "+
		"revision was published from", small, func(ctx context.Context, in *struct {
		Paging
		Number int `path:"number" minimum:"1"`
	}) (paged[estate.Comment], error) {
		list, err := drafts.CommentsOfRevision(ctx, s.svc.Drafts, principalOf(ctx), in.Number)
		return items(in.Paging, list, err, key)
	})
	type said struct {
		ID   int64 `path:"id" minimum:"1"`
		Body api.Comment
	}
	route(s, a, "POST", "/api/v1/drafts/{id}/comments", "comment", "Say something of a draft, or of one object that it "+
		"changes", small, func(ctx context.Context, in *said) (*out[estate.Comment], error) {
		c := estate.Comment{Says: strings.TrimSpace(in.Body.Says), List: in.Body.List, Object: in.Body.Object}
		if c.Says == "" || (c.List == "") != (c.Object == "") {
			return nil, fault.New(fault.Invalid, "comment-invalid", "write says, and list and object both or neither",
				"the comment says nothing, or half of what it is about")
		}
		c, err := drafts.Comment(ctx, s.svc.Drafts, principalOf(ctx), in.ID, c)
		return &out[estate.Comment]{c}, err
	})
}
