package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/internal/agentproto"
	"cirque/internal/api"
)

// pairingsRoutes let a machine in by a code that it shows. The first three are its own, and ask for no sign-in.
func pairingsRoutes(s *server, a huma.API) {
	type pair struct{ Body agentproto.PairRequest }
	openRoute(s, a, "POST", agentproto.PairPath, "pair", "A machine with somebody in front of it asks to be let in by a "+
		"code", small, func(ctx context.Context, in *pair) (*out[agentproto.PairAnswer], error) {
		p, err := s.svc.Enrolment.Pair(ctx, access.Pairing{Machine: in.Body.Machine, System: in.Body.System,
			Request: []byte(in.Body.Request), Addresses: addressesOf(in.Body.Addresses), Remote: remoteOf(ctx),
			Follows: in.Body.Follows, Commitment: in.Body.Commitment})
		return &out[agentproto.PairAnswer]{agentproto.PairAnswer{Ticket: p.Ticket, Nonce: p.Nonce, EndsAt: p.EndsAt,
			Authority: p.Authority}}, err
	})
	type show struct{ Body agentproto.ShowRequest }
	openRoute(s, a, "POST", agentproto.ShowPath, "show-code", "A machine tells the number that it has committed to: it "+
		"shows the code from now on", small, func(ctx context.Context, in *show) (*struct{}, error) {
		return nil, s.svc.Enrolment.ShowPairing(ctx, in.Body.Ticket, in.Body.Nonce)
	})
	type claim struct{ Body agentproto.ClaimRequest }
	openRoute(s, a, "POST", agentproto.ClaimPath, "claim-certificate", "A machine asks whether somebody has typed its "+
		"code, and is given a certificate then", small,
		func(ctx context.Context, in *claim) (*out[agentproto.ClaimAnswer], error) {
			e, waits, err := s.svc.Enrolment.ClaimPairing(ctx, in.Body.Ticket, remoteOf(ctx))
			answer := agentproto.ClaimAnswer{Waits: waits}
			if err == nil && !waits {
				answer.Given = new(s.given(e))
			}
			return &out[agentproto.ClaimAnswer]{answer}, err
		})
	type Shown struct {
		Code string `path:"code" maxLength:"32" doc:"As the machine shows it; in any case, with or without blanks and dashes."`
	}
	route(s, a, "GET", agentproto.PairPath+"/{code}", "pairing", "The machine that shows a code", small,
		func(ctx context.Context, in *Shown) (*out[access.Pairing], error) {
			p, err := s.svc.Enrolment.PairingBy(ctx, principalOf(ctx), in.Code)
			return &out[access.Pairing]{p}, err
		})
	type let struct {
		Shown
		Body api.LetIn
	}
	route(s, a, "POST", agentproto.PairPath+"/{code}", "let-in", "Let the machine in that shows a code", small,
		func(ctx context.Context, in *let) (*out[access.Pairing], error) {
			p, err := s.svc.Enrolment.LetPairing(ctx, principalOf(ctx), in.Code, in.Body.Machine, in.Body.Site)
			return &out[access.Pairing]{p}, err
		})
}
