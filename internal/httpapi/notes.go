package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/internal/api"
)

// noteRoutes are about what people write down about a person or a machine.
func noteRoutes(s *server, a huma.API) {
	type all struct {
		Paging
		Kind string `query:"kind" enum:"person,machine" doc:"All when absent."`
	}
	route(s, a, "GET", "/api/v1/notes", "notes", "What is written down about people and machines", small,
		func(ctx context.Context, in *all) (paged[directory.WrittenNote], error) {
			list, err := s.svc.People.AllNotes(ctx, principalOf(ctx), in.Kind)
			return items(in.Paging, list, err, func(v *directory.WrittenNote) string { return v.Kind + " " + v.Name })
		})
	type One struct { // exported: huma reads no embedded type that is not
		Kind string `path:"kind" maxLength:"32" doc:"person or machine."`
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/notes/{kind}/{name}", "note", "What is written down about a person, under any of their "+
		"names, or a machine", small, func(ctx context.Context, in *One) (*out[directory.WrittenNote], error) {
		n, err := s.svc.People.Note(ctx, principalOf(ctx), in.Kind, in.Name)
		return &out[directory.WrittenNote]{n}, err
	})
	type set struct {
		One
		Body api.WriteNote
	}
	route(s, a, "PUT", "/api/v1/notes/{kind}/{name}", "write-note", "Write down what there is to know about a person or "+
		"a machine; without text nothing is", small.by(access.WriteNotes), func(ctx context.Context,
		in *set) (*out[directory.WrittenNote], error) {
		n, err := s.svc.People.SetNote(ctx, principalOf(ctx), directory.WrittenNote{Kind: in.Kind, Name: in.Name,
			Says: in.Body.Note})
		return &out[directory.WrittenNote]{n}, err
	})
}
