package httpapi

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/service/identity"
)

func (s *server) me(p *access.Principal) api.Me {
	m := api.Me{NeedsSetUp: s.svc.Identity.NeedsSetUp(), Version: s.cfg.Version,
		Notice: s.svc.Present.View().Document().SignInNotice()}
	if p != nil {
		m.SignedIn, m.Name, m.Role, m.Machine = true, p.Name, p.Role, p.Machine
		m.Holds, m.May, m.Owes = p.Holdings(), p.Actions(), p.Owes
		if a, opened := s.svc.Identity.Emergency(p); opened {
			m.Emergency = &api.Emergency{Name: a.Name, Since: *a.OpenedAt}
		}
		if access.Check(p, access.Enrol) == nil {
			m.Agents = s.svc.Enrolment.Agents()
		}
		if p.Role != access.Agent {
			m.User = p.User
		}
	}
	return m
}

func (s *server) cookie(secret string, lasts time.Duration) http.Cookie {
	return http.Cookie{Name: s.cookieName(), Value: secret, Path: "/", HttpOnly: true, Secure: s.cfg.Secure,
		SameSite: http.SameSiteStrictMode, MaxAge: int(lasts / time.Second)}
}

func signInRoutes(s *server, a huma.API) {
	type answer struct {
		SetCookie *http.Cookie `header:"Set-Cookie"`
		Body      api.Me
	}
	opened := func(ctx context.Context, secret string, p access.Principal, err error) (*answer, error) {
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		cookie := s.cookie(secret, identity.SessionLasts)
		return &answer{&cookie, s.me(&p)}, nil
	}
	public := func(op huma.Operation) huma.Operation {
		op.Security = open
		return op
	}
	type setUp struct{ Body api.SetUp }
	huma.Register(a, public(operation("POST", "/api/v1/set-up", "set-up", "Make the first account with the one-time code",
		small)), func(ctx context.Context, in *setUp) (*answer, error) {
		secret, p, err := s.svc.Identity.SetUp(ctx, remoteOf(ctx), in.Body.Code, in.Body.Name, in.Body.Password)
		return opened(ctx, secret, p, err)
	})
	type signIn struct{ Body api.SignIn }
	huma.Register(a, public(operation("POST", "/api/v1/session", "sign-in", "Sign in with a name and password; where the "+
		"account has a second factor, signed_in is false and second says what is asked for next", small)),
		func(ctx context.Context, in *signIn) (*answer, error) {
			secret, p, next, err := s.svc.Identity.SignIn(ctx, remoteOf(ctx), in.Body.Name, in.Body.Password)
			if err == nil && next != nil {
				me := s.me(nil)
				me.Second = stepOf(next)
				return &answer{nil, me}, nil
			}
			return opened(ctx, secret, p, err)
		})
	type second struct{ Body api.Shown }
	huma.Register(a, public(operation("POST", "/api/v1/session/second", "second-step", "Show a second factor, and be "+
		"signed in", small)), func(ctx context.Context, in *second) (*answer, error) {
		shown, err := shownOf(in.Body)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		secret, p, err := s.svc.Factors.SecondStep(ctx, remoteOf(ctx), shown)
		return opened(ctx, secret, p, err)
	})
	huma.Register(a, public(operation("GET", "/api/v1/session", "me", "Who is signed in", small)),
		func(ctx context.Context, _ *struct{}) (*out[api.Me], error) {
			return &out[api.Me]{s.me(principalOf(ctx))}, nil
		})
	type leave struct{ Cookies }
	type left struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	factorRoutes(s, a)
	type password struct{ Body api.NewPassword }
	route(s, a, "PUT", "/api/v1/session/password", "change-password", "Change the password of one's own account; its "+
		"sessions end", small, func(ctx context.Context, in *password) (*struct{}, error) {
		return nil, s.svc.Identity.ChangePassword(ctx, principalOf(ctx), remoteOf(ctx), in.Body.Old, in.Body.New)
	})
	route(s, a, "GET", "/api/v1/sessions", "sessions", "The console sessions that are open", small,
		func(ctx context.Context, in *Paging) (paged[access.Session], error) {
			list, err := s.svc.Identity.Sessions(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *access.Session) string { return number(v.ID) })
		})
	type one struct {
		ID int64 `path:"id"`
	}
	route(s, a, "DELETE", "/api/v1/sessions/{id}", "end-session", "End a console session, whoever has it", small,
		func(ctx context.Context, in *one) (*struct{}, error) {
			return nil, s.svc.Identity.RevokeSession(ctx, principalOf(ctx), in.ID)
		})
	huma.Register(a, public(operation("DELETE", "/api/v1/session", "sign-out", "Sign out", small)),
		func(ctx context.Context, in *leave) (*left, error) {
			if secret := in.secret(s); secret != "" {
				if err := s.svc.Identity.SignOut(ctx, secret); err != nil {
					return nil, s.fail(ctx, err)
				}
			}
			return &left{s.cookie("", -time.Second)}, nil
		})
}
