package service_test

import (
	"context"
	"reflect"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/update"
	"cirque/internal/service"
	"cirque/internal/service/enrolment"
	"cirque/internal/service/updates"
	"cirque/internal/testkit/rooms"
)

// noUpdates is a store of updates that is only read when the service is built.
type noUpdates struct{ updates.Store }

func (noUpdates) LastUpdate(context.Context) (*update.Order, error) { return nil, nil }

func (noUpdates) AgentPackages(context.Context) ([]update.AgentPackage, error) { return nil, nil }

// TestPermissionFirst: each use case of each room refuses who has not signed in, and does so before it touches a store:
// here no room has one, so whoever asked it would be found out.
func TestPermissionFirst(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, "estate: 1\nqueues: [{name: hall, paths: [{gateway: true}]}]", directory.Records{})
	var none enrolments
	svc, err := service.New(t.Context(), service.Stores{Decided: w, Seen: w, Signals: w, Enrolment: none,
		Updates: noUpdates{}},
		service.Config{Now: w.Now, Zone: func(string) *time.Location { return time.UTC }})
	if err != nil {
		t.Fatal(err)
	}
	principal := reflect.TypeFor[*access.Principal]()
	all := reflect.ValueOf(svc).Elem()
	asked := 0
	for i := range all.NumField() {
		room := all.Type().Field(i).Name
		v := all.Field(i)
		if room == "Present" || room == "Runner" {
			continue
		}
		if n := v.NumMethod(); n > 40 {
			t.Errorf("%s has %d methods", room, n)
		}
		for m := range v.NumMethod() {
			name := room + "." + v.Type().Method(m).Name
			f := v.Method(m)
			var args []reflect.Value
			takes := false
			for k := range f.Type().NumIn() {
				in := f.Type().In(k)
				switch {
				case f.Type().IsVariadic() && k == f.Type().NumIn()-1:
				case in == principal:
					takes = true
					args = append(args, reflect.Zero(in))
				case in == reflect.TypeFor[context.Context]():
					args = append(args, reflect.ValueOf(t.Context()))
				case in.Kind() == reflect.String:
					args = append(args, reflect.ValueOf("hall").Convert(in))
				default:
					args = append(args, reflect.Zero(in))
				}
			}
			if !takes || strings.HasSuffix(name, ".Own") || strings.HasSuffix(name, ".World") {
				continue
			}
			asked++
			func() {
				defer func() {
					if r := recover(); r != nil {
						t.Errorf("%s goes on without asking who it is: %v", name, r)
					}
				}()
				out := f.Call(args)
				last := out[len(out)-1]
				if last.Kind() == reflect.Bool && !last.Bool() {
					return // nothing was given
				}
				err, isErr := last.Interface().(error)
				if !isErr || !fault.Is(err, fault.Unsigned) && !fault.Is(err, fault.Denied) {
					t.Errorf("%s answers nobody: %v", name, last)
				}
			}()
		}
	}
	if asked < 150 {
		t.Errorf("only %d use cases were found", asked)
	}
}

// enrolments has no certificates.
type enrolments struct{ enrolment.Store }

func (enrolments) GoodCertificates(context.Context, string) ([]access.Enrolled, error) {
	return nil, nil
}
