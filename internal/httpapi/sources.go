package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/advert"
	"cirque/core/directory"
	"cirque/core/page"
	"cirque/internal/api"
)

func sourcesRoutes(s *server, a huma.API) {
	type named struct {
		Name string `path:"name" maxLength:"63"`
	}
	type keep struct {
		Name string `path:"name" maxLength:"63"`
		Body api.NewSource
	}
	route(s, a, "GET", "/api/v1/directory/sources", "directory-sources", "The directories that are read over LDAP, with "+
		"how they stand", small, func(ctx context.Context, in *Paging) (paged[directory.SourceView], error) {
		list, err := s.svc.Sources.Sources(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *directory.SourceView) string { return v.Name })
	})
	route(s, a, "PUT", "/api/v1/directory/sources/{name}", "keep-source", "Try a directory, and keep it as a source; a "+
		"new one is paused until it is resumed", small, func(ctx context.Context, in *keep) (*out[api.TriedSource], error) {
		t, err := s.svc.Sources.KeepSource(ctx, principalOf(ctx), in.Body.Source(in.Name), in.Body.Password, in.Body.Try)
		if err != nil {
			return nil, err
		}
		o := api.TriedSource{Source: t.Source, Sample: t.Sample, Kept: !in.Body.Try}
		return &out[api.TriedSource]{o}, nil
	})
	route(s, a, "GET", "/api/v1/directory/listings", "listings", "How the printer entries in each directory stand", small,
		func(ctx context.Context, in *Paging) (paged[advert.Listing], error) {
			list, err := s.svc.Adverts.Listings(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *advert.Listing) string { return v.Source })
		})
	type printers struct {
		Paging
		Source   string   `query:"source" maxLength:"63" doc:"Only in this directory."`
		Find     []string `query:"word,explode" maxItems:"10" doc:"Words, each of which stands in the name, an old name, the description, the location or the model."`
		Place    string   `query:"place" maxLength:"256" doc:"In the location."`
		Colour   bool     `query:"colour" doc:"Only those that print colour."`
		TwoSided bool     `query:"two_sided" doc:"Only those that print on both sides."`
	}
	route(s, a, "GET", "/api/v1/directory/printers", "directory-printers", "Printer entries in the directories, whoever "+
		"wrote them, with what is known of where they lead", small, func(ctx context.Context,
		in *printers) (paged[advert.Found], error) {
		list, err := s.svc.Adverts.Printers(ctx, principalOf(ctx), in.Source, advert.Seek{Words: in.Find,
			Place: in.Place, Colour: in.Colour, TwoSided: in.TwoSided})
		return items(in.Paging, list, err, func(v *advert.Found) string { return v.Source + " " + v.DN })
	})
	type entry struct {
		Source string `query:"source" maxLength:"63"`
		DN     string `query:"dn" maxLength:"1024"`
	}
	route(s, a, "DELETE", "/api/v1/directory/printers", "remove-directory-printer", "Take a printer entry out of a "+
		"directory whose queue is gone", small, func(ctx context.Context, in *entry) (*struct{}, error) {
		return nil, s.svc.Adverts.RemovePrinter(ctx, principalOf(ctx), in.Source, in.DN)
	})
	type remove struct {
		Name  string `path:"name" maxLength:"63"`
		Rows  bool   `query:"rows" doc:"Take out what came from it as well."`
		Leave bool   `query:"leave_entries" doc:"Leave the printer entries that were written there, for a directory that does not answer any more."`
	}
	route(s, a, "DELETE", "/api/v1/directory/sources/{name}", "remove-source", "Forget a source; what came from it "+
		"stays unless rows says otherwise", small, func(ctx context.Context, in *remove) (*struct{}, error) {
		return nil, s.svc.Sources.RemoveSource(ctx, principalOf(ctx), in.Name, in.Rows, in.Leave)
	})
	type pause struct {
		Name string `path:"name" maxLength:"63"`
		Body api.Pausing
	}
	route(s, a, "PUT", "/api/v1/directory/sources/{name}/pause", "pause-source", "Pause a source, or have it read again",
		small, func(ctx context.Context, in *pause) (*out[directory.Source], error) {
			v, err := s.svc.Sources.PauseSource(ctx, principalOf(ctx), in.Name, in.Body.Paused)
			return &out[directory.Source]{v}, err
		})
	type run struct {
		Name string `path:"name" maxLength:"63"`
		Body api.NewRun
	}
	route(s, a, "POST", "/api/v1/directory/sources/{name}/runs", "run-source", "Begin a pass over a source; it goes on "+
		"in the background", small, func(ctx context.Context, in *run) (*out[directory.Run], error) {
		r, err := s.svc.Sources.RunSource(ctx, principalOf(ctx), in.Name, in.Body.Kind, in.Body.Accept)
		return &out[directory.Run]{r}, err
	})
	route(s, a, "DELETE", "/api/v1/directory/sources/{name}/runs", "stop-source", "Stop the pass over a source that is "+
		"under way; nothing of it is applied", small, func(ctx context.Context, in *named) (*struct{}, error) {
		return nil, s.svc.Sources.StopRun(ctx, principalOf(ctx), in.Name)
	})
	type history struct {
		Paging
		Source string `query:"source" maxLength:"63" doc:"All when absent."`
	}
	route(s, a, "GET", "/api/v1/directory/runs", "directory-runs", "The latest passes, newest first", small,
		func(ctx context.Context, in *history) (paged[directory.Run], error) {
			list, err := s.svc.Sources.Runs(ctx, principalOf(ctx), in.Source, in.ask(), in.Find)
			return &out[page.Page[directory.Run]]{list}, err
		})
	type ids struct{ Body api.RenameIDs }
	route(s, a, "GET", "/api/v1/directory/renames", "directory-renames", "What the directory calls "+
		"differently from the estate", small, func(ctx context.Context, in *Paging) (paged[directory.Proposal], error) {
		list, err := s.svc.Sources.Renames(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *directory.Proposal) string { return number(v.ID) })
	})
	route(s, a, "POST", "/api/v1/directory/renames/take", "take-renames", "Put renames into one's own draft", small,
		func(ctx context.Context, in *ids) (*out[api.TakenRenames], error) {
			n, d, err := s.svc.Sources.TakeRenames(ctx, principalOf(ctx), in.Body.Draft, in.Body.IDs)
			return &out[api.TakenRenames]{api.TakenRenames{Objects: n, Version: d.Version}}, err
		})
	route(s, a, "POST", "/api/v1/directory/renames/drop", "drop-renames", "Take renames off the list without "+
		"changing anything", small, func(ctx context.Context, in *ids) (*struct{}, error) {
		return nil, s.svc.Sources.DropRenames(ctx, principalOf(ctx), in.Body.IDs)
	})
}
