package httpapi

import (
	"context"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/driver"
	"cirque/internal/api"
)

// mostOffers is how much of what a place offers is shown where nobody says.
const mostOffers = 1000

// offersOf narrows what a place offers by words.
func offersOf(v driver.PlaceView, list []driver.Offered, find string, limit int) api.PlaceOffers {
	words := strings.Fields(strings.ToLower(find))
	out := api.PlaceOffers{Place: v, Offers: []driver.Offered{}}
	for _, o := range list {
		text := strings.ToLower(o.File + " " + o.Title + " " + o.Name)
		if slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) }) {
			continue
		}
		if out.Total++; len(out.Offers) < limit {
			out.Offers = append(out.Offers, o)
		}
	}
	return out
}

func placesRoutes(s *server, a huma.API) {
	const base = "/api/v1/drivers/places"
	type named struct {
		Name string `path:"name" maxLength:"63"`
	}
	offers := func(v driver.PlaceView, list []driver.Offered, err error) (*out[api.PlaceOffers], error) {
		return &out[api.PlaceOffers]{offersOf(v, list, "", mostOffers)}, err
	}
	type seek struct {
		Name  string `path:"name" maxLength:"63"`
		Find  string `query:"find" maxLength:"256" doc:"Words that all have to be in the name or the file's."`
		Limit int    `query:"limit" minimum:"1" maximum:"10000" default:"1000"`
	}
	route(s, a, "GET", base, "driver-places", "The places that drivers are fetched from, with what they offer in figures",
		small, func(ctx context.Context, in *Paging) (paged[driver.PlaceView], error) {
			list, err := s.svc.Places.Places(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *driver.PlaceView) string { return v.Name })
		})
	route(s, a, "GET", base+"/{name}", "driver-place", "One place with what it offered last, and what was fetched lately",
		small, func(ctx context.Context, in *seek) (*out[api.PlaceOffers], error) {
			v, list, err := s.svc.Places.Place(ctx, principalOf(ctx), in.Name)
			return &out[api.PlaceOffers]{offersOf(v, list, in.Find, in.Limit)}, err
		})
	type keep struct {
		Name string `path:"name" maxLength:"63"`
		Body api.NewPlace
	}
	route(s, a, "PUT", base+"/{name}", "keep-driver-place", "Try a place, and keep it", small, func(ctx context.Context,
		in *keep) (*out[api.PlaceOffers], error) {
		b := in.Body
		return offers(s.svc.Places.KeepPlace(ctx, principalOf(ctx), driver.Place{Name: in.Name, URL: b.URL, CA: b.CA,
			AllowClear: b.AllowClear, Note: b.Note}, b.Try))
	})
	route(s, a, "DELETE", base+"/{name}", "remove-driver-place", "Forget a place; packages that came from it stay", small,
		func(ctx context.Context, in *named) (*struct{}, error) {
			return nil, s.svc.Places.RemovePlace(ctx, principalOf(ctx), in.Name)
		})
	route(s, a, "POST", base+"/{name}/looks", "look-at-driver-place", "Ask a place anew what it offers; each is asked "+
		"once a day by itself", small, func(ctx context.Context, in *named) (*out[api.PlaceOffers], error) {
		return offers(s.svc.Places.LookAt(ctx, principalOf(ctx), in.Name))
	})
	type fetch struct {
		Name string `path:"name" maxLength:"63"`
		Body api.NewFetch
	}
	route(s, a, "POST", base+"/{name}/fetches", "fetch-drivers", "Fetch an archive of a place, to keep it as a package "+
		"or to look into it; it goes on in the background", small, func(ctx context.Context, in *fetch) (*out[driver.Fetch],
		error) {
		f, err := s.svc.Places.Fetch(ctx, principalOf(ctx), in.Name, in.Body.File, in.Body.Name, in.Body.Dry)
		return &out[driver.Fetch]{f}, err
	})
	type one struct {
		Name string `path:"name" maxLength:"63"`
		ID   int64  `path:"id"`
	}
	route(s, a, "GET", base+"/{name}/fetches/{id}", "driver-fetch", "How far a fetch is, and what is in the archive",
		small, func(ctx context.Context, in *one) (*out[driver.Fetch], error) {
			f, err := s.svc.Places.FetchOf(ctx, principalOf(ctx), in.Name, in.ID)
			return &out[driver.Fetch]{f}, err
		})
	route(s, a, "DELETE", base+"/{name}/fetches/{id}", "stop-driver-fetch", "Stop a fetch; nothing of it is kept", small,
		func(ctx context.Context, in *one) (*struct{}, error) {
			return nil, s.svc.Places.StopFetch(ctx, principalOf(ctx), in.Name, in.ID)
		})
}
