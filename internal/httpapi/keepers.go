package httpapi

import (
	"context"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/fault"
	kept "cirque/core/server"
	"cirque/core/words"
	"cirque/internal/agentproto"
	"cirque/internal/api"
	"cirque/internal/service/keepers"
)

// keepersRoutes are print servers that are kept: what agents on them ask and tell, and what people see of it.
func keepersRoutes(s *server, a huma.API) {
	type ask struct {
		Known   string `header:"If-None-Match" doc:"The ETag of the answer that is known already."`
		Nonce   string `header:"Cirque-Nonce" maxLength:"64" doc:"An agent's; its answer is signed with it."`
		Wait    string `header:"Prefer" doc:"wait=N: while the known answer still holds, answer only after N seconds (RFC 7240)."`
		RawBody []byte
		Body    kept.Ask
	}
	type answer struct {
		Status int
		Type   string `header:"Content-Type"`
		Length string `header:"Content-Length"`
		ETag   string `header:"ETag"`
		Pace   string `header:"Cirque-Pace"`
		Sign   string `header:"Cirque-Signature"`
		Key    string `header:"Cirque-Key"`
		Handed string `header:"Cirque-Key-Handover"`
		Issuer string `header:"Cirque-Issuer"`
		Age    string `header:"Age" doc:"Seconds since what is answered was so; absent where it is so now."`
		Body   []byte
	}
	route(s, a, "POST", agentproto.ServePath, "serving", "What the print server that an agent keeps is to have",
		small.asTold(), func(ctx context.Context, in *ask) (*answer, error) {
			ans, same, err := s.serving(ctx, in.Body.Machine, in.Known, in.Wait)
			if err != nil {
				return nil, err
			}
			o := &answer{Status: http.StatusOK, Type: "application/json", Length: strconv.Itoa(len(ans.JSON)),
				ETag: agentproto.Quote(ans.Tag), Age: s.age(ans.AsOf), Body: ans.JSON}
			if same {
				o.Status, o.Length, o.Body = http.StatusNotModified, "", nil
			}
			h := s.asAgent(ctx, in.Nonce, in.RawBody, ans.Tag, o.Body)
			o.Pace, o.Sign, o.Key, o.Handed, o.Issuer = h.pace, h.signature, h.key, h.handover, h.issuer
			return o, nil
		})
	answers[kept.Serving](a, agentproto.ServePath)
	type report struct{ Body kept.Report }
	route(s, a, "POST", agentproto.KeptPath, "report-kept", "An agent tells how the print server stands that it keeps",
		large.by(access.Report).asTold(), func(ctx context.Context, in *report) (*struct{}, error) {
			words.Clean(&in.Body)
			return nil, s.svc.Keepers.Report(ctx, principalOf(ctx), in.Body)
		})
	type machine struct {
		Machine string `path:"machine" maxLength:"256"`
	}
	route(s, a, "DELETE", "/api/v1/keepers/{machine}", "forget-keeper", "Forget what an agent said that keeps no "+
		"server of the estate", small, func(ctx context.Context, in *machine) (*struct{}, error) {
		return nil, s.svc.Keepers.Forget(ctx, principalOf(ctx), in.Machine)
	})
	s.kept(a)
}

// kept is what people see of them, and do.
func (s *server) kept(a huma.API) {
	const base = "/api/v1/kept-servers"
	route(s, a, "GET", base, "kept-servers", "The print servers that are kept, with how they stand, and machines whose "+
		"agents are ready to keep one", small, func(ctx context.Context, in *Paging) (paged[kept.Summary], error) {
		list, err := s.svc.Keepers.Kept(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *kept.Summary) string { return v.Server + " " + v.Machine })
	})
	type one struct {
		Name string `path:"name" maxLength:"63"`
	}
	route(s, a, "GET", base+"/{name}", "kept-server", "One kept server: each queue as it is wanted and as it was found",
		small, func(ctx context.Context, in *one) (*out[kept.Sheet], error) {
			v, err := s.svc.Keepers.Sheet(ctx, principalOf(ctx), in.Name)
			return &out[kept.Sheet]{v}, err
		})
	type why struct {
		Name  string `path:"name" maxLength:"63"`
		Queue string `query:"queue" required:"true" maxLength:"63"`
	}
	route(s, a, "GET", base+"/{name}/why", "why-on-server", "Why a queue is, or is not, to be on a server, and how", small,
		func(ctx context.Context, in *why) (*out[kept.Why], error) {
			v, err := s.svc.Keepers.Why(ctx, principalOf(ctx), in.Name, in.Queue)
			return &out[kept.Why]{v}, err
		})
	type take struct {
		Name string `path:"name" maxLength:"63"`
		Body api.TakeQueues
	}
	route(s, a, "POST", base+"/{name}/takes", "take-queues", "Have queues that somebody else made on a kept server "+
		"become Cirque's own", small, func(ctx context.Context, in *take) (*out[api.TakenQueues], error) {
		list, err := s.svc.Keepers.Take(ctx, principalOf(ctx), in.Name, in.Body.Queues)
		return &out[api.TakenQueues]{api.TakenQueues{Queues: list}}, err
	})
	type leave struct {
		Name  string `path:"name" maxLength:"63"`
		Queue string `path:"queue" maxLength:"256"`
	}
	route(s, a, "DELETE", base+"/{name}/takes/{queue}", "leave-queue", "Take that back for a queue that has not "+
		"been taken over yet", small, func(ctx context.Context, in *leave) (*struct{}, error) {
		return nil, s.svc.Keepers.Leave(ctx, principalOf(ctx), in.Name, in.Queue)
	})
}

// serving answers an agent, and waits where it asks for that.
func (s *server) serving(ctx context.Context, machine, known, prefer string) (a keepers.Answer, same bool, err error) {
	tag, wait := agentproto.TagOf(known), agentproto.ParsePrefer(prefer)
	if tag == "" {
		a, err = s.svc.Keepers.Serving(ctx, principalOf(ctx), machine)
		return a, false, err
	}
	if wait > 0 {
		free, err := s.holds.take("questions that wait", principalOf(ctx), waitsMost)
		if err != nil {
			return a, false, err
		}
		defer free()
	}
	// A poll must not hold up the service's stopping.
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	defer context.AfterFunc(s.cfg.Stopping, cancel)()
	a, same, err = s.svc.Keepers.WaitServing(ctx, principalOf(ctx), machine, tag, wait)
	if err == nil && !stillIn(ctx) {
		err = fault.New(fault.Unsigned, "signed-out", "sign in again", "who asked is not let in any more")
	}
	return a, same, err
}
