package httpapi

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/adopt"
	"cirque/core/bulk"
	"cirque/core/decommission"
	"cirque/core/estate"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/service/jobs"
	"cirque/internal/service/secrets"
)

type stockName struct {
	Name string `path:"name" maxLength:"256"`
}

func stockRoutes(s *server, a huma.API) {
	stockServersRoutes(s, a)
	stockDevicesRoutes(s, a)
	scansRoutes(s, a)
	adoptionRoutes(s, a)
	credentialsRoutes(s, a)
	testStockRoutes(s, a)
	draftToolsRoutes(s, a)
}

func stockServersRoutes(s *server, a huma.API) {
	type create struct{ Body api.NewWatch }
	route(s, a, "GET", "/api/v1/stock/servers", "stock-servers", "All print servers, with how they stand", small,
		func(ctx context.Context, in *Paging) (paged[stock.ServerView], error) {
			list, err := s.svc.Stock.Servers(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *stock.ServerView) string { return v.Name })
		})
	route(s, a, "POST", "/api/v1/stock/servers", "add-server", "Register a print server; it is read at once", small,
		func(ctx context.Context, in *create) (*out[stock.ServerView], error) {
			v, err := s.svc.Stock.AddServer(ctx, principalOf(ctx), in.Body.Watch(), in.Body.Anyway)
			return &out[stock.ServerView]{v}, err
		})
	route(s, a, "GET", "/api/v1/stock/servers/{name}", "stock-server", "One print server with its queues and how they "+
		"differ from the estate", small, func(ctx context.Context, in *stockName) (*out[stock.ServerSheet], error) {
		v, err := s.svc.Stock.ServerSheet(ctx, principalOf(ctx), in.Name)
		return &out[stock.ServerSheet]{v}, err
	})
	route(s, a, "GET", "/api/v1/stock/sets", "compare-sets", "The members of each server set beside one another, "+
		"queue by queue", small, func(ctx context.Context, in *Paging) (paged[stock.SetView], error) {
		v, err := s.svc.Continuity.Sets(ctx, principalOf(ctx))
		return items(*in, v, err, func(v *stock.SetView) string { return v.Name })
	})
	route(s, a, "GET", "/api/v1/stock/sets/{name}", "compare-set", "The members of one server set beside one another, "+
		"queue by queue", small, func(ctx context.Context, in *stockName) (*out[stock.SetView], error) {
		v, err := s.svc.Continuity.Set(ctx, principalOf(ctx), in.Name)
		return &out[stock.SetView]{v}, err
	})
	route(s, a, "POST", "/api/v1/stock/servers/{name}/read", "read-server", "Read a print server now", small,
		func(ctx context.Context, in *stockName) (*out[stock.ServerSheet], error) {
			if err := s.svc.Stock.ReadNow(ctx, principalOf(ctx), stock.KindServer, in.Name); err != nil {
				return nil, err
			}
			v, err := s.svc.Stock.ServerSheet(ctx, principalOf(ctx), in.Name)
			return &out[stock.ServerSheet]{v}, err
		})
	route(s, a, "DELETE", "/api/v1/stock/servers/{name}", "remove-server", "Forget a server that was registered by "+
		"hand; its queues are not touched", small, func(ctx context.Context, in *stockName) (*struct{}, error) {
		return nil, s.svc.Stock.Unregister(ctx, principalOf(ctx), stock.KindServer, in.Name)
	})
	route(s, a, "GET", "/api/v1/stock/servers/{name}/depends", "server-depends", "What still leads to a server, and who "+
		"used it lately", small, func(ctx context.Context, in *stockName) (*out[decommission.Leaving], error) {
		v, err := s.svc.Decommission.Depends(ctx, principalOf(ctx), in.Name)
		return &out[decommission.Leaving]{v}, err
	})
	type with struct {
		Paging
		Name string `path:"name" maxLength:"256"`
		With string `query:"with" required:"true" maxLength:"256"`
	}
	route(s, a, "GET", "/api/v1/stock/servers/{name}/compare", "compare-servers", "Two servers' queues side by side",
		small, func(ctx context.Context, in *with) (paged[stock.Pair], error) {
			v, err := s.svc.Stock.CompareServers(ctx, principalOf(ctx), in.Name, in.With)
			return items(in.Paging, v, err, func(v *stock.Pair) string { return v.Queue })
		})
	route(s, a, "GET", "/api/v1/stock/queues", "stock-queues", "The queues of all print servers", small,
		func(ctx context.Context, in *Paging) (paged[stock.QueueView], error) {
			v, err := s.svc.Stock.FoundQueues(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *stock.QueueView) string { return v.Server + " " + v.Name })
		})
	route(s, a, "GET", "/api/v1/stock/orphans", "orphans", "What leads nowhere, and what nothing leads to", small,
		func(ctx context.Context, _ *struct{}) (*out[decommission.Orphans], error) {
			v, err := s.svc.Decommission.Orphans(ctx, principalOf(ctx))
			return &out[decommission.Orphans]{v}, err
		})
}

func stockDevicesRoutes(s *server, a huma.API) {
	type create struct{ Body api.NewWatch }
	route(s, a, "GET", "/api/v1/stock/devices", "stock-devices", "All devices, with what they tell and how they stand",
		small, func(ctx context.Context, in *Paging) (paged[stock.DeviceView], error) {
			list, err := s.svc.Stock.Devices(ctx, principalOf(ctx))
			return items(*in, list, err, func(v *stock.DeviceView) string { return v.Name })
		})
	route(s, a, "POST", "/api/v1/stock/devices", "add-device", "Register a device; it is questioned at once", small,
		func(ctx context.Context, in *create) (*out[stock.DeviceView], error) {
			v, err := s.svc.Stock.AddDevice(ctx, principalOf(ctx), in.Body.Watch(), in.Body.Anyway)
			return &out[stock.DeviceView]{v}, err
		})
	route(s, a, "GET", "/api/v1/stock/devices/{name}", "stock-device", "One device", small, func(ctx context.Context,
		in *stockName) (*out[stock.DeviceView], error) {
		v, err := s.svc.Stock.Device(ctx, principalOf(ctx), in.Name)
		return &out[stock.DeviceView]{v}, err
	})
	route(s, a, "POST", "/api/v1/stock/devices/{name}/read", "read-device", "Question a device now", small,
		func(ctx context.Context, in *stockName) (*out[stock.DeviceView], error) {
			if err := s.svc.Stock.ReadNow(ctx, principalOf(ctx), stock.KindDevice, in.Name); err != nil {
				return nil, err
			}
			v, err := s.svc.Stock.Device(ctx, principalOf(ctx), in.Name)
			return &out[stock.DeviceView]{v}, err
		})
	route(s, a, "POST", "/api/v1/stock/devices/{name}/recognise", "recognise-device", "Take the device that answers now "+
		"for the one that is meant", small, func(ctx context.Context, in *stockName) (*out[stock.DeviceView], error) {
		v, err := s.svc.Stock.Recognise(ctx, principalOf(ctx), in.Name)
		return &out[stock.DeviceView]{v}, err
	})
	route(s, a, "DELETE", "/api/v1/stock/devices/{name}", "remove-device", "Forget a device that was registered by hand",
		small, func(ctx context.Context, in *stockName) (*struct{}, error) {
			return nil, s.svc.Stock.Unregister(ctx, principalOf(ctx), stock.KindDevice, in.Name)
		})
	type format struct {
		Format string `query:"format" enum:"csv,json" default:"csv" doc:"json: as the common open DHCP server's configuration has them."`
	}
	route(s, a, "GET", "/api/v1/stock/reservations", "reservations", "The reservations that the devices need, for a "+
		"DHCP server", small, func(ctx context.Context, in *format) (*out[api.Text], error) {
		text, lacking, err := s.svc.Stock.Reservations(ctx, principalOf(ctx), in.Format)
		return &out[api.Text]{api.Text{Text: text, Lacking: lacking}}, err
	})
	type file struct {
		DryRun
		Body api.NamedText
	}
	route(s, a, "PUT", "/api/v1/stock/reservations", "import-reservations", "Take in what a DHCP server reserves, to "+
		"compare devices with", medium.by(access.KeepStock), func(ctx context.Context, in *file) (*out[api.Imported], error) {
		n, err := s.svc.Stock.ImportReservations(ctx, principalOf(ctx), in.Body.Name, in.Body.Text, in.Dry)
		return &out[api.Imported]{api.Imported{Count: n}}, err
	})
}

func scansRoutes(s *server, a huma.API) {
	type create struct{ Body api.NewScan }
	route(s, a, "POST", "/api/v1/stock/scans", "scan", "Look at every address of some ranges, in the background", small,
		func(ctx context.Context, in *create) (*out[api.StartedScan], error) {
			plan, err := s.svc.Stock.PlanScan(ctx, principalOf(ctx), in.Body.Ranges, in.Body.Rate)
			o := api.StartedScan{Plan: plan}
			if err != nil || in.Body.Dry {
				return &out[api.StartedScan]{o}, err
			}
			c, err := s.svc.Stock.StartScan(ctx, principalOf(ctx), in.Body.Ranges, in.Body.Rate)
			o.Scan = &c
			return &out[api.StartedScan]{o}, err
		})
	route(s, a, "GET", "/api/v1/stock/scans", "list-scans", "The latest scans with how far they are", small,
		func(ctx context.Context, in *Paging) (paged[stock.Scan], error) {
			v, err := s.svc.Stock.Scans(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *stock.Scan) string { return number(v.ID) })
		})
	type id struct {
		ID int64 `path:"id" minimum:"1"`
	}
	route(s, a, "DELETE", "/api/v1/stock/scans/{id}", "stop-scan", "Stop a scan", small, func(ctx context.Context,
		in *id) (*struct{}, error) {
		return nil, s.svc.Stock.StopScan(ctx, principalOf(ctx), in.ID)
	})
	route(s, a, "GET", "/api/v1/stock/found", "found-devices", "What scans found and nobody listed", small,
		func(ctx context.Context, in *Paging) (paged[stock.Unlisted], error) {
			v, err := s.svc.Stock.FoundDevices(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *stock.Unlisted) string { return v.Address })
		})
	type forget struct{ Body api.Addresses }
	route(s, a, "POST", "/api/v1/stock/found/forget", "forget-found", "Take addresses off the list of what was found",
		medium.by(access.KeepStock), func(ctx context.Context, in *forget) (*struct{}, error) {
			return nil, s.svc.Stock.ForgetFound(ctx, principalOf(ctx), in.Body.Addresses)
		})
}

func adoptionRoutes(s *server, a huma.API) {
	type selections struct{ Body api.Selections }
	route(s, a, "POST", "/api/v1/stock/proposals", "propose", "What found queues and devices would be in the estate",
		medium.by(access.KeepStock), func(ctx context.Context, in *selections) (*out[[]adopt.Proposal], error) {
			list := make([]adopt.Selection, len(in.Body.Selections))
			for i, x := range in.Body.Selections {
				list[i] = adopt.Selection(x)
			}
			v, err := s.svc.Adopt.Propose(ctx, principalOf(ctx), in.Body.Draft, in.Body.Names, list)
			return &out[[]adopt.Proposal]{v}, err
		})
	type adoption struct{ Body api.Adoption }
	route(s, a, "POST", "/api/v1/stock/adoptions", "adopt", "Put proposals into one's own draft, all or none",
		large.by(access.KeepStock),
		func(ctx context.Context, in *adoption) (*out[api.Draft], error) {
			d, err := s.svc.Adopt.Adopt(ctx, principalOf(ctx), in.Body.Draft, in.Body.Proposals)
			if err != nil {
				return nil, err
			}
			return &out[api.Draft]{draftOf(d)}, nil
		})
	type capture struct{ Body api.NewCapture }
	route(s, a, "POST", "/api/v1/stock/captures", "capture", "Hand in what a reference machine has",
		medium.by(access.Capture).asTold(),
		func(ctx context.Context, in *capture) (*out[stock.Capture], error) {
			words.Clean(&in.Body)
			c, err := s.svc.Adopt.HandIn(ctx, principalOf(ctx), stock.Capture{Machine: in.Body.Machine,
				Platform: in.Body.Platform,
				Queues:   in.Body.Queues})
			return &out[stock.Capture]{c}, err
		})
	route(s, a, "GET", "/api/v1/stock/captures", "captures", "What was handed in of reference machines", small,
		func(ctx context.Context, in *Paging) (paged[stock.Capture], error) {
			v, err := s.svc.Adopt.Captures(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *stock.Capture) string { return v.Machine })
		})
}

func credentialsRoutes(s *server, a huma.API) {
	route(s, a, "GET", "/api/v1/credentials", "credentials", "Stored keys to servers and devices, without their secrets",
		small, func(ctx context.Context, in *Paging) (paged[stock.Credential], error) {
			v, err := s.svc.Secrets.Credentials(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *stock.Credential) string { return v.Name })
		})
	type create struct{ Body api.NewCredential }
	route(s, a, "POST", "/api/v1/credentials", "store-credential", "Store a key; it is tried at once where there is "+
		"somewhere to try it", small, func(ctx context.Context, in *create) (*out[stock.Credential], error) {
		v, err := s.svc.Secrets.StoreCredential(ctx, principalOf(ctx), secrets.NewCredential(in.Body))
		return &out[stock.Credential]{v}, err
	})
	route(s, a, "DELETE", "/api/v1/credentials/{name}", "remove-credential", "Forget a key", small,
		func(ctx context.Context, in *stockName) (*struct{}, error) {
			return nil, s.svc.Secrets.RemoveCredential(ctx, principalOf(ctx), in.Name)
		})
}

// testStock streams the states of a test page's job: one JSON object a line, the last of which is the result or a
// problem.
func testStockRoutes(s *server, a huma.API) {
	type in struct{ Body api.NewTest }
	op := operation(http.MethodPost, "/api/v1/stock/test-pages", "test-stock", "Send a test page straight to a device "+
		"or to a server's queue, and follow it", small)
	streamOf[api.TestLine](a, &op, "One JSON object a line: states of the job, and at last the result or a problem.")
	huma.Register(a, op, func(ctx context.Context, in *in) (*huma.StreamResponse, error) {
		if err := jobs.MayTest(principalOf(ctx)); err != nil {
			return nil, s.fail(ctx, err)
		}
		return stream(s, func(ctx context.Context, line func(api.TestLine)) {
			r, err := s.svc.Jobs.TestStock(ctx, principalOf(ctx), jobs.Target(in.Body),
				func(j stock.Job) { line(api.TestLine{Job: &j}) })
			if err != nil {
				line(api.TestLine{Problem: &s.fail(ctx, err).Problem})
				return
			}
			line(api.TestLine{Result: &r})
		}), nil
	})
}

// draftTools change many queues of a draft at once.
func draftToolsRoutes(s *server, a huma.API) {
	type Named struct {
		Name string `query:"name" maxLength:"63" doc:"Which of one's own drafts; main when absent."`
	}
	type some struct {
		Named
		Queues []string `query:"queue,explode" doc:"Only these; all when absent."`
	}
	route(s, a, "GET", "/api/v1/draft/queue-table", "queue-table", "The queues of one's own draft as CSV", small,
		func(ctx context.Context, in *some) (*out[api.Text], error) {
			text, err := s.svc.Drafts.QueueTable(ctx, principalOf(ctx), in.Name, in.Queues)
			return &out[api.Text]{api.Text{Text: text}}, err
		})
	type table struct {
		Named
		DryRun
		Body api.NamedText
	}
	route(s, a, "PUT", "/api/v1/draft/queue-table", "apply-queue-table", "Put a table of queues into one's own draft",
		large.by(access.EditDraft), func(ctx context.Context, in *table) (*out[api.Draft], error) {
			d, err := s.svc.Drafts.ApplyQueueTable(ctx, principalOf(ctx), in.Name, in.Body.Name, in.Body.Text, in.Dry)
			if err != nil {
				return nil, err
			}
			return &out[api.Draft]{draftOf(d)}, nil
		})
	type objects struct {
		Named
		Paging
		List string   `query:"list" enum:"locations,subnets,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances,settings"`
		Only []string `query:"object,explode" doc:"Only these, by name, path or subnet; all when absent."`
	}
	route(s, a, "GET", "/api/v1/draft/objects", "draft-objects", "The objects of a list, as one's own draft has them",
		small, func(ctx context.Context, in *objects) (paged[estate.Drafted], error) {
			list, err := s.svc.Drafts.Objects(ctx, principalOf(ctx), in.Name, in.List, in.Only)
			return items(in.Paging, list, err, func(v *estate.Drafted) string { return v.Name })
		})
	route(s, a, "GET", "/api/v1/estate/keys", "estate-keys", "Which keys the objects of each list have, and how they are "+
		"written", small, func(ctx context.Context, in *Paging) (paged[bulk.Keyed], error) {
		if err := access.Check(principalOf(ctx), access.ReadEstate); err != nil {
			return nil, err
		}
		return items(*in, bulk.AllKeys(), nil, func(v *bulk.Keyed) string { return v.List + " " + v.Name })
	})
	type listed struct {
		Named
		List string   `query:"list" enum:"locations,subnets,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances"`
		Only []string `query:"object,explode" doc:"Only these, by name, path or subnet; all when absent."`
	}
	route(s, a, "GET", "/api/v1/draft/table", "object-table", "The objects of a list of one's own draft as CSV", small,
		func(ctx context.Context, in *listed) (*out[api.Text], error) {
			text, err := s.svc.Drafts.Table(ctx, principalOf(ctx), in.Name, in.List, in.Only)
			return &out[api.Text]{api.Text{Text: text}}, err
		})
	type put struct {
		Named
		DryRun
		List string `query:"list" enum:"locations,subnets,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances"`
		Body api.NamedText
	}
	route(s, a, "PUT", "/api/v1/draft/table", "apply-object-table", "Put a table of objects into one's own draft",
		large.by(access.EditDraft), func(ctx context.Context, in *put) (*out[api.Draft], error) {
			d, err := s.svc.Drafts.ApplyTable(ctx, principalOf(ctx), in.Name, in.List, in.Body.Name, in.Body.Text, in.Dry)
			if err != nil {
				return nil, err
			}
			return &out[api.Draft]{draftOf(d)}, nil
		})
	type rename struct {
		Named
		Body api.Rename
	}
	route(s, a, "POST", "/api/v1/draft/rename", "rename-queues", "Give queues new names by a pattern; old names go on "+
		"leading there", medium.by(access.EditDraft), func(ctx context.Context, in *rename) (*out[api.Renamed], error) {
		list, d, err := s.svc.Drafts.Rename(ctx, principalOf(ctx), in.Name, bulk.NewNames{Queues: in.Body.Queues,
			Pattern: in.Body.Pattern}, in.Body.Dry)
		if err != nil {
			return nil, err
		}
		return &out[api.Renamed]{api.Renamed{Names: list, Draft: draftUnlessDry(d, in.Body.Dry)}}, nil
	})
	secondQueueRoute(s, a)
	lineRoutes(s, a)
	type renameOne struct {
		Named
		Body api.RenameObject
	}
	route(s, a, "POST", "/api/v1/draft/rename-object", "rename-object", "Give an object another name; whatever names it "+
		"follows", small.by(access.EditDraft), func(ctx context.Context, in *renameOne) (*out[api.Renamed], error) {
		list, d, err := s.svc.Drafts.Rename(ctx, principalOf(ctx), in.Name, bulk.NewNames{Of: estate.Ref{List: in.Body.List,
			Name: in.Body.Object}, To: in.Body.To}, in.Body.Dry)
		if err != nil {
			return nil, err
		}
		return &out[api.Renamed]{api.Renamed{Names: list, Draft: draftUnlessDry(d, in.Body.Dry)}}, nil
	})
	type move struct {
		Named
		Body api.Move
	}
	route(s, a, "POST", "/api/v1/draft/move", "move-queues", "Rewrite queues so that they no longer lead through a server",
		medium.by(access.EditDraft), func(ctx context.Context, in *move) (*out[api.MovedQueues], error) {
			b := in.Body
			list, far, d, err := s.svc.Decommission.MoveQueues(ctx, principalOf(ctx), in.Name, decommission.Wave{From: b.Server,
				To: b.To, Server: b.ToServer, Percent: b.Wave, Only: b.Queues, Back: b.Back},
				b.To == "server" || b.Wave > 0 || b.Back, b.Dry)
			if err != nil {
				return nil, err
			}
			return &out[api.MovedQueues]{api.MovedQueues{Moved: list, Progress: far, Draft: draftUnlessDry(d, b.Dry)}}, nil
		})
}
