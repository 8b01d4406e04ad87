package httpapi

import (
	"context"
	"fmt"
	"net/http"
	"path"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/internal/api"
)

func packagesRoutes(s *server, a huma.API) {
	type digest struct {
		Digest string `path:"digest" maxLength:"200" doc:"The digest, the beginning of it, or the name."`
	}
	route(s, a, "GET", "/api/v1/drivers/packages", "packages", "Driver packages with the names that they accept", small,
		func(ctx context.Context, in *Paging) (paged[driver.Package], error) {
			v, err := s.svc.Drivers.Packages(ctx, principalOf(ctx))
			return items(*in, v, err, func(v *driver.Package) string { return v.Digest })
		})
	type upload struct {
		Name string `query:"name" required:"true" maxLength:"200"`
		Note string `query:"note" maxLength:"4096"`
		DryRun
	}
	op := operation(http.MethodPost, "/api/v1/drivers/packages", "add-package",
		"Keep a driver package out of a zip archive",
		body{most: driver.MaxArchive, needs: access.KeepStock})
	op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
		"application/zip": {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}}}}
	// An archive is large: it is taken as the door has read it, rather than copied.
	huma.Register(a, op, func(ctx context.Context, in *upload) (*out[api.AddedPackage], error) {
		p, known, err := s.svc.Drivers.AddPackage(ctx, principalOf(ctx), in.Name, in.Note, bodyOf(ctx), in.Dry)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		return &out[api.AddedPackage]{api.AddedPackage{Package: p, Known: known}}, nil
	})
	route(s, a, "GET", "/api/v1/drivers/packages/{digest}", "package", "One driver package with its files", small,
		func(ctx context.Context, in *digest) (*out[driver.Package], error) {
			v, err := s.svc.Drivers.Package(ctx, principalOf(ctx), in.Digest)
			return &out[driver.Package]{v}, err
		})
	type remove struct {
		Digest string `path:"digest" maxLength:"200"`
		Force  bool   `query:"force" doc:"Also where the estate uses a driver of it."`
		Insist bool   `query:"insist" deprecated:"true" doc:"The former name of force."`
	}
	route(s, a, "DELETE", "/api/v1/drivers/packages/{digest}", "remove-package", "Forget a driver package", small,
		func(ctx context.Context, in *remove) (*struct{}, error) {
			return nil, s.svc.Drivers.RemovePackage(ctx, principalOf(ctx), in.Digest, in.Force || in.Insist)
		})
	packageFileRoutes(s, a)
	route(s, a, "GET", "/api/v1/drivers/report", "driver-report", "How drivers, queues, machines and packages stand "+
		"to each other", small, func(ctx context.Context, _ *struct{}) (*out[driver.Report], error) {
		v, err := s.svc.Drivers.DriverReport(ctx, principalOf(ctx))
		return &out[driver.Report]{v}, err
	})
	type names struct {
		Model    string `query:"model" maxLength:"256" doc:"A device's model: names that fit it come first, and one is marked."`
		Platform string `query:"platform" maxLength:"64"`
		Find     string `query:"find" maxLength:"256" doc:"Words that all have to be in it."`
		Limit    int    `query:"limit" minimum:"1" maximum:"5000" default:"100"`

		Uses []driver.Use `query:"uses,explode" maxItems:"6" enum:"office,layout,drawings,labels,old-programs,sessions" doc:"What is printed: the page language that suits each is marked, and advised."`
	}
	route(s, a, "GET", "/api/v1/drivers/names", "driver-names", "Exact names to choose from, as packages and "+
		"servers have them", small, func(ctx context.Context, in *names) (*out[api.Choices], error) {
		list, total, err := s.svc.Drivers.DriversFor(ctx, principalOf(ctx), driver.Wanted{Model: in.Model,
			Platform: in.Platform, Words: in.Find, Uses: in.Uses}, in.Limit)
		return &out[api.Choices]{api.Choices{Total: total, Choices: list, Advice: driver.Advice(list, in.Uses)}}, err
	})
	type compare struct {
		A string `query:"a" required:"true" maxLength:"1024"`
		B string `query:"b" maxLength:"1024" doc:"The nearest known name when absent."`
	}
	route(s, a, "GET", "/api/v1/drivers/compare", "compare-names", "Two names letter by letter", small,
		func(ctx context.Context, in *compare) (*out[api.Compared], error) {
			b, c, err := s.svc.Drivers.CompareNames(ctx, principalOf(ctx), in.A, in.B)
			return &out[api.Compared]{api.Compared{A: in.A, B: b, Comparison: c}}, err
		})
}

// packageFile streams one file. It is given as a download: what a package holds is not for the browser to show.
func packageFileRoutes(s *server, a huma.API) {
	type in struct {
		Digest string `path:"digest" maxLength:"200"`
		Path   string `query:"path" required:"true" maxLength:"400"`
	}
	op := operation(http.MethodGet, "/api/v1/drivers/packages/{digest}/file", "package-file",
		"One file of a driver package", small)
	op.Responses = map[string]*huma.Response{"200": {Description: "The file's contents.",
		Content: map[string]*huma.MediaType{"application/octet-stream": {}}}}
	huma.Register(a, op, func(ctx context.Context, in *in) (*huma.StreamResponse, error) {
		k, err := s.svc.Drivers.Package(ctx, principalOf(ctx), in.Digest)
		if err != nil {
			return nil, s.fail(ctx, err)
		}
		size := int64(-1)
		for _, f := range k.Files {
			if f.Path == in.Path {
				size = f.Bytes
			}
		}
		if size < 0 {
			return nil, s.fail(ctx, s.svc.Drivers.PackageFile(ctx, principalOf(ctx), k.Digest, in.Path, nil))
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			c.SetHeader("Content-Type", "application/octet-stream")
			c.SetHeader("Content-Length", fmt.Sprint(size))
			c.SetHeader("Content-Disposition", `attachment; filename="`+strings.Map(plainName, path.Base(in.Path))+`"`)
			if err := s.svc.Drivers.PackageFile(c.Context(), principalOf(ctx), k.Digest, in.Path, c.BodyWriter()); err != nil {
				s.log.Warn("a package's file broke off", "package", k.Digest, "path", in.Path, "error", err)
			}
		}}, nil
	})
}

func plainName(r rune) rune {
	if r < ' ' || r > '~' || strings.ContainsRune(`"\%`, r) {
		return '_'
	}
	return r
}
