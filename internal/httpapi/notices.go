package httpapi

import (
	"context"
	"encoding/base64"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/notice"
	"cirque/core/page"
	"cirque/core/stock"
	"cirque/internal/api"
	"cirque/internal/httpsig"
)

// notices are what is wrong, and who is told of it.
func noticesRoutes(s *server, a huma.API) {
	route(s, a, "GET", "/api/v1/faults", "faults", "What is wrong just now, the longest first", small,
		func(ctx context.Context, in *Paging) (paged[notice.Fault], error) {
			v, err := s.svc.Alerts.Faults(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *notice.Fault) string { return v.Key })
		})
	route(s, a, "GET", "/api/v1/notices", "notices", "The estate's notices, with what each is about just now and how it "+
		"went the last time", small, func(ctx context.Context, in *Paging) (paged[notice.View], error) {
		v, err := s.svc.Alerts.Notices(ctx, principalOf(ctx))
		return items(*in, v, err, func(v *notice.View) string { return v.Name })
	})
	type of struct {
		Paging
		Notice string `query:"notice" maxLength:"63"`
	}
	route(s, a, "GET", "/api/v1/notices/sent", "sent-notices", "What was sent to whom, newest first, and how that went",
		small, func(ctx context.Context, in *of) (paged[notice.Sent], error) {
			v, err := s.svc.Alerts.SentNotices(ctx, principalOf(ctx), in.Notice, in.ask(), in.Find)
			return &out[page.Page[notice.Sent]]{v}, err
		})
	route(s, a, "GET", "/api/v1/notices/keys", "notice-keys", "The public keys with which posted notices are signed, the "+
		"present one first", small, func(ctx context.Context, in *Paging) (paged[api.NoticeKey], error) {
		keys, err := s.svc.Secrets.NoticeKeys(principalOf(ctx))
		list := []api.NoticeKey{}
		for _, k := range keys {
			list = append(list, api.NoticeKey{ID: httpsig.KeyID(k), Algorithm: "ed25519",
				Key: base64.StdEncoding.EncodeToString(k)})
		}
		return items(*in, list, err, func(v *api.NoticeKey) string { return v.ID })
	})
	route(s, a, "POST", "/api/v1/notices/{name}/try", "try-notice", "Send a trial along each way of a notice", small,
		func(ctx context.Context, in *stockName) (*out[[]notice.Sent], error) {
			v, err := s.svc.Alerts.TryNotice(ctx, principalOf(ctx), in.Name)
			return &out[[]notice.Sent]{v}, err
		})
	route(s, a, "GET", "/api/v1/stock/servers/{name}/jobs", "server-jobs", "What waits on a server, whose it is, and "+
		"what becomes of it", small, func(ctx context.Context, in *stockName) (*out[stock.Waiting], error) {
		v, err := s.svc.Jobs.WaitingJobs(ctx, principalOf(ctx), in.Name)
		return &out[stock.Waiting]{v}, err
	})
}
