package httpapi

import (
	"context"
	"net/netip"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/page"
	"cirque/internal/agentproto"
	"cirque/internal/api"
	"cirque/internal/service/enrolment"
)

func enrolmentsRoutes(s *server, a huma.API) {
	type enrol struct{ Body agentproto.EnrolRequest }
	openRoute(s, a, "POST", agentproto.EnrolPath, "enrol", "An agent enrols its machine with an enrolment token, and is "+
		"given a certificate", small, func(ctx context.Context, in *enrol) (*out[agentproto.EnrolAnswer], error) {
		e, err := s.svc.Enrolment.Enrol(ctx, enrolment.Enrolment{Token: in.Body.Token, Machine: in.Body.Machine,
			Request: []byte(in.Body.Request), Addresses: addressesOf(in.Body.Addresses), Remote: remoteOf(ctx),
			Follows: in.Body.Follows})
		return &out[agentproto.EnrolAnswer]{s.given(e)}, err
	})
	type renew struct{ Body agentproto.RenewRequest }
	route(s, a, "POST", agentproto.RenewPath, "renew-certificate", "An enrolled agent renews its certificate", small,
		func(ctx context.Context, in *renew) (*out[agentproto.EnrolAnswer], error) {
			e, err := s.svc.Enrolment.RenewCertificate(ctx, principalOf(ctx), []byte(in.Body.Request),
				in.Body.Follows)
			return &out[agentproto.EnrolAnswer]{s.given(e)}, err
		})
	type who struct{ Body agentproto.WhoRequest }
	route(s, a, "POST", agentproto.WhoPath, "who", "How an agent is to know its people, and which of the system's names "+
		"are unknown here", small, func(ctx context.Context, in *who) (*out[endpoint.Who], error) {
		o, err := s.svc.Enrolment.PeopleAt(ctx, principalOf(ctx), in.Body.Names)
		return &out[endpoint.Who]{o}, err
	})
	type said struct{ Body agentproto.SaidWho }
	route(s, a, "POST", agentproto.SaidWhoPath, "said-who", "A person at a machine says who they are, with their password",
		small, func(ctx context.Context, in *said) (*out[agentproto.Person], error) {
			user, err := s.svc.Enrolment.SaidWho(ctx, principalOf(ctx), remoteOf(ctx), in.Body.Login, in.Body.Name,
				in.Body.Password)
			return &out[agentproto.Person]{agentproto.Person{User: user}}, err
		})
	route(s, a, "GET", "/api/v1/enrolments", "enrolled", "The machines whose agents have certificates", small,
		func(ctx context.Context, in *Paging) (paged[access.Enrolled], error) {
			list, err := s.svc.Enrolment.Enrolled(ctx, principalOf(ctx), in.ask(), in.Find)
			return &out[page.Page[access.Enrolled]]{list}, err
		})
	type machine struct {
		Machine string `path:"machine" maxLength:"256"`
	}
	route(s, a, "DELETE", "/api/v1/enrolments/{machine}", "revoke-certificate", "Revoke a machine's certificates, at once",
		small, func(ctx context.Context, in *machine) (*struct{}, error) {
			return nil, s.svc.Enrolment.Revoke(ctx, principalOf(ctx), in.Machine)
		})
	route(s, a, "GET", "/api/v1/enrolment-tokens", "enrolment-tokens", "Enrolment tokens, without their secrets", small,
		func(ctx context.Context, in *Paging) (paged[access.EnrolToken], error) {
			list, err := s.svc.Enrolment.EnrolTokens(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *access.EnrolToken) string { return number(v.ID) })
		})
	type add struct{ Body api.NewEnrolToken }
	route(s, a, "POST", "/api/v1/enrolment-tokens", "make-enrolment-token", "Make an enrolment token; it is "+
		"shown this once", small, func(ctx context.Context, in *add) (*out[api.MadeEnrolToken], error) {
		want := access.EnrolToken{Name: in.Body.Name, Site: in.Body.Site, Machine: in.Body.Machine,
			Uses: in.Body.Uses}
		if in.Body.Expires != nil {
			want.ExpiresAt = *in.Body.Expires
		}
		t, secret, err := s.svc.Enrolment.MakeEnrolToken(ctx, principalOf(ctx), want)
		return &out[api.MadeEnrolToken]{api.MadeEnrolToken{Token: t, Secret: secret,
			Service: s.svc.Enrolment.Agents()}}, err
	})
	type named struct {
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "DELETE", "/api/v1/enrolment-tokens/{name}", "revoke-enrolment-token", "Revoke an enrolment token; "+
		"machines that enrolled with it stay", small, func(ctx context.Context, in *named) (*struct{}, error) {
		return nil, s.svc.Enrolment.RevokeEnrolToken(ctx, principalOf(ctx), in.Name)
	})
}

// addressesOf reads those that a machine says it has; what is none is left out.
func addressesOf(texts []string) (out []netip.Addr) {
	for _, text := range texts {
		if addr, err := netip.ParseAddr(text); err == nil && addr.Zone() == "" {
			out = append(out, addr.Unmap())
		}
	}
	return out
}

func (s *server) given(e enrolment.Enrolling) agentproto.EnrolAnswer {
	return agentproto.EnrolAnswer{Machine: e.Machine, Certificate: string(e.Certificate), Authority: string(e.Authority),
		ExpiresAt: e.ExpiresAt, AnswerKey: s.answerKey()}
}
