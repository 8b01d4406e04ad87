package httpapi

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/photograph"
	"cirque/internal/api"
)

// exercises take servers out of duty to see what would happen; photographs keep how everything stood.
func (s *server) exercises(a huma.API) {
	type start struct {
		Name string `path:"name" maxLength:"63"`
		Body api.NewExercise
	}
	route(s, a, "POST", "/api/v1/servers/{name}/exercises", "start-exercise", "Take a server out of duty for a while, "+
		"to see what would happen if it died", small, func(ctx context.Context,
		in *start) (*out[continuity.Exercise], error) {
		e, err := s.svc.Continuity.StartExercise(ctx, principalOf(ctx), in.Name, in.Body.Reason,
			time.Duration(in.Body.Minutes)*time.Minute)
		return &out[continuity.Exercise]{e}, err
	})
	route(s, a, "GET", "/api/v1/exercises", "exercises", "The latest exercises, newest first", small,
		func(ctx context.Context, in *Paging) (paged[continuity.Exercise], error) {
			v, err := s.svc.Continuity.Exercises(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *continuity.Exercise) string { return number(v.ID) })
		})
	type list struct {
		Paging
		Name string `path:"name" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/servers/{name}/outage", "outage", "The checklist of a server's planned outage, which "+
		"ticks itself", small, func(ctx context.Context, in *list) (paged[endpoint.Rung], error) {
		v, err := s.svc.Continuity.Outage(ctx, principalOf(ctx), in.Name)
		return items(in.Paging, v, err, func(v *endpoint.Rung) string { return v.Check })
	})
	type one struct {
		ID int64 `path:"id" minimum:"1"`
	}
	route(s, a, "GET", "/api/v1/exercises/{id}", "exercise", "One exercise, with its report once it is over", small,
		func(ctx context.Context, in *one) (*out[continuity.Exercise], error) {
			v, err := s.svc.Continuity.Exercise(ctx, principalOf(ctx), in.ID)
			return &out[continuity.Exercise]{v}, err
		})
	route(s, a, "POST", "/api/v1/exercises/{id}/stop", "stop-exercise", "End an exercise before its time: the server "+
		"returns at once", small, func(ctx context.Context, in *one) (*out[continuity.Exercise], error) {
		v, err := s.svc.Continuity.StopExercise(ctx, principalOf(ctx), in.ID)
		return &out[continuity.Exercise]{v}, err
	})
	route(s, a, "GET", "/api/v1/photographs", "photographs", "Photographs of how everything stood, newest first", small,
		func(ctx context.Context, in *Paging) (paged[photograph.Photograph], error) {
			v, err := s.svc.Snapshots.Photographs(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *photograph.Photograph) string { return v.Name })
		})
	type take struct{ Body api.NewPhotograph }
	route(s, a, "POST", "/api/v1/photographs", "take-photograph", "Keep how servers, devices and endpoints stand now",
		small, func(ctx context.Context, in *take) (*out[photograph.Photograph], error) {
			v, err := s.svc.Snapshots.TakePhotograph(ctx, principalOf(ctx), in.Body.Name, in.Body.Note)
			return &out[photograph.Photograph]{v}, err
		})
	type named struct {
		Name string `path:"name" maxLength:"63"`
	}
	route(s, a, "DELETE", "/api/v1/photographs/{name}", "remove-photograph", "Forget a photograph", small,
		func(ctx context.Context, in *named) (*struct{}, error) {
			return nil, s.svc.Snapshots.RemovePhotograph(ctx, principalOf(ctx), in.Name)
		})
	type with struct {
		Name  string `path:"name" maxLength:"63"`
		With  string `query:"with" maxLength:"63" doc:"Another photograph; how it stands now when absent."`
		Word  string `query:"word" maxLength:"256" doc:"Only what has it in its kind or name."`
		Limit int    `query:"limit" minimum:"1" maximum:"10000" default:"500"`
	}
	route(s, a, "GET", "/api/v1/photographs/{name}/compare", "compare-photograph",
		"What is otherwise than on a photograph", small, func(ctx context.Context,
			in *with) (*out[photograph.Compared], error) {
			v, err := s.svc.Snapshots.ComparePhotographs(ctx, principalOf(ctx), in.Name, in.With, in.Word, in.Limit)
			return &out[photograph.Compared]{v}, err
		})
}
