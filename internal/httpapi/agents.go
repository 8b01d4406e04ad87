package httpapi

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/core/page"
	"cirque/core/words"
	"cirque/internal/agentproto"
	"cirque/internal/api"
)

// forAgent are the headers of an answer to an agent: the pace at which it is to ask, and who signs.
type forAgent struct{ pace, signature, key, handover, issuer string }

// asAgent makes them for an answer to a question with a nonce; empty ones for whoever is no agent.
func (s *server) asAgent(ctx context.Context, nonce string, asked []byte, tag string, body []byte) forAgent {
	p := principalOf(ctx)
	if p == nil || p.Role != access.Agent {
		return forAgent{}
	}
	set := s.svc.Fleet.Pace()
	out := forAgent{pace: agentproto.Pace{Wait: set.Wait.D(), Report: set.Report.D(), Gap: set.Gap.D()}.String()}
	out.issuer = s.svc.Enrolment.Issuer(p.Serial)
	key := s.svc.Secrets.AnswerKey()
	if key == nil || nonce == "" {
		return out
	}
	out.key, out.handover = s.answerKey(), s.svc.Secrets.HandOver()
	if body != nil {
		out.signature = agentproto.Sign(key, nonce, asked, tag, body)
	}
	return out
}

// answerKey writes the public key of the service's answers; "" where it signs none.
func (s *server) answerKey() string {
	key := s.svc.Secrets.AnswerKey()
	if key == nil {
		return ""
	}
	return agentproto.WriteKey(key.Public().(ed25519.PublicKey))
}

// checkups are asked for here, and answered by agents.
func checkupsRoutes(s *server, a huma.API) {
	type start struct {
		Machine string `path:"machine" maxLength:"256"`
		Queue   string `query:"queue" maxLength:"63" doc:"Also print a test page to this queue, from the endpoint's own spooler."`
		Try     string `query:"try" maxLength:"512" doc:"Print it with another driver than the queue's: driverless, plain, or an exact name. The agent makes a queue for it and takes it away again."`
	}
	route(s, a, "POST", "/api/v1/endpoints/{machine}/checkups", "start-checkup", "Have an endpoint checked, step by step",
		small, func(ctx context.Context, in *start) (*out[endpoint.Checkup], error) {
			c, err := s.svc.Proofs.StartCheckup(ctx, principalOf(ctx), in.Machine, in.Queue, in.Try)
			return &out[endpoint.Checkup]{c}, err
		})
	type one struct {
		ID int64 `path:"id" minimum:"1"`
	}
	route(s, a, "GET", "/api/v1/checkups/{id}", "checkup", "A checkup, with what is known by now", small,
		func(ctx context.Context, in *one) (*out[endpoint.Checkup], error) {
			c, err := s.svc.Proofs.Checkup(ctx, principalOf(ctx), in.ID)
			return &out[endpoint.Checkup]{c}, err
		})
	type result struct {
		ID   int64 `path:"id" minimum:"1"`
		Body api.TellPrintResult
	}
	route(s, a, "POST", "/api/v1/checkups/{id}/print-result", "tell-print-result",
		"Say what came out of a checkup's test page; it is "+
			"remembered of the driver with that model", small, func(ctx context.Context,
			in *result) (*out[endpoint.Checkup], error) {
			c, err := s.svc.Proofs.TellPrintResult(ctx, principalOf(ctx), in.ID, in.Body.Result, in.Body.Note)
			return &out[endpoint.Checkup]{c}, err
		})
	type of struct {
		Name     string `path:"name" maxLength:"256"`
		Machine  string `query:"machine" maxLength:"256" doc:"For this endpoint's platform."`
		Platform string `query:"platform" maxLength:"32"`
	}
	route(s, a, "GET", "/api/v1/queues/{name}/alternatives", "alternatives", "Which drivers to try where a queue's "+
		"output is wrong, with what is remembered of each", small, func(ctx context.Context,
		in *of) (*out[api.Alternatives], error) {
		model, list, err := s.svc.Drivers.Alternatives(ctx, principalOf(ctx), in.Name, in.Machine, in.Platform)
		return &out[api.Alternatives]{api.Alternatives{Model: model, Alternatives: list}}, err
	})
	type model struct {
		Paging
		Model string `query:"model" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/drivers/print-results", "print-results",
		"What came out with which driver on which model, as "+
			"people told", small, func(ctx context.Context, in *model) (paged[driver.Seen], error) {
			list, err := s.svc.Drivers.PrintResults(ctx, principalOf(ctx), in.Model)
			return &out[page.Page[driver.Seen]]{cut(in.Paging, list, func(v *driver.Seen) string {
				return v.Model + " " + v.Driver + " " + v.Machine + " " + v.Queue + " " + v.At.Format(time.RFC3339Nano)
			})}, err
		})
	type on struct {
		Paging
		Machine string `query:"machine" maxLength:"256"`
		Exact   string `query:"exact" maxLength:"512"`
	}
	route(s, a, "GET", "/api/v1/drivers/endpoints", "drivers-on", "Drivers on endpoints: used, staged, spare, wanted; "+
		"of one machine also the files they consist of", small, func(ctx context.Context,
		in *on) (paged[endpoint.DriverHere], error) {
		list, err := s.svc.Drivers.DriversOn(ctx, principalOf(ctx), in.Machine, in.Exact)
		return items(in.Paging, list, err, func(v *endpoint.DriverHere) string { return v.Machine + " " + v.Exact })
	})
	type ask struct {
		Revision int    `query:"revision" minimum:"0" doc:"The change that is asked about; the current one where neither it nor a queue is named."`
		Queue    string `query:"queue" maxLength:"63"`
		Limit    int    `query:"limit" minimum:"1" maximum:"10000" default:"500"`
	}
	route(s, a, "GET", "/api/v1/proof", "proof", "On which endpoints a change, or a queue, is expected; where it has "+
		"arrived; and where a test page came out", small, func(ctx context.Context, in *ask) (*out[endpoint.Proof], error) {
		v, err := s.svc.Proofs.Proof(ctx, principalOf(ctx), in.Revision, in.Queue, in.Limit)
		return &out[endpoint.Proof]{v}, err
	})
	route(s, a, "GET", "/api/v1/fleet/unreached", "unreached", "Machines that receive queues and on which no agent has "+
		"reported, with another way for each", small, func(ctx context.Context,
		in *Paging) (paged[endpoint.Unreached], error) {
		v, err := s.svc.Proofs.Unreached(ctx, principalOf(ctx), in.Find, in.ask())
		return &out[page.Page[endpoint.Unreached]]{v}, err
	})
	type site struct {
		Paging
		Site string `query:"site" maxLength:"63"`
	}
	route(s, a, "GET", "/api/v1/fleet/paths", "fleet-paths", "Which server, device or gateway each endpoint leads to now",
		small, func(ctx context.Context, in *site) (paged[endpoint.Talk], error) {
			v, err := s.svc.Fleet.Talks(ctx, principalOf(ctx), fleet.Filter{Site: in.Site, Word: in.Find}, in.ask())
			return &out[page.Page[endpoint.Talk]]{v}, err
		})
	type answer struct{ Body agentproto.CheckupAnswer }
	route(s, a, "POST", agentproto.CheckupPath, "answer-checkup", "An agent tells what its checkup found", small.asTold(),
		func(ctx context.Context, in *answer) (*struct{}, error) {
			words.Clean(&in.Body)
			checks := make([]endpoint.Check, 0, len(in.Body.Checks))
			for _, r := range in.Body.Checks {
				checks = append(checks, endpoint.Check{Check: r.Check, Result: r.Result, Says: r.Says, Fix: r.Fix})
			}
			return nil, s.svc.Proofs.AnswerCheckup(ctx, principalOf(ctx), in.Body.ID, in.Body.Tried, checks)
		})
}

// asks writes what an agent is to do besides; it is looked for only when the agent was called.
func (s *server) asks(ctx context.Context) string {
	c, ok := s.svc.Proofs.AskedCheckup(ctx, principalOf(ctx))
	if !ok {
		return ""
	}
	out := fmt.Sprintf("checkup=%d", c.ID)
	if c.Queue != "" {
		out += "; queue=" + c.Queue
	}
	if c.Try != "" {
		out += "; try=" + url.QueryEscape(c.Try)
	}
	return out
}

// shipments are the drivers that endpoints install.
func shipmentsRoutes(s *server, a huma.API) {
	type in struct {
		Nonce   string `header:"Cirque-Nonce" maxLength:"64"`
		RawBody []byte
		Body    agentproto.DriverRequest
	}
	type answer struct {
		Type      string `header:"Content-Type"`
		Signature string `header:"Cirque-Signature"`
		Key       string `header:"Cirque-Key"`
		Handover  string `header:"Cirque-Key-Handover"`
		Body      []byte
	}
	route(s, a, "POST", agentproto.DriverPath, "ask-driver", "What an endpoint needs to install a driver, by "+
		"its exact name", small, func(ctx context.Context, in *in) (*answer, error) {
		k, err := s.svc.Drivers.Ship(ctx, principalOf(ctx), in.Body.Exact, in.Body.Platform)
		if err != nil {
			return nil, err
		}
		d := agentproto.Driver{Exact: in.Body.Exact, Package: k.Package, SetUpFile: k.SetUpFile,
			Files: []agentproto.DriverFile{}}
		for _, f := range k.Files {
			d.Files = append(d.Files, agentproto.DriverFile(f))
		}
		b, err := json.Marshal(d)
		if err != nil {
			return nil, err
		}
		h := s.asAgent(ctx, in.Nonce, in.RawBody, "", b)
		return &answer{"application/json", h.signature, h.key, h.handover, b}, nil
	})
	answers[agentproto.Driver](a, agentproto.DriverPath)
	type places struct{ Body agentproto.PlacesRequest }
	route(s, a, "POST", agentproto.PlacesPath, "ask-places", "Where queues are, in words, and what is fitted "+
		"to their printers, for the endpoint that installs them", small, func(ctx context.Context,
		in *places) (*out[agentproto.Places], error) {
		p, err := s.svc.Drivers.Places(ctx, principalOf(ctx), in.Body.Queues)
		if err != nil {
			return nil, err
		}
		o := agentproto.Places{Places: p, Units: map[string]agentproto.Units{}}
		for q, u := range s.svc.Drivers.Fitted(in.Body.Queues) {
			o.Units[q] = agentproto.Units(u)
		}
		for _, q := range in.Body.Queues {
			if says, until := s.svc.Drivers.Closed(q); says != "" {
				if o.Closed == nil {
					o.Closed = map[string]agentproto.Closed{}
				}
				o.Closed[q] = agentproto.Closed{Says: says, Until: until}
			}
		}
		return &out[agentproto.Places]{o}, nil
	})
	type file struct {
		Digest string `path:"digest" maxLength:"64"`
		Path   string `query:"path" required:"true" maxLength:"400"`
	}
	op := operation(http.MethodGet, agentproto.DriverPath+"/{digest}/file", "driver-file", "One file of a driver, for "+
		"the endpoint that installs it", small)
	op.Responses = map[string]*huma.Response{"200": {Description: "The file's contents.",
		Content: map[string]*huma.MediaType{"application/octet-stream": {}}}}
	huma.Register(a, op, func(ctx context.Context, in *file) (*huma.StreamResponse, error) {
		// The files that describe drivers are small, and a broken one must not look whole.
		var b bytes.Buffer
		if err := s.svc.Drivers.ShippedFile(ctx, principalOf(ctx), in.Digest, in.Path, &b); err != nil {
			return nil, s.fail(ctx, err)
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			c.SetHeader("Content-Type", "application/octet-stream")
			_, _ = b.WriteTo(c.BodyWriter()) // the agent has gone
		}}, nil
	})
}
