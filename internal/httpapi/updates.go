package httpapi

import (
	"context"
	"encoding/json"
	"net/http"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/page"
	"cirque/core/update"
	"cirque/core/words"
	"cirque/internal/agentproto"
	"cirque/internal/api"
)

func updatesRoutes(s *server, a huma.API) {
	route(s, a, "GET", "/api/v1/agent-packages", "agent-packages", "Packages of the agent that are kept", small,
		func(ctx context.Context, in *Paging) (paged[update.AgentPackage], error) {
			v, err := s.svc.Updates.Packages(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *update.AgentPackage) string { return v.Digest })
		})
	type upload struct {
		File string `query:"file" required:"true" maxLength:"128" doc:"As make packages calls it."`
	}
	op := operation(http.MethodPost, "/api/v1/agent-packages", "add-agent-package", "Keep a package of the agent",
		body{most: update.MaxBytes, needs: access.UpdateAgents})
	op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
		"application/octet-stream": {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}}}}
	huma.Register(a, op, func(ctx context.Context, in *upload) (*out[api.AddedAgentPackage], error) {
		p, known, err := s.svc.Updates.AddPackage(ctx, principalOf(ctx), in.File, bodyOf(ctx))
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return &out[api.AddedAgentPackage]{api.AddedAgentPackage{Package: p, Known: known}}, nil
	})
	type called struct {
		Digest string `path:"digest" maxLength:"128" doc:"The digest, the beginning of it, or the file's name."`
	}
	route(s, a, "DELETE", "/api/v1/agent-packages/{digest}", "remove-agent-package", "Forget a package of the agent",
		small, func(ctx context.Context, in *called) (*struct{}, error) {
			return nil, s.svc.Updates.RemovePackage(ctx, principalOf(ctx), in.Digest)
		})
	type about struct {
		Version string `query:"version" maxLength:"64" doc:"Which machines could be brought there; that of the latest order when absent."`
	}
	route(s, a, "GET", "/api/v1/agent-update", "agent-update", "How the latest update of agents stands, and which "+
		"machines it suits", small, func(ctx context.Context, in *about) (*out[update.Standing], error) {
		v, err := s.svc.Updates.Standing(ctx, principalOf(ctx), in.Version)
		return &out[update.Standing]{v}, err
	})
	type begin struct{ Body api.NewUpdate }
	route(s, a, "POST", "/api/v1/agent-update", "begin-agent-update", "Bring agents to another version, a share of them "+
		"first", small, func(ctx context.Context, in *begin) (*out[update.Standing], error) {
		v, err := s.svc.Updates.Begin(ctx, principalOf(ctx), update.Order{Version: in.Body.Version, Site: in.Body.Site,
			Shares: in.Body.Shares, Each: in.Body.Each, Faults: in.Body.Faults})
		return &out[update.Standing]{v}, err
	})
	type act struct{ Body api.UpdateAct }
	route(s, a, "POST", "/api/v1/agent-update/act", "act-agent-update", "Pause an update of agents, have it go on or "+
		"back, or end it", small, func(ctx context.Context, in *act) (*out[update.Standing], error) {
		v, err := s.svc.Updates.Act(ctx, principalOf(ctx), in.Body.Do)
		return &out[update.Standing]{v}, err
	})
	type records struct {
		Paging
		State string `query:"state" enum:"begun,came,failed,silent,back" doc:"Only those that stand so."`
	}
	route(s, a, "GET", "/api/v1/agent-update/machines", "agent-update-machines", "What came of the machines that began",
		small, func(ctx context.Context, in *records) (paged[update.Record], error) {
			v, err := s.svc.Updates.Records(ctx, principalOf(ctx), in.State, in.ask())
			return &out[page.Page[update.Record]]{v}, err
		})
	agentUpdateRoutes(s, a)
}

// agentUpdateRoutes are for agents.
func agentUpdateRoutes(s *server, a huma.API) {
	type ask struct {
		Nonce string `header:"Cirque-Nonce" maxLength:"128"`
		Body  agentproto.UpdateRequest
	}
	op := operation(http.MethodPost, agentproto.UpdatePath, "offer-update", "The package of the agent that a machine is "+
		"to install", small)
	op.Responses = map[string]*huma.Response{"200": {Description: "The package, signed as lineups are.",
		Content: map[string]*huma.MediaType{"application/json": {Schema: a.OpenAPI().Components.Schemas.Schema(
			reflect.TypeFor[agentproto.UpdateOffer](), true, "")}}}}
	huma.Register(a, op, func(ctx context.Context, in *ask) (*signed, error) {
		to, back, order, err := s.svc.Updates.Offer(ctx, principalOf(ctx), update.Machine{Version: in.Body.Version,
			Platform: in.Body.Platform, Updates: in.Body.Kind})
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		b, err := json.Marshal(agentproto.UpdateOffer{Order: order, To: *offered(&to), Back: offered(back)})
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		f := s.asAgent(ctx, in.Nonce, bodyOf(ctx), "", b)
		return &signed{"application/json", f.signature, f.key, f.handover, b}, nil
	})
	type said struct{ Body agentproto.UpdateSaid }
	route(s, a, "POST", agentproto.UpdateSaidPath, "update-said", "A machine tells that it begins to install a version, "+
		"or what came of it", small.asTold(), func(ctx context.Context, in *said) (*struct{}, error) {
		words.Clean(&in.Body)
		return nil, s.svc.Updates.Said(ctx, principalOf(ctx), in.Body.Order, update.Record{Former: in.Body.Former,
			State: in.Body.State, Says: in.Body.Says})
	})
	type part struct {
		Digest string `path:"digest" maxLength:"64"`
		Number int    `path:"number" minimum:"0" maximum:"100000"`
	}
	op = operation(http.MethodGet, agentproto.UpdatePartPath+"/{digest}/{number}", "agent-package-part", "A part of a "+
		"package of the agent: a mebibyte, the last one less", small)
	op.Responses = map[string]*huma.Response{"200": {Description: "The part.",
		Content: map[string]*huma.MediaType{"application/octet-stream": {}}}}
	huma.Register(a, op, func(ctx context.Context, in *part) (*octets, error) {
		b, err := s.svc.Updates.Chunk(ctx, principalOf(ctx), in.Digest, in.Number)
		if err == nil && b == nil {
			err = fault.New(fault.Unknown, "agent-package-unknown", "see cirque endpoint package list", "no such package of "+
				"the agent is kept, or it has no such part")
		}
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return &octets{"application/octet-stream", b}, nil
	})
}

// signed is an answer of which an agent can tell that it is the service's.
type signed struct {
	Type      string `header:"Content-Type"`
	Signature string `header:"Cirque-Signature"`
	Key       string `header:"Cirque-Key"`
	Handover  string `header:"Cirque-Key-Handover"`
	Body      []byte
}

// octets are an answer that is no JSON.
type octets struct {
	Type string `header:"Content-Type"`
	Body []byte
}

func offered(p *update.AgentPackage) *agentproto.UpdatePackage {
	if p == nil {
		return nil
	}
	return &agentproto.UpdatePackage{Version: p.Version, File: p.File, SHA256: p.Digest, Bytes: p.Bytes}
}
