package httpapi

import (
	"cmp"
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/live"
	"cirque/core/page"
	"cirque/core/rehearse"
	"cirque/internal/api"
	"cirque/internal/service/lineups"
)

// progressEvery is how often a rehearsal tells how far it is.
const progressEvery = 100 * time.Millisecond

func rehearsalsRoutes(s *server, a huma.API) {
	rehearseRoutes(s, a)
	type effects struct {
		ID     string        `path:"id" maxLength:"64"`
		Kind   rehearse.Kind `query:"kind" doc:"Only this kind of change." enum:"gains,loses,empty,stranded,no-driver,no-path,effect,default,path,driver,name,settings"`
		By     rehearse.By   `query:"by" doc:"Together with key: only this grant, queue, location or group." enum:"grant,queue,location,group"`
		Key    string        `query:"key" maxLength:"256"`
		Word   string        `query:"word" maxLength:"256" doc:"Part of a person's or machine's name."`
		Offset int           `query:"offset" minimum:"0" deprecated:"true" doc:"What after says; goes with the next version."`
		Paging
	}
	route(s, a, "GET", "/api/v1/rehearsals/{id}/effects", "effects", "The contexts behind a figure of one's own rehearsal",
		small, func(ctx context.Context, in *effects) (paged[rehearse.EffectSheet], error) {
			from, err := offsetOf(in.Paging, in.Offset)
			if err != nil {
				return nil, err
			}
			list, total, err := s.svc.Lineups.Effects(ctx, principalOf(ctx), in.ID, rehearse.Filter{Kind: in.Kind, By: in.By,
				Key: in.Key, Word: cmp.Or(in.Word, in.Find)}, from, in.ask().Size())
			return &out[page.Page[rehearse.EffectSheet]]{page.At(list, from, total)}, err
		})
	route(s, a, "GET", "/api/v1/coverage", "coverage", "On which single servers and devices how many depend", small,
		func(ctx context.Context, in *Paging) (paged[rehearse.Dependence], error) {
			list, err := s.svc.Lineups.Coverage(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *rehearse.Dependence) string { return v.Kind + " " + v.Name })
		})
	type who struct {
		Paging
		Name  string `path:"name" maxLength:"256"`
		From  string `query:"from" maxLength:"64" doc:"RFC 3339; the present when absent."`
		Until string `query:"until" maxLength:"64" doc:"RFC 3339: everybody who had it at any time from then until here."`
	}
	route(s, a, "GET", "/api/v1/queues/{name}/holders", "holders", "Who has a queue, now or in the past", small,
		func(ctx context.Context, in *who) (*out[rehearse.RollSheet], error) {
			from, err := moment("from", in.From)
			if err != nil {
				return nil, err
			}
			until, err := moment("until", in.Until)
			if err != nil {
				return nil, err
			}
			var begin, end time.Time
			if from != nil {
				begin = *from
			}
			if until != nil {
				end = *until
			}
			r, err := s.svc.Lineups.Who(ctx, principalOf(ctx), in.Name, begin, end)
			part := cut(in.Paging, r.Holders, func(h *rehearse.Holder) string { return rehearse.Key(h.Kind, h.Name) })
			r.Holders, r.Total, r.Next = part.Items, part.Total, part.Next
			return &out[rehearse.RollSheet]{r}, err
		})
	route(s, a, "GET", "/api/v1/bare", "bare", "Who has no queue at all just now", small,
		func(ctx context.Context, in *Paging) (paged[rehearse.Subject], error) {
			list, err := s.svc.Lineups.Bare(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *rehearse.Subject) string { return rehearse.Key(v.Kind, v.Name) })
		})
	route(s, a, "GET", "/api/v1/duties", "duties", "Servers and devices that do not serve just now", small,
		func(ctx context.Context, in *Paging) (paged[live.Note], error) {
			list, err := s.svc.Continuity.Duties(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *live.Note) string { return v.Kind + " " + v.Name })
		})
	route(s, a, "GET", "/api/v1/moves", "moves", "How far people have moved off servers that are out of duty, or back "+
		"to those that return", small, func(ctx context.Context, in *Paging) (paged[continuity.Move], error) {
		list, err := s.svc.Continuity.Moves(ctx, principalOf(ctx))
		return items(*in, list, err, func(v *continuity.Move) string { return v.Kind + " " + v.Name })
	})
	route(s, a, "GET", "/api/v1/health", "health-of-all", "What probing has found of servers and devices", small,
		func(ctx context.Context, in *Paging) (paged[continuity.Health], error) {
			list, err := s.svc.Continuity.Healths(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *continuity.Health) string { return v.Kind + " " + v.Name })
		})
	type one struct {
		Kind string `path:"kind" maxLength:"16" doc:"server or device."`
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/health/{kind}/{name}", "health-of-one", "What probing has found of one, with its "+
		"history of 30 days", small, func(ctx context.Context, in *one) (*out[continuity.HealthView], error) {
		v, err := s.svc.Continuity.Health(ctx, principalOf(ctx), in.Kind, in.Name)
		return &out[continuity.HealthView]{v}, err
	})
	type hours struct {
		Hours int `query:"hours" minimum:"1" maximum:"8760" default:"24"`
	}
	route(s, a, "GET", "/api/v1/fleet", "fleet", "How all endpoints stand, now and over time", small,
		func(ctx context.Context, in *hours) (*out[endpoint.Fleet], error) {
			f, err := s.svc.Fleet.Fleet(ctx, principalOf(ctx), in.Hours)
			return &out[endpoint.Fleet]{f}, err
		})
}

// rehearse streams its progress: one JSON object a line, the last of which is the rehearsal, or the problem.
func rehearseRoutes(s *server, a huma.API) {
	type in struct{ Body api.Rehearse }
	op := operation(http.MethodPost, "/api/v1/rehearsals", "rehearse", "Compare the present with what would be, "+
		"for everybody", small)
	streamOf[api.RehearsalLine](a, &op, "One JSON object a line: progress, and at last the rehearsal or a problem. "+
		"Whoever goes away stops it.")
	huma.Register(a, op, func(ctx context.Context, in *in) (*huma.StreamResponse, error) {
		if err := lineups.MayRehearse(principalOf(ctx)); err != nil {
			return nil, s.fail(ctx, err)
		}
		return stream(s, func(ctx context.Context, line func(api.RehearsalLine)) {
			told := time.Now()
			r, err := s.svc.Lineups.Rehearse(ctx, principalOf(ctx), rehearse.Ask(in.Body), func(done, total int) {
				if time.Since(told) >= progressEvery {
					told = time.Now()
					line(api.RehearsalLine{Progress: &api.Progress{Done: done, Total: total}})
				}
			})
			if err != nil {
				line(api.RehearsalLine{Problem: &s.fail(ctx, err).Problem})
				return
			}
			line(api.RehearsalLine{Rehearsal: &api.Rehearsal{ID: r.ID, Down: r.Down, Report: *r.Report}})
		}), nil
	})
}
