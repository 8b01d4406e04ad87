package httpapi

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/person"
	"cirque/internal/api"
)

func peopleRoutes(s *server, a huma.API) {
	route(s, a, "GET", "/api/v1/requests", "requests", "What people have asked for; only one's own for whoever may not "+
		"see the others'", small, func(ctx context.Context, in *Paging) (paged[access.Request], error) {
		list, err := s.svc.People.Requests(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *access.Request) string { return number(v.ID) })
	})
	type ask struct{ Body api.NewRequest }
	route(s, a, "POST", "/api/v1/requests", "request", "Ask for a queue, for oneself", small, func(ctx context.Context,
		in *ask) (*out[access.Request], error) {
		o, err := s.svc.People.RequestQueue(ctx, principalOf(ctx), in.Body.Queue, in.Body.Reason)
		return &out[access.Request]{o}, err
	})
	type answer struct {
		ID   int64 `path:"id"`
		Body api.AnswerRequest
	}
	route(s, a, "POST", "/api/v1/requests/{id}/answer", "answer-request", "Grant a request, into one's own draft, "+
		"or decline it", small, func(ctx context.Context, in *answer) (*out[api.AnsweredRequest], error) {
		r, d, err := s.svc.People.AnswerRequest(ctx, principalOf(ctx), in.ID, in.Body.Grant, in.Body.Says)
		o := api.AnsweredRequest{Request: r}
		if d != nil {
			o.Changes = len(d.Changes)
		}
		return &out[api.AnsweredRequest]{o}, err
	})
	type one struct {
		ID int64 `path:"id"`
	}
	route(s, a, "DELETE", "/api/v1/requests/{id}", "withdraw-request", "Take one's own request back", small,
		func(ctx context.Context, in *one) (*struct{}, error) {
			return nil, s.svc.People.WithdrawRequest(ctx, principalOf(ctx), in.ID)
		})
	type named struct {
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/people/{name}/data", "person-data", "All that is kept of a person", small,
		func(ctx context.Context, in *named) (*out[person.Kept], error) {
			o, err := s.svc.People.PersonData(ctx, principalOf(ctx), in.Name)
			return &out[person.Kept]{o}, err
		})
	type story struct {
		Paging
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/people/{name}/history", "person-history", "What became of a person, newest first", small,
		func(ctx context.Context, in *story) (paged[person.Moment], error) {
			o, err := s.svc.People.PersonHistory(ctx, principalOf(ctx), in.Name)
			return items(in.Paging, o, err, func(v *person.Moment) string {
				return v.At.Format(time.RFC3339Nano) + " " + v.What + " " + v.Says
			})
		})
	type erase struct {
		Name   string `path:"name" maxLength:"256"`
		Reason string `query:"reason" maxLength:"1024" doc:"Why; it is kept, and does not name the person."`
	}
	route(s, a, "DELETE", "/api/v1/people/{name}/data", "erase-person", "Erase what is kept of a person; in the audit a "+
		"number stands for them from then on", small.gravely(), func(ctx context.Context, in *erase) (*out[person.Erased],
		error) {
		o, err := s.svc.People.ErasePerson(ctx, principalOf(ctx), in.Name, in.Reason)
		return &out[person.Erased]{o}, err
	})
}

func subjectsRoutes(s *server, a huma.API) {
	type named struct {
		Name string `path:"name" maxLength:"256"`
	}
	for path, kind := range map[string]string{"people": "user", "machines": "machine"} {
		route(s, a, "GET", "/api/v1/"+path+"/{name}", kind, "Everything about one of the "+path, small,
			func(ctx context.Context, in *named) (*out[endpoint.Subject], error) {
				o, err := s.svc.Fleet.Subject(ctx, principalOf(ctx), kind, in.Name)
				return &out[endpoint.Subject]{o}, err
			})
	}
}
