package lineups_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/service/lineups"
	"cirque/internal/service/present"
	"cirque/internal/testkit/rooms"
)

const hall = `
estate: 1
queues: [{name: hall, paths: [{gateway: true}]}, {name: pier, paths: [{gateway: true}]}]
grants: [{name: g, effect: place, queues: [hall], to: [everyone]}]
`

// store is a world in which no endpoint has reported.
type store struct{ *rooms.World }

func (store) Endpoints(context.Context) ([]endpoint.Record, error) { return nil, nil }

// certificates say of each serial number whether it lets in.
type certificates map[string]bool

func (c certificates) CertificateGood(serial string) bool { return c[serial] }

func room(t *testing.T, good certificates) (*lineups.Room, *rooms.World) {
	t.Helper()
	w := rooms.New(t, hall, directory.Records{Machines: []directory.Machine{{Name: "desk-1"}}})
	return lineups.New(lineups.Config{Store: store{w}, Present: w.Present, Now: w.Now, Certificates: good,
		Seats: rooms.Seats(nil)}), w
}

var machine = "desk-1"

// TestWait: whoever knows the answer waits until another follows from what is published, or is called.
func TestWait(t *testing.T) {
	t.Parallel()
	good := certificates{"1": true}
	r, w := room(t, good)
	agent := &access.Principal{Name: "a", Role: access.Agent, Machine: machine, Serial: "1"}
	ask := []lineup.Query{{Machine: &machine, User: new(string)}}
	*ask[0].User = "mira"
	first, same, err := r.WaitLineups(t.Context(), agent, ask, "", time.Minute, nil)
	if err != nil || same || !strings.Contains(string(first.JSON), `"hall"`) {
		t.Fatalf("%s %v %v", first.JSON, same, err)
	}
	type answer struct {
		lineups.Answer
		same bool
		err  error
	}
	waiting := make(chan answer)
	wait := func(known string) {
		go func() {
			a, same, err := r.WaitLineups(t.Context(), agent, ask, known, time.Minute, nil)
			waiting <- answer{a, same, err}
		}()
	}
	wait(first.Tag)
	w.Publish(t, strings.Replace(hall, "queues: [hall]", "queues: [pier]", 1))
	if err := w.Present.Refresh(t.Context(), event.Signal{What: event.Estate}); err != nil {
		t.Fatal(err)
	}
	a := <-waiting
	if a.err != nil || a.same || a.Tag == first.Tag || !strings.Contains(string(a.JSON), `"pier"`) {
		t.Fatalf("%s %+v", a.JSON, a.err)
	}
	// Nothing new, and it is called; then its certificate is taken back.
	wait(a.Tag)
	w.Present.Agents.Wake(machine)
	if b := <-waiting; b.err != nil || b.Tag != a.Tag {
		t.Errorf("%+v", b)
	}
	good["1"] = false
	wait(a.Tag)
	if b := <-waiting; !fault.Is(b.err, fault.Unsigned) {
		t.Errorf("a revoked certificate: %+v", b.err)
	}
	short, same, err := r.WaitLineups(t.Context(), rooms.Who(access.Administrator), ask, a.Tag, time.Millisecond, nil)
	if err != nil || !same || short.Tag != a.Tag {
		t.Error("the wait ends without an answer:", same, err)
	}
}

// woken is a process that learns, while it answers for the first time, what has happened.
type woken struct {
	t     *testing.T
	w     *rooms.World
	knows bool
}

func (k *woken) Check(context.Context, *access.Principal, ...lineup.Query) error {
	if k.knows {
		return nil
	}
	k.knows = true
	k.w.Publish(k.t, strings.Replace(hall, "queues: [hall]", "queues: [pier]", 1))
	if err := k.w.Present.Refresh(k.t.Context(), event.Signal{What: event.Estate}); err != nil {
		return err
	}
	k.w.Known <- time.Now()
	<-k.w.Known
	return nil
}

// followed lets everybody in, and has everything become known as of now when it is looked again.
type followed struct {
	w     *rooms.World
	again bool
	asked int
}

func (f *followed) CertificateGood(string) bool {
	if f.again {
		if f.asked++; f.asked == 2 {
			f.w.Known <- time.Now()
			<-f.w.Known
		}
	}
	return true
}

// TestAsOf: an answer is as old as what it was made from, also where the process has learned more before it is sent;
// one that was waited for is of the end.
func TestAsOf(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, hall, directory.Records{Machines: []directory.Machine{{Name: "desk-1"}}})
	certified := &followed{w: w}
	r := lineups.New(lineups.Config{Store: store{w}, Present: w.Present, Now: w.Now, Seats: &woken{t: t, w: w},
		Certificates: certified})
	go func() { _ = w.Present.Listen(t.Context()) }()
	w.Known <- time.Now().Add(-20 * time.Second)
	<-w.Known
	ask := []lineup.Query{{Machine: &machine, User: &machine}}
	for _, c := range []struct {
		queue  string
		is, to time.Duration
	}{{"hall", 20 * time.Second, time.Hour}, {"pier", 0, 20 * time.Second}} {
		a, err := r.Lineups(t.Context(), rooms.Who(access.Administrator), ask, present.When{}, nil)
		if age := w.Present.AgeOf(a.AsOf); err != nil || !strings.Contains(string(a.JSON), c.queue) || age < c.is ||
			age > c.to {
			t.Errorf("%s is %v old, %v", a.JSON, age, err)
		}
	}
	agent := &access.Principal{Name: "a", Role: access.Agent, Machine: machine, Serial: "1"}
	a, _, err := r.WaitLineups(t.Context(), agent, ask, "", 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	begun := time.Now()
	certified.again = true
	a, same, err := r.WaitLineups(t.Context(), agent, ask, a.Tag, time.Millisecond, nil)
	if err != nil || !same || !a.AsOf.After(begun) {
		t.Errorf("%v after it was asked: %v %v", a.AsOf.Sub(begun), same, err)
	}
}

func TestAsk(t *testing.T) {
	t.Parallel()
	r, _ := room(t, nil)
	bad := "nowhere"
	_, err := r.Lineups(t.Context(), rooms.Who(access.Administrator), []lineup.Query{{User: &machine}, {User: &machine,
		Location: &bad}}, present.When{}, nil)
	if f := fault.As(err); f == nil || len(f.Details) != 1 || f.Details[0].Place != "[1]" {
		t.Errorf("which of them is wrong: %+v", f)
	}
	if _, err := r.Lineups(t.Context(), rooms.Who(access.Administrator), make([]lineup.Query, lineups.MaxContexts+1),
		present.When{}, nil); !fault.Is(err, fault.TooLarge) {
		t.Error(err)
	}
}
