package httpapi

import (
	"cmp"
	"context"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/page"
	"cirque/internal/agentproto"
	"cirque/internal/api"
	"cirque/internal/service/drafts"
	"cirque/internal/service/present"
	"cirque/internal/service/sources"
)

// DryRun is what has a change only be looked at.
type DryRun struct { // exported: huma reads no embedded type that is not
	Dry bool `query:"dry" doc:"Say what would come of it, and keep nothing."`
}

// out is an answer with a body.
type out[T any] struct{ Body T }

// versionedOut is an answer with a body that has versions.
type versionedOut[T any] struct {
	ETag string `header:"ETag" doc:"Names the version, for If-Match."`
	Body T
}

// route registers one operation. Faults become problems here and nowhere else.
func route[I, O any](s *server, a huma.API, method, path, id, summary string, takes body, f func(ctx context.Context,
	in *I) (*O, error)) {
	register(s, a, operation(method, path, id, summary, takes), f)
}

// openRoute is route for what asks for no sign-in.
func openRoute[I, O any](s *server, a huma.API, method, path, id, summary string, takes body,
	f func(ctx context.Context, in *I) (*O, error)) {
	op := operation(method, path, id, summary, takes)
	op.Security = open
	register(s, a, op, f)
}

func register[I, O any](s *server, a huma.API, op huma.Operation, f func(ctx context.Context, in *I) (*O, error)) {
	huma.Register(a, op, func(ctx context.Context, in *I) (*O, error) {
		held, err := heldTo(ctx, op.OperationID)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		o, err := f(held, in)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return o, nil
	})
}

func operation(method, path, id, summary string, takes body) huma.Operation {
	op := huma.Operation{Method: method, Path: path, OperationID: id, Summary: summary, MaxBodyBytes: takes.most,
		// The door has read the body, and held it against the schema.
		BodyReadTimeout: -1, SkipValidateBody: true, Metadata: map[string]any{actionKey: takes.needs, toldKey: takes.told,
			graveKey: takes.grave},
		Errors: []int{http.StatusUnauthorized, http.StatusForbidden, http.StatusUnprocessableEntity,
			http.StatusServiceUnavailable}}
	if takes.grave {
		op.Description = "Asked of whoever has shown lately who they are; else 403 with the code prove-again."
	}
	if method == http.MethodPost && slices.Contains([]string{"ask-lineup", "ask-lineups", "explain", "check-estate",
		"rehearse", "reach-of", "propose"}, id) {
		op.Description = "Changes nothing."
		op.Metadata[readsKey] = true
	}
	return op
}

// open marks an operation that needs no sign-in.
var open = []map[string][]string{}

func healthRoutes(s *server, a huma.API) {
	op := operation(http.MethodGet, "/healthz", "health", "Whether the process lives", small)
	op.Security, op.Errors = open, nil
	huma.Register(a, op, func(context.Context, *struct{}) (*out[api.Health], error) {
		return &out[api.Health]{api.Health{Status: "ok", Version: s.cfg.Version}}, nil
	})
	op = operation(http.MethodGet, "/readyz", "ready", "What this process can do now: 200 while lineups are answered, "+
		"with all that is not as it should be; 503 where what is asked for cannot be done", small)
	op.Security, op.Errors = open, []int{http.StatusServiceUnavailable}
	type ask struct {
		For string `query:"for" enum:"lineups,writing" default:"lineups" doc:"writing: 503 while changes are not kept."`
	}
	type answer struct {
		Status int
		Body   api.Readiness
	}
	huma.Register(a, op, func(_ context.Context, in *ask) (*answer, error) {
		o := &answer{http.StatusOK, api.Readiness{Health: api.Health{Status: "ok", Version: s.cfg.Version},
			Report: s.svc.Present.Readiness()}}
		if s.cfg.Stopping.Err() != nil {
			o.Body.Ready, o.Body.Writing, o.Body.Says = false, false, "the service is stopping"
		}
		if in.For == "writing" && !o.Body.Writing || !o.Body.Ready {
			o.Status, o.Body.Status = http.StatusServiceUnavailable, "not-ready"
		}
		o.Body.Says = cmp.Or(o.Body.Says, o.Body.Sentence())
		return o, nil
	})
}

func estateRoutes(s *server, a huma.API) {
	type number struct {
		Number int `path:"number" minimum:"1"`
	}
	route(s, a, "GET", "/api/v1/estate", "estate", "The current estate", small, func(ctx context.Context,
		_ *struct{}) (*versionedOut[api.Estate], error) {
		rev, doc, err := s.svc.Drafts.Estate(ctx, principalOf(ctx), 0)
		return &versionedOut[api.Estate]{tagOf("revision", int64(rev.Number)), api.Estate{Revision: rev, Document: doc}}, err
	})
	route(s, a, "GET", "/api/v1/revisions/{number}", "revision", "One revision of the estate", small,
		func(ctx context.Context, in *number) (*out[api.Estate], error) {
			rev, doc, err := s.svc.Drafts.Estate(ctx, principalOf(ctx), in.Number)
			return &out[api.Estate]{api.Estate{Revision: rev, Document: doc}}, err
		})
	route(s, a, "GET", "/api/v1/revisions", "revisions", "Revisions of the estate, newest first", small,
		func(ctx context.Context, in *Paging) (paged[estate.Revision], error) {
			list, err := s.svc.Drafts.Revisions(ctx, principalOf(ctx), in.ask(), in.Find)
			return &out[page.Page[estate.Revision]]{list}, err
		})
	pastRoute(s, a)
	type publish struct{ Body api.Publish }
	route(s, a, "POST", "/api/v1/revisions", "publish", "Publish an estate", large.by(access.Publish),
		func(ctx context.Context, in *publish) (*out[api.Published], error) {
			rev, same, err := s.svc.Drafts.Publish(mayBreak(ctx, in.Body.BreakPromises), principalOf(ctx), in.Body.Files,
				in.Body.Reason)
			return &out[api.Published]{api.Published{Revision: rev, Unchanged: same}}, err
		})
	type files struct{ Body api.CheckEstate }
	route(s, a, "POST", "/api/v1/estate/check", "check-estate", "What would come of an estate, "+
		"without storing anything: files, a former revision or one's own draft",
		large.by(access.ReadEstate),
		func(ctx context.Context, in *files) (*out[api.Checked], error) {
			c, err := s.svc.Drafts.CheckEstate(ctx, principalOf(ctx), drafts.CheckOf(in.Body))
			if err != nil {
				return nil, err
			}
			return &out[api.Checked]{api.Checked{Objects: c.Document.Counts(), Findings: append([]lineup.Finding{},
				c.Findings...), New: c.New,
				Total: len(c.Changes), Changes: estate.Diffs(c.Changes[:min(len(c.Changes), diffsShown)]), Takes: c.Takes}}, nil
		})
	route(s, a, "GET", "/api/v1/queues", "queues", "The queues of the current estate", small, func(ctx context.Context,
		in *Paging) (paged[lineup.QueueSheet], error) {
		list, err := s.svc.Lineups.Queues(ctx, principalOf(ctx))
		return &out[page.Page[lineup.QueueSheet]]{cut(*in, list, func(q *lineup.QueueSheet) string { return q.Name })}, err
	})
	type named struct {
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/queues/{name}", "queue", "One queue, by its name or an old one", small,
		func(ctx context.Context, in *named) (*out[lineup.QueueSheet], error) {
			q, err := s.svc.Lineups.Queue(ctx, principalOf(ctx), in.Name)
			return &out[lineup.QueueSheet]{q}, err
		})
	list(s, a, "locations", func(v *estate.Location) string { return v.Path }, func(d *estate.Document) []estate.Location {
		return d.Locations
	})
	list(s, a, "subnets", func(v *estate.Subnet) string {
		return v.CIDR.String()
	}, func(d *estate.Document) []estate.Subnet { return d.Subnets })
	list(s, a, "stations", func(v *estate.Station) string { return v.Name }, func(d *estate.Document) []estate.Station {
		return d.Stations
	})
	list(s, a, "drivers", func(v *estate.Driver) string { return v.Name }, func(d *estate.Document) []estate.Driver {
		return d.Drivers
	})
	list(s, a, "servers", func(v *estate.Server) string { return v.Name }, func(d *estate.Document) []estate.Server {
		return d.Servers
	})
	list(s, a, "server_sets", func(v *estate.ServerSet) string {
		return v.Name
	}, func(d *estate.Document) []estate.ServerSet { return d.ServerSets })
	list(s, a, "devices", func(v *estate.Device) string { return v.Name }, func(d *estate.Document) []estate.Device {
		return d.Devices
	})
	list(s, a, "grants", func(v *estate.Grant) string { return v.Name }, func(d *estate.Document) []estate.Grant {
		return d.Grants
	})
}

// list registers one list of the estate.
func list[T any](s *server, a huma.API, name string, key func(*T) string, of func(*estate.Document) []T) {
	route(s, a, "GET", "/api/v1/"+name, name, "The "+name+" of the current estate", small, func(ctx context.Context,
		in *Paging) (paged[T], error) {
		_, doc, err := s.svc.Drafts.Estate(ctx, principalOf(ctx), 0)
		if err != nil {
			return nil, err
		}
		o := of(doc)
		return items(*in, o, nil, key)
	})
}

func directoryRoutes(s *server, a huma.API) {
	type in struct{ Body api.Import }
	route(s, a, "POST", "/api/v1/directory/import", "import-directory", "Make a source hold exactly what the files say",
		large.by(access.Import), func(ctx context.Context, in *in) (*out[directory.Import], error) {
			o, err := s.svc.Sources.Import(ctx, principalOf(ctx), sources.Intake{Source: in.Body.Source, Format: in.Body.Format,
				Files: in.Body.Files, Dry: in.Body.Dry, Accept: in.Body.Accept})
			return &out[directory.Import]{o}, err
		})
	type search struct {
		Word  string   `query:"word" maxLength:"256" doc:"Part of a name."`
		Kinds []string `query:"kind,explode" doc:"All when absent." enum:"user,group,unit,machine,station,location,queue,grant,server,server set,device,driver,subnet,found queue,found device"`
		Paging
	}
	route(s, a, "GET", "/api/v1/search", "search", "Find people, groups, units, machines and objects of the estate by "+
		"part of what they are called", small, func(ctx context.Context, in *search) (paged[directory.Match], error) {
		from, err := offsetOf(in.Paging, 0)
		if err != nil {
			return nil, err
		}
		size := in.ask().Size()
		found, total, err := s.svc.Sources.Search(ctx, principalOf(ctx), in.Kinds, cmp.Or(in.Word, in.Find), from+size)
		return &out[page.Page[directory.Match]]{page.At(found[min(from, len(found)):], from, total)}, err
	})
}

func linksRoutes(s *server, a huma.API) {
	route(s, a, "GET", "/api/v1/directory/links", "links", "How it is decided which accounts are one person", small,
		func(ctx context.Context, _ *struct{}) (*out[directory.Linked], error) {
			o, err := s.svc.Links.Links(ctx, principalOf(ctx))
			return &out[directory.Linked]{o}, err
		})
	type link struct{ Body api.NewLink }
	route(s, a, "POST", "/api/v1/directory/links", "link", "Say that two accounts are one person, or are two", small,
		func(ctx context.Context, in *link) (*out[directory.Link], error) {
			o, err := s.svc.Links.Link(ctx, principalOf(ctx), in.Body.A, in.Body.B, in.Body.Unlinked || in.Body.Apart,
				in.Body.Reason)
			return &out[directory.Link]{o}, err
		})
	type one struct {
		ID int64 `path:"id"`
	}
	route(s, a, "DELETE", "/api/v1/directory/links/{id}", "remove-link", "Take back what was said of two accounts", small,
		func(ctx context.Context, in *one) (*struct{}, error) {
			return nil, s.svc.Links.RemoveLink(ctx, principalOf(ctx), in.ID)
		})
	type rule struct {
		Rule string `path:"rule" enum:"address,employee"`
		Body api.LinkRule
	}
	route(s, a, "PUT", "/api/v1/directory/link-rules/{rule}", "set-link-rule", "Whether accounts of different sources "+
		"with one address, or one employee number, are one person", small, func(ctx context.Context,
		in *rule) (*out[directory.Linked], error) {
		o, err := s.svc.Links.SetLinkRule(ctx, principalOf(ctx), in.Rule, in.Body.On, in.Body.Dry)
		return &out[directory.Linked]{o}, err
	})
	type primary struct{ Body api.Primary }
	route(s, a, "PUT", "/api/v1/directory/primary", "set-primary", "Which source's account stands for a person who "+
		"has several",
		small, func(ctx context.Context, in *primary) (*out[directory.Linked], error) {
			o, err := s.svc.Links.SetPrimary(ctx, principalOf(ctx), in.Body.Source)
			return &out[directory.Linked]{o}, err
		})
	route(s, a, "GET", "/api/v1/directory/unmatched", "unmatched", "Names that endpoints give for their people and that "+
		"no directory has", small, func(ctx context.Context, in *Paging) (paged[directory.UnmatchedName], error) {
		o, err := s.svc.Links.Unmatched(ctx, principalOf(ctx))
		return items(*in, o, err, func(v *directory.UnmatchedName) string { return v.Name })
	})
}

// lineups registers on a; described only puts operations into the same description.
func (s *server) lineups(a, described huma.API) {
	type Asked struct { // exported: huma reads no embedded type that is not
		Known string `header:"If-None-Match" doc:"The ETag of the answer that is known already."`
		Nonce string `header:"Cirque-Nonce" maxLength:"64" doc:"An agent's; its answer is signed with it."`
		Wait  string `header:"Prefer" doc:"wait=N: while the known answer still holds, answer only after N seconds (RFC 7240)."`
		When
	}
	type one struct {
		Asked
		Body lineup.Query
	}
	type many struct {
		Asked
		RawBody []byte
		Body    []lineup.Query `maxItems:"10000" minItems:"1"`
	}
	type answer struct {
		Status int
		Type   string `header:"Content-Type"`
		Length string `header:"Content-Length"` // else it is sent in chunks
		ETag   string `header:"ETag"`
		Pref   string `header:"Preference-Applied"`
		Pace   string `header:"Cirque-Pace"`
		Sign   string `header:"Cirque-Signature"`
		Key    string `header:"Cirque-Key"`
		Handed string `header:"Cirque-Key-Handover"`
		Issuer string `header:"Cirque-Issuer"`
		Ask    string `header:"Cirque-Ask"`
		Age    string `header:"Age" doc:"Seconds since what is answered was so; absent where it is so now."`
		Body   []byte
	}
	// The routes that are asked most stand elsewhere; here they are described.
	route(s, described, "POST", "/api/v1/lineups", "ask-lineup", "The lineup of one context", small, func(context.Context,
		*one) (*answer, error) {
		return nil, nil
	})
	answers[lineup.Lineup](a, "/api/v1/lineups")
	route(s, a, "POST", "/api/v1/lineups/batch", "ask-lineups", "The lineups of many contexts, in their order",
		large.by(access.AskOwn),
		func(ctx context.Context, in *many) (*answer, error) {
			ans, err := s.ask(ctx, asking{in.Known, in.Wait, in.When}, in.Body, nil)
			if err != nil {
				return nil, err
			}
			o := &answer{Status: http.StatusOK, Type: "application/json", Length: strconv.Itoa(len(ans.JSON)),
				ETag: agentproto.Quote(ans.Tag), Pref: ans.pref, Age: s.age(ans.AsOf), Body: ans.JSON}
			if ans.same {
				o.Status, o.Length, o.Body = http.StatusNotModified, "", nil
			}
			h := s.asAgent(ctx, in.Nonce, in.RawBody, ans.Tag, o.Body)
			o.Pace, o.Sign, o.Key, o.Handed, o.Issuer = h.pace, h.signature, h.key, h.handover, h.issuer
			if !ans.same && ans.Tag == agentproto.TagOf(in.Known) {
				o.Ask = s.asks(ctx) // nothing changed, and yet it was called
			}
			return o, nil
		})
	answers[[]lineup.Lineup](a, "/api/v1/lineups/batch")
	type why struct {
		When
		Body api.Why
	}
	route(s, a, "POST", "/api/v1/why", "explain", "The full reasoning behind one queue in one context", small,
		func(ctx context.Context, in *why) (*out[*lineup.Why], error) {
			when, err := in.When.parse()
			if err != nil {
				return nil, err
			}
			o, err := s.svc.Lineups.Why(ctx, principalOf(ctx), in.Body.Context, in.Body.Queue, when)
			return &out[*lineup.Why]{o}, err
		})
	type page struct{ Body api.SendTestPage }
	route(s, a, "POST", "/api/v1/test-pages", "send-test-page", "Send a test page through the path that the lineup chose",
		small, func(ctx context.Context, in *page) (*out[api.TestPage], error) {
			t, err := s.svc.Jobs.SendTestPage(ctx, principalOf(ctx), in.Body.Context, in.Body.Queue,
				in.Body.Anyway)
			return &out[api.TestPage]{api.TestPage(t)}, err
		})
}

// When is what moment is asked about.
type When struct {
	Revision string `query:"revision" maxLength:"80" doc:"Another revision of the estate than the current one: its number, or draft or draft:NAME for one's own draft as it would be if it were published."`
	AsOf     string `query:"as_of" maxLength:"64" doc:"RFC 3339: the estate, unless a revision is named, and the directory, live state and picks of that moment."`
}

func (w When) parse() (present.When, error) {
	at, err := moment("as_of", w.AsOf)
	if err != nil {
		return present.When{}, err
	}
	return present.ParseWhen(w.Revision, at)
}

func moment(field, text string) (*time.Time, error) {
	if text == "" {
		return nil, nil
	}
	at, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return nil, fault.New(fault.Invalid, "time-invalid", "write RFC 3339 with an offset, such as "+
			"2026-11-23T10:00:00+01:00", "%s: %q is no time", field, text)
	}
	return &at, nil
}

// answers says what an operation answers with whose bytes are made elsewhere.
func answers[T any](a huma.API, path string) {
	doc := a.OpenAPI()
	schema := doc.Components.Schemas.Schema(typeOf[T](), true, "")
	doc.Paths[path].Post.Responses["200"].Content = map[string]*huma.MediaType{"application/json": {Schema: schema}}
}
