package httpapi

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	kept "cirque/core/server"
	"cirque/internal/api"
	"cirque/internal/service/jobs"
)

// serverJobsRoutes look after jobs that wait on servers.
func serverJobsRoutes(s *server, a huma.API) {
	type act struct {
		Name string `path:"name" maxLength:"63"`
		Body api.ActOnJob
	}
	route(s, a, "POST", "/api/v1/stock/servers/{name}/jobs", "act-on-job", "Hold, release, cancel or move a job that "+
		"waits on a server; its owner is told", small.by(access.KeepJobs), func(ctx context.Context,
		in *act) (*out[api.ActedOnJob], error) {
		b := in.Body
		v, err := s.svc.Jobs.Act(ctx, principalOf(ctx), jobs.Act{Server: in.Name, Task: kept.Task{Queue: b.Queue, Job: b.Job,
			Do: b.Do, To: b.To}, Reason: b.Reason})
		return &out[api.ActedOnJob]{api.ActedOnJob{Job: v.Job, Says: v.Says, Told: v.Told}}, err
	})
}
