package large

import (
	"math/rand/v2"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/name"
)

// Fleet is Full with as many machines as people, and 20,000 queues: an endpoint for everybody.
var Fleet = Size{Sites: 200, Users: 500, Machines: 500, Queues: 100, Grants: 100, Subnets: 20, Teams: 20}

// SmallFleet is a hundredth of Fleet.
var SmallFleet = Size{Sites: 2, Users: 500, Machines: 500, Queues: 100, Grants: 100, Subnets: 20, Teams: 20}

// A Reported is what one endpoint told, and how long ago.
type Reported struct {
	Report endpoint.Report
	Age    time.Duration
}

// Reports gives f what each machine's agent told last: it asks for the machine and for whoever was last seen there, and
// has what they receive; of a hundred about five lack a queue or have another address for one, two have a step that
// failed, and three have said nothing for a day. The same seed always gives the same.
func (o *Organisation) Reports(seed uint64, f func(Reported) error) error {
	w := lineup.Bind(lineup.Compile(o.Estate.Sorted(), 1, lineup.Options{}), directory.New(o.Directory), live.State{})
	at := map[string][]lineup.Context{}
	for _, c := range o.Contexts {
		at[name.Fold(c.Machine)] = append(at[name.Fold(c.Machine)], c)
	}
	r := rand.New(rand.NewPCG(seed, 2))
	for _, m := range o.Directory.Machines {
		here := at[name.Fold(m.Name)]
		var contexts []lineup.Context
		own := lineup.Context{Machine: m.Name, Session: "desktop", Platform: m.Platform, Time: Time}
		if len(here) > 0 {
			own.Addresses = here[0].Addresses
		}
		contexts = append(append(contexts, own), here...)
		rep := endpoint.Report{Machine: m.Name, Version: "0.1.0", Platform: m.Platform, Spooler: "spooler", Revision: 1,
			Failures: []endpoint.Failure{}, Installed: []endpoint.Installed{}}
		var lineups []lineup.Lineup
		for _, c := range contexts {
			q := c.Query()
			q.Time = nil
			rep.Contexts = append(rep.Contexts, q)
			if c.User != "" {
				rep.Logins = append(rep.Logins, endpoint.Login{System: c.User, User: c.User, How: "system"})
			}
			l, err := w.Resolve(c, nil)
			if err != nil {
				return err
			}
			lineups = append(lineups, *l)
		}
		for _, want := range endpoint.PlanFor(lineups).Wants {
			rep.Installed = append(rep.Installed, endpoint.Installed{Want: want, Own: true})
		}
		told := Reported{Report: rep, Age: time.Duration(r.IntN(240)) * time.Second}
		odd(r, &told)
		if err := f(told); err != nil {
			return err
		}
	}
	return nil
}

// odd makes some endpoints other than they should be.
func odd(r *rand.Rand, t *Reported) {
	n, installed := r.IntN(100), t.Report.Installed
	switch {
	case n < 3:
		t.Age = 24 * time.Hour
	case len(installed) == 0:
	case n < 5:
		i := installed[len(installed)-1]
		t.Report.Installed = installed[:len(installed)-1]
		t.Report.Failures = []endpoint.Failure{{Queue: i.Queue, User: i.User, Step: "add", Says: "access denied",
			Since: Time}}
	case n < 8:
		t.Report.Installed = installed[1:]
	case n < 10:
		installed[0].URI = strings.Replace(installed[0].URI, "-1.", "-2.", 1) + "/old"
	}
}
