package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/page"
	"cirque/internal/api"
	"cirque/internal/service/audit"
	"cirque/internal/service/identity"
)

// access are the routes of who may do what, and of who did.
func accessRoutes(s *server, a huma.API) {
	tokensRoutes(s, a)
	accountsRoutes(s, a)
	auditRoutes(s, a)
	enrolmentsRoutes(s, a)
	pairingsRoutes(s, a)
	updatesRoutes(s, a)
}

func tokensRoutes(s *server, a huma.API) {
	route(s, a, "GET", "/api/v1/tokens", "tokens", "Tokens, without their secrets; only one's own for whoever may not "+
		"see the others", small, func(ctx context.Context, in *Paging) (paged[access.Token], error) {
		list, err := s.svc.Identity.Tokens(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *access.Token) string { return number(v.ID) })
	})
	type in struct{ Body api.NewToken }
	route(s, a, "POST", "/api/v1/tokens", "make-token", "Make a token; its secret is shown this once", small.gravely(),
		func(ctx context.Context, in *in) (*out[api.MadeToken], error) {
			t, secret, err := s.svc.Identity.MakeToken(ctx, principalOf(ctx), access.Token{Name: in.Body.Name,
				Role:  in.Body.Role,
				Sites: in.Body.Sites, Machine: in.Body.Machine, ExpiresAt: in.Body.Expires})
			return &out[api.MadeToken]{api.MadeToken{Token: t, Secret: secret}}, err
		})
	type own struct{ Body api.NewOwnToken }
	route(s, a, "POST", "/api/v1/session/tokens", "make-own-token", "Make a token of one's own: it may what its maker "+
		"may, and ends with their account", small.gravely(), func(ctx context.Context, in *own) (*out[api.MadeToken], error) {
		t, secret, err := s.svc.Identity.MakeOwnToken(ctx, principalOf(ctx), in.Body.Name, in.Body.Expires)
		return &out[api.MadeToken]{api.MadeToken{Token: t, Secret: secret}}, err
	})
	type named struct {
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "POST", "/api/v1/tokens/{name}/secret", "renew-token", "Give a token another secret, which is shown this "+
		"once; the old one ends", small.gravely(), func(ctx context.Context, in *named) (*out[api.MadeToken], error) {
		t, secret, err := s.svc.Identity.RenewToken(ctx, principalOf(ctx), in.Name)
		return &out[api.MadeToken]{api.MadeToken{Token: t, Secret: secret}}, err
	})
	route(s, a, "DELETE", "/api/v1/tokens/{name}", "revoke-token", "Revoke a token", small, func(ctx context.Context,
		in *named) (*struct{}, error) {
		return nil, s.svc.Identity.RevokeToken(ctx, principalOf(ctx), in.Name)
	})
}

func accountsRoutes(s *server, a huma.API) {
	route(s, a, "GET", "/api/v1/accounts", "accounts", "Accounts with their roles; of a directory's, those that "+
		"have signed in", small, func(ctx context.Context, in *Paging) (paged[access.Account], error) {
		list, err := s.svc.Identity.Accounts(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *access.Account) string { return v.Name })
	})
	type add struct{ Body api.NewAccount }
	route(s, a, "POST", "/api/v1/accounts", "add-account", "Make a local account", small.gravely(),
		func(ctx context.Context,
			in *add) (*out[access.Account], error) {
			o, err := s.svc.Identity.AddAccount(ctx, principalOf(ctx), in.Body.Name, in.Body.Password,
				access.Holding{Role: in.Body.Role,
					Sites: in.Body.Sites})
			return &out[access.Account]{o}, err
		})
	type role struct {
		Name string `path:"name" maxLength:"256"`
		Body api.NewRole
	}
	route(s, a, "PUT", "/api/v1/accounts/{name}/role", "set-role", "Give a local account another role", small.gravely(),
		func(ctx context.Context, in *role) (*out[access.Account], error) {
			o, err := s.svc.Identity.SetRole(ctx, principalOf(ctx), in.Name, access.Holding{Role: in.Body.Role,
				Sites: in.Body.Sites})
			return &out[access.Account]{o}, err
		})
	type named struct {
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "DELETE", "/api/v1/accounts/{name}", "remove-account", "End an account, with its sessions and own tokens",
		small.gravely(), func(ctx context.Context, in *named) (*struct{}, error) {
			return nil, s.svc.Identity.RemoveAccount(ctx, principalOf(ctx), in.Name)
		})
	route(s, a, "DELETE", "/api/v1/accounts/{name}/factors", "forget-factors", "Take away all second factors of somebody "+
		"who has lost them; their sessions end", small.gravely(), func(ctx context.Context, in *named) (*struct{}, error) {
		return nil, s.svc.Factors.Forget(ctx, principalOf(ctx), in.Name)
	})
	route(s, a, "POST", "/api/v1/emergency-account", "seal-emergency",
		"Make the account for emergencies, or seal it anew; "+
			"its password is shown this once", small.gravely(), func(ctx context.Context,
			_ *struct{}) (*out[api.SealedEmergency], error) {
			password, err := s.svc.Identity.SealEmergency(ctx, principalOf(ctx))
			return &out[api.SealedEmergency]{api.SealedEmergency{Name: identity.EmergencyName, Password: password}}, err
		})
	route(s, a, "GET", "/api/v1/access-rules", "access-rules", "Which people of a directory sign in with which role",
		small, func(ctx context.Context, in *Paging) (paged[access.Rule], error) {
			list, err := s.svc.Identity.Rules(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *access.Rule) string { return number(v.ID) })
		})
	type rule struct{ Body api.NewRule }
	route(s, a, "POST", "/api/v1/access-rules", "add-access-rule", "Let people of a directory sign in with a role",
		small.gravely(),
		func(ctx context.Context, in *rule) (*out[access.Rule], error) {
			o, err := s.svc.Identity.AddRule(ctx, principalOf(ctx), in.Body.Who, in.Body.Source,
				access.Holding{Role: in.Body.Role,
					Sites: in.Body.Sites})
			return &out[access.Rule]{o}, err
		})
	type one struct {
		ID int64 `path:"id"`
	}
	route(s, a, "DELETE", "/api/v1/access-rules/{id}", "remove-access-rule", "End an access rule", small.gravely(),
		func(ctx context.Context, in *one) (*struct{}, error) {
			return nil, s.svc.Identity.RemoveRule(ctx, principalOf(ctx), in.ID)
		})
}

// AuditFilter narrows the audit.
type AuditFilter struct { // exported: huma reads no embedded type that is not
	Since  string `query:"since" maxLength:"64" doc:"RFC 3339."`
	Until  string `query:"until" maxLength:"64" doc:"RFC 3339; not included."`
	Author string `query:"author" maxLength:"256" doc:"Who did it."`
	About  string `query:"about" maxLength:"256" doc:"What it concerns, by name."`
	Kind   string `query:"kind" maxLength:"64" doc:"A kind, such as token.made, or what stands before its dot."`
	Before int64  `query:"before" minimum:"0" deprecated:"true" doc:"What after says; goes with the next version."`
}

func (f AuditFilter) filter(word string) (event.Filter, error) {
	since, err := moment("since", f.Since)
	if err != nil {
		return event.Filter{}, err
	}
	until, err := moment("until", f.Until)
	return event.Filter{Since: since, Until: until, Author: f.Author, Subject: f.About, Kind: f.Kind,
		Word: word}, err
}

func auditRoutes(s *server, a huma.API) {
	type entries struct {
		AuditFilter
		Paging
	}
	route(s, a, "GET", "/api/v1/audit", "audit", "Changes and sign-ins: who, when, from where, what before and after; "+
		"newest first", small, func(ctx context.Context, in *entries) (paged[event.Event], error) {
		f, err := in.filter(in.Find)
		if err != nil {
			return nil, err
		}
		list, err := s.svc.Audit.Audit(ctx, principalOf(ctx), f, before(in.Paging, in.Before))
		return &out[page.Page[event.Event]]{list}, err
	})
	route(s, a, "GET", "/api/v1/audit/forwarding", "audit-forwarding", "How far the audit has been sent to whom "+
		"settings.audit names; without a target where it is sent nowhere", small, func(ctx context.Context,
		_ *struct{}) (*out[event.Forwarding], error) {
		f, err := s.svc.Audit.Forwarding(ctx, principalOf(ctx))
		return &out[event.Forwarding]{f}, err
	})
	type all struct{ AuditFilter }
	op := operation("GET", "/api/v1/audit/lines", "audit-lines", "The audit as JSON lines, newest first", small)
	streamOf[event.Event](a, &op, "One entry a line.")
	huma.Register(a, op, func(ctx context.Context, in *all) (*huma.StreamResponse, error) {
		p := principalOf(ctx)
		f, err := in.filter("")
		if err == nil {
			err = audit.MayReadAudit(p)
		}
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return stream(s, func(ctx context.Context, line func(event.Event)) {
			for ask := before(Paging{Limit: page.Most}, in.Before); ctx.Err() == nil; {
				list, err := s.svc.Audit.Audit(ctx, p, f, ask)
				if err != nil {
					s.log.Error("the audit broke off", "error", err)
					line(event.Event{Kind: event.Incomplete}.Saying(
						"The audit broke off here: {reason}", "reason", fault.As(err).What))
					return
				}
				for _, e := range list.Items {
					line(e)
				}
				if ask.After = list.Next; ask.After == "" {
					return
				}
			}
		}), nil
	})
}
