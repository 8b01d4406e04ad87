package httpapi

import (
	"context"
	"encoding/json"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/api"
)

// Cookies are those of a console session.
type Cookies struct { // exported: huma reads no embedded type that is not
	Session string `cookie:"cirque_session"`
	Secure  string `cookie:"__Host-cirque_session" doc:"The same over TLS."`
}

func (c Cookies) secret(s *server) string {
	if s.cfg.Secure {
		return c.Secure
	}
	return c.Session
}

func stepOf(v *access.Step) *api.Step {
	out := &api.Step{Ticket: v.Ticket, Ways: v.Ways}
	if v.Passkey != nil {
		out.Passkey = v.Passkey
	}
	return out
}

// shownOf passes on what a browser answers as it came.
func shownOf(in api.Shown) (out access.Shown, err error) {
	out = access.Shown{Ticket: in.Ticket, Code: in.Code, Password: in.Password}
	if in.Passkey != nil {
		if out.Passkey, err = json.Marshal(in.Passkey); err != nil {
			return out, fault.New(fault.Invalid, "body-unreadable", "send what the browser answered",
				"the passkey cannot be read")
		}
	}
	return out, nil
}

// factorRoutes are those of one's own second factors, and of showing again who one is.
func factorRoutes(s *server, a huma.API) {
	route(s, a, "POST", "/api/v1/session/proof/begin", "begin-proof", "By what one can show again who one is", small,
		func(ctx context.Context, _ *struct{}) (*out[api.Step], error) {
			step, err := s.svc.Factors.AskAgain(ctx, principalOf(ctx))
			if err != nil {
				return nil, err
			}
			return &out[api.Step]{*stepOf(step)}, nil
		})
	type proof struct {
		Cookies
		Body api.Shown
	}
	route(s, a, "POST", "/api/v1/session/proof", "prove-again", "Show again who one is: what matters most can be "+
		"done for a "+
		"while then", small, func(ctx context.Context, in *proof) (*struct{}, error) {
		shown, err := shownOf(in.Body)
		if err != nil {
			return nil, err
		}
		return nil, s.svc.Factors.ProveAgain(ctx, principalOf(ctx), remoteOf(ctx), in.secret(s), shown)
	})
	route(s, a, "GET", "/api/v1/session/factors", "factors", "One's own second factors", small, func(ctx context.Context,
		_ *struct{}) (*out[api.Factors], error) {
		f, err := s.svc.Factors.List(ctx, principalOf(ctx))
		return &out[api.Factors]{api.Factors{Items: f.Items, Recovery: f.Recovery, Demanded: f.Demanded,
			PasskeysOff: f.Off, PasskeyHost: f.Host}}, err
	})
	type begin struct{ Body api.NewFactor }
	route(s, a, "POST", "/api/v1/session/factors/begin", "begin-factor", "Begin to set up a second factor of one's own; "+
		"nothing is kept before it is shown", small.gravely(), func(ctx context.Context,
		in *begin) (*out[api.SetupFactor], error) {
		v, err := s.svc.Factors.Begin(ctx, principalOf(ctx), in.Body.Kind, in.Body.Name)
		o := api.SetupFactor{Ticket: v.Ticket, Secret: v.Key.Secret, URI: v.Key.URI, Picture: v.Key.Picture}
		if v.Passkey != nil {
			o.Passkey = v.Passkey
		}
		return &out[api.SetupFactor]{o}, err
	})
	type finish struct{ Body api.Shown }
	route(s, a, "POST", "/api/v1/session/factors", "add-factor", "Keep a second factor of one's own, once it is shown",
		small,
		func(ctx context.Context, in *finish) (*out[api.MadeFactor], error) {
			shown, err := shownOf(in.Body)
			if err != nil {
				return nil, err
			}
			f, codes, err := s.svc.Factors.Finish(ctx, principalOf(ctx), remoteOf(ctx), shown)
			return &out[api.MadeFactor]{api.MadeFactor{Factor: f, Recovery: codes}}, err
		})
	type one struct {
		ID int64 `path:"id"`
	}
	route(s, a, "DELETE", "/api/v1/session/factors/{id}", "remove-factor", "End a second factor of one's own",
		small.gravely(), func(ctx context.Context, in *one) (*struct{}, error) {
			return nil, s.svc.Factors.Remove(ctx, principalOf(ctx), in.ID)
		})
	route(s, a, "POST", "/api/v1/session/recovery-codes", "recovery-codes",
		"Make a new sheet of recovery codes, which is "+
			"shown this once; the former ones are over", small.gravely(), func(ctx context.Context,
			_ *struct{}) (*out[api.RecoveryCodes], error) {
			codes, err := s.svc.Factors.NewRecoveryCodes(ctx, principalOf(ctx))
			return &out[api.RecoveryCodes]{api.RecoveryCodes{Codes: codes}}, err
		})
}
