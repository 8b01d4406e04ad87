package test

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/readiness"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// ready asks how a service does; forWhat is lineups or writing.
func (s *aService) ready(forWhat string) (status int, r api.Readiness) {
	s.t.Helper()
	req, err := http.NewRequestWithContext(s.t.Context(), http.MethodGet, s.URL+"/readyz?for="+url.QueryEscape(forWhat),
		nil)
	if err != nil {
		s.t.Fatal(err)
	}
	req.Host, req.Header = "balancer.example", http.Header{"Authorization": {"Bearer nobody's"}}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		s.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	if err := json.NewDecoder(resp.Body).Decode(&r); err != nil {
		s.t.Fatal(err)
	}
	return resp.StatusCode, r
}

// has says whether a condition is reported.
func has(r api.Readiness, code string) bool {
	for _, c := range r.Conditions {
		if c.Code == code && c.Says != "" && c.Fix != "" && !c.Since.IsZero() {
			return true
		}
	}
	return false
}

// condition waits until a condition is reported, also by the metrics, and gives the report.
func (s *aService) condition(code string) (r api.Readiness) {
	s.t.Helper()
	within(s.t, "the condition "+code, func() bool {
		status, now := s.ready("lineups")
		r = now
		return status == http.StatusOK && has(r, code)
	})
	if text := s.measured(); !strings.Contains(text, `cirque_condition{condition="`+code+`"} 1`) {
		s.t.Errorf("the metrics do not tell of %s", code)
	}
	return r
}

func (s *aService) measured() string {
	s.t.Helper()
	resp, err := s.c.Raw(s.t.Context(), http.MethodGet, "/metrics", nil, nil, nil)
	if err != nil {
		s.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return string(b)
}

// age asks for a lineup and gives its Age header, 0 without one.
func (s *aService) age(token string) (seconds int, err error) {
	s.t.Helper()
	resp, err := s.client(token).Raw(s.t.Context(), http.MethodPost, "/api/v1/lineups", nil, nil,
		map[string]string{"user": "mira"})
	if err != nil {
		return 0, err
	}
	defer func() { _ = resp.Body.Close() }()
	seconds, _ = strconv.Atoi(resp.Header.Get("Age"))
	return seconds, nil
}

// beside starts another service on the same database, behind a wire.
func (s *aService) beside(t *testing.T) (*aService, *testkit.Wire) {
	t.Helper()
	through, wire := testkit.NewWire(t, s.database)
	return s.startOn(t, through), wire
}

// startOn starts another service that has the same accounts and tokens.
func (s *aService) startOn(t *testing.T, database string) *aService {
	t.Helper()
	r, err := app.Start(t.Context(), app.Options{Data: withKeys(t, t.TempDir()), Database: database, Listen: "127.0.0.1:0",
		PlainHTTP: true,
		Throwaway: true, AllowOutgoing: loopback})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = r.Stop() }) // what is swallowed ends late
	out := &aService{Running: r, t: t, data: t.TempDir(), database: s.database, token: s.token}
	out.c = out.client(s.token)
	return out
}

// TestSilentLoss: the connections between a service and its database go silent, and new ones work. Within seconds it
// has heard of what happened elsewhere: a revoked token is refused, a new one works, a drain holds.
func TestSilentLoss(t *testing.T) {
	t.Parallel()
	there := startService(t)
	there.importDirectory(twoPeople)
	there.publish(oneQueue)
	here, wire := there.beside(t)
	token := there.tokenFor("auditor", access.Auditor, "")
	within(t, "the token is known", func() bool { return here.Service.Identity.ByToken(token) != nil })

	wire.Swallow()
	begun := time.Now()
	if err := there.Service.Identity.RevokeToken(t.Context(), owner, "auditor"); err != nil {
		t.Fatal(err)
	}
	fresh := there.tokenFor("fresh", access.Auditor, "")
	there.publish(twoQueues)
	within(t, "it has caught up", func() bool {
		return here.Service.Identity.ByToken(token) == nil && here.Service.Identity.ByToken(fresh) != nil &&
			here.Service.Present.View().Revision.Number == 2
	})
	if took := time.Since(begun); took > 15*time.Second {
		t.Errorf("it took %v", took)
	}
	if status, r := here.ready("writing"); status != http.StatusOK || !r.Ready {
		t.Errorf("afterwards: %d %+v", status, r)
	}
}

// TestDeaf: nothing comes through to the database any more, and nothing says so. The service says how old its answers
// are; after half a minute it gives people their own lineups and nothing else; afterwards all is as before.
func TestDeaf(t *testing.T) {
	t.Parallel()
	there := startService(t)
	there.importDirectory(twoPeople)
	there.publish(oneQueue)
	here, wire := there.beside(t)
	here.token = here.tokenFor("admin", access.Administrator, "")
	here.c = here.client(here.token)
	person, err := here.Service.Identity.AddAccount(t.Context(), owner, "mira", "a long enough password",
		access.Holding{Role: access.Person})
	if err != nil {
		t.Fatal(err)
	}
	_, own, err := here.Service.Identity.MakeOwnToken(t.Context(), &access.Principal{Name: person.Name, Account: "mira",
		User: "mira",
		Role: access.Person}, "own", nil)
	if err != nil {
		t.Fatal(err)
	}
	if age, err := here.age(own); err != nil || age != 0 {
		t.Fatalf("while it hears: %d s, %v", age, err)
	}

	wire.SwallowAll()
	begun := time.Now()
	within(t, "lineups say how old they are", func() bool { age, err := here.age(own); return err == nil && age > 0 })
	if took := time.Since(begun); took > 15*time.Second {
		t.Errorf("a lineup was given for %v without saying so", took)
	}
	within(t, "readiness says so", func() bool {
		status, r := here.ready("lineups")
		return status == http.StatusOK && r.AgeSeconds > 0 && !r.Writing && (has(r, readiness.Away) || has(r, readiness.Slow))
	})
	if status, r := here.ready("writing"); status != http.StatusServiceUnavailable || r.Status != "not-ready" {
		t.Errorf("for writing: %d %+v", status, r)
	}
	within(t, "everything but own lineups is refused", func() bool {
		_, err := apiclient.Get[json.RawMessage](t.Context(), here.c, "/api/v1/estate", nil)
		return fault.As(err) != nil && fault.As(err).Code == "not-current"
	})
	if took := time.Since(begun); took > 35*time.Second {
		t.Errorf("what may be stale was given for %v", took)
	}
	if _, err := here.age(here.token); fault.As(err) == nil || fault.As(err).Code != "not-current" {
		t.Errorf("somebody else's lineup: %v", err)
	}
	age, err := here.age(own)
	if err != nil || age < 25 {
		t.Errorf("one's own: %d s, %v", age, err)
	}
	if text := here.measured(); !strings.Contains(text, "cirque_database_up 0") || strings.Contains(text,
		"cirque_known_age_seconds 0") {
		t.Error("the metrics do not say so")
	}
	code, out, errs := here.run("ready", "--writing")
	if code != 8 || !strings.Contains(out, "Changes are not kept") {
		t.Errorf("%d %s %s", code, out, errs)
	}

	wire.Heal()
	within(t, "all is as before", func() bool {
		age, err := here.age(here.token)
		status, _ := here.ready("writing")
		return err == nil && age == 0 && status == http.StatusOK
	})
	here.publish(twoQueues)
}

// TestReadOnlyDatabase: a database that takes no changes is said to, serves lineups, and lets a service start.
func TestReadOnlyDatabase(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	name := testkit.One[string](t, s.database, "SELECT current_database()")
	testkit.Exec(t, s.database, "ALTER DATABASE "+name+" SET default_transaction_read_only = on")
	here := s.startOn(t, s.database)
	if r := here.condition(readiness.ReadOnly); r.Writing || r.AgeSeconds > 5 {
		t.Errorf("%+v", r)
	}
	if l, _ := ask(t, here.c, `{"user":"mira"}`); len(l.Entries) != 1 {
		t.Errorf("%+v", l)
	}
	code, _, errs := here.run("token", "create", "--name", "n", "--role", "auditor")
	if code != 7 || !strings.Contains(errs, "takes no changes") {
		t.Errorf("%d %s", code, errs)
	}
	testkit.Exec(t, s.database, "BEGIN READ WRITE; ALTER DATABASE "+name+" RESET default_transaction_read_only; COMMIT")
	testkit.Exec(t, s.database, "SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity WHERE pid <> "+
		"pg_backend_pid() "+
		"AND datname = current_database()")
	within(t, "changes are kept again", func() bool { status, _ := here.ready("writing"); return status == http.StatusOK })
}

// TestOtherSchema: a database of another version is told of.
func TestOtherSchema(t *testing.T) {
	t.Parallel()
	s := startService(t)
	testkit.Exec(t, s.database, "UPDATE goose_db_version SET version_id = 999 WHERE version_id = (SELECT "+
		"max(version_id) FROM goose_db_version)")
	if r := s.condition(readiness.Schema); !r.Writing {
		t.Errorf("%+v", r)
	}
}

// TestHolderTerminated: whoever ends the connections of a process that works alone leaves one of two working alone, and
// never both.
func TestHolderTerminated(t *testing.T) {
	t.Parallel()
	s := startService(t)
	other := s.startOn(t, s.database)
	leads := func() (n int) {
		for _, r := range []*aService{s, other} {
			for _, w := range r.Service.Runner.States() {
				if w.Name == "health" && w.Running {
					n++
				}
			}
		}
		return n
	}
	within(t, "one leads", func() bool { return leads() == 1 })
	for range 5 {
		testkit.Exec(t, s.database, "SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity WHERE pid <> "+
			"pg_backend_pid() "+
			"AND datname = current_database()")
		within(t, "one leads again", func() bool {
			if n := leads(); n > 1 {
				t.Errorf("%d lead", n)
				return true
			} else if n == 0 {
				return false
			}
			status, _ := s.ready("writing")
			also, _ := other.ready("writing")
			return status == http.StatusOK && also == http.StatusOK
		})
	}
}

// TestSlowDatabase: a database that is far away makes things slow, and nothing wrong: the service hears of changes, and
// counts as ready.
func TestSlowDatabase(t *testing.T) {
	t.Parallel()
	there := startService(t)
	there.importDirectory(twoPeople)
	there.publish(oneQueue)
	here, wire := there.beside(t)
	wire.Slow(250 * time.Millisecond)
	for i := range 3 {
		there.publish([]string{twoQueues, oneQueue}[i%2])
		within(t, "it has heard", func() bool { return here.Service.Present.View().Revision.Number == i+2 })
	}
	// Through several beats and comparisons.
	for beat := range 4 {
		was := here.Service.Present.AsOf()
		within(t, "another beat", func() bool { return here.Service.Present.AsOf().After(was) })
		if status, r := here.ready("writing"); status != http.StatusOK || r.AgeSeconds > 5 {
			t.Errorf("after %d beats: %d %+v", beat, status, r)
		}
	}
	here.publish(twoQueues)
}
