package httpapi

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/lineup"
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
		a, err := s.svc.People.AnswerRequest(ctx, principalOf(ctx), in.ID, in.Body.Grant, in.Body.Says)
		o := api.AnsweredRequest{Request: a.Request, Remarks: a.Remarks}
		if a.Draft != nil {
			o.Changes = len(a.Draft.Changes)
		}
		if o.Remarks == nil {
			o.Remarks = []string{}
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
	noteRoutes(s, a)
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

// contextAsked is a context as a question of GET asks it.
type contextAsked struct {
	User      string   `query:"user" maxLength:"256" doc:"The person, by name in the directory."`
	Machine   string   `query:"machine" maxLength:"256" doc:"The machine at which the person sits."`
	Host      string   `query:"host" maxLength:"256" doc:"The session host; remote and virtual sessions only."`
	Addresses []string `query:"address,explode" maxItems:"64" doc:"Addresses of the place where the person sits, in order."`
	Location  string   `query:"location" maxLength:"512" doc:"Path of a location of the estate."`
	Session   string   `query:"session" maxLength:"32" doc:"desktop, remote, virtual, mobile or browser."`
	Platform  string   `query:"platform" maxLength:"32" doc:"os/arch of the system on which queues are installed."`
	Time      string   `query:"time" maxLength:"64" doc:"RFC 3339 with offset."`
}

func (c contextAsked) query() lineup.Query { return lineup.QueryOf(estate.PromiseContext(c)) }

func addressRoutes(s *server, a huma.API) {
	type all struct {
		Paging
		When
	}
	route(s, a, "GET", "/api/v1/addresses", "addresses", "The addresses that the estate names, by place: subnets, "+
		"stations, "+
		"and ranges of conditions", small, func(ctx context.Context, in *all) (paged[lineup.Span], error) {
		when, err := in.When.parse()
		if err != nil {
			return nil, err
		}
		list, err := s.svc.Lineups.Addresses(ctx, principalOf(ctx), when)
		return items(in.Paging, list, err, func(v *lineup.Span) string { return v.Written + " " + v.Kind + " " + v.Name })
	})
	type overlaps struct {
		Paging
		When
		User     string `query:"user" maxLength:"256" doc:"Only those that can hold for this person."`
		Location string `query:"location" maxLength:"256" doc:"Only those that can hold there or below."`
	}
	route(s, a, "GET", "/api/v1/overlaps", "overlaps", "Pairs of grants that speak of the same queues and can hold for "+
		"somebody at once", small, func(ctx context.Context, in *overlaps) (paged[lineup.Overlap], error) {
		when, err := in.When.parse()
		if err != nil {
			return nil, err
		}
		list, err := s.svc.Lineups.Overlaps(ctx, principalOf(ctx), in.User, in.Location, when)
		return items(in.Paging, list, err, func(v *lineup.Overlap) string { return v.A + " " + v.B })
	})
	type one struct {
		When
		Address string `path:"address" maxLength:"64"`
	}
	route(s, a, "GET", "/api/v1/addresses/{address}", "address", "Where an address is, what of the estate holds it, and "+
		"which grants' places do", small, func(ctx context.Context, in *one) (*out[lineup.AddressTold], error) {
		when, err := in.When.parse()
		if err != nil {
			return nil, err
		}
		o, err := s.svc.Lineups.Address(ctx, principalOf(ctx), in.Address, when)
		return &out[lineup.AddressTold]{o}, err
	})
}

func subjectsRoutes(s *server, a huma.API) {
	addressRoutes(s, a)
	route(s, a, "GET", "/api/v1/context", "complete-context", "A context with what is known of its machine added: "+
		"platform, "+
		"addresses and session by its last report, the estate's station or the directory, with how old that is; and which "+
		"names nobody knows. Lineups and why judge what they are given: ask them with what comes back here", small,
		func(ctx context.Context, in *contextAsked) (*out[endpoint.Supplied], error) {
			o, err := s.svc.Lineups.Complete(ctx, principalOf(ctx), in.query())
			return &out[endpoint.Supplied]{o}, err
		})
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
