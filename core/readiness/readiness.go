// Package readiness says what stands in the way of a service that is to answer truthfully and to keep changes: it turns
// what was seen of the database, the disk and the notices into conditions, each with its cause and what to do about it.
package readiness

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/words"
)

// How old what a service knows may be: so old it says so with each answer; so old it is a condition; so old it does not
// work alone for all; so old it refuses all that must not rest on it.
const (
	SaidAfter    = 5 * time.Second
	DeafAfter    = 10 * time.Second
	UnfitAfter   = 12 * time.Second
	RefusedAfter = 30 * time.Second
)

// leaderlessAfter is how long nobody may have the lease of a worker: as long as one whose holder has died, and is being
// replaced.
const leaderlessAfter = 20 * time.Second

// unlookedAfter is how long a look at the database may have been under way.
const unlookedAfter = 10 * time.Second

// leastDisk is how much room the service's own disk has to have.
const leastDisk = 16 << 20

// The codes of conditions.
const (
	Away     = "database-away"
	ReadOnly = "database-read-only"
	Full     = "database-full"
	Behind   = "database-behind"
	Slow     = "database-slow"
	Schema   = "schema-other"
	Disk     = "disk-full"
	Leader   = "no-leader"
	Deaf     = "deaf"
)

// Codes are all of them.
func Codes() []string {
	return []string{Away, ReadOnly, Full, Behind, Slow, Schema, Disk, Leader, Deaf}
}

// A Condition is one thing that is not as it should be.
type Condition struct {
	Code  string    `json:"code" enum:"database-away,database-read-only,database-full,database-behind,database-slow,schema-other,disk-full,no-leader,deaf"`
	Since time.Time `json:"since" doc:"When it was first seen."`
	Says  string    `json:"says" doc:"The cause."`
	Fix   string    `json:"fix"`
	// Writing says that changes are not kept meanwhile.
	Writing bool `json:"writing" doc:"Changes cannot be kept while it lasts."`
}

// A Report is how a service does at a moment.
type Report struct {
	Ready      bool        `json:"ready" doc:"Lineups are answered, and say how old they are."`
	Writing    bool        `json:"writing" doc:"Changes are kept."`
	AsOf       time.Time   `json:"as_of" doc:"What is answered was so at this moment."`
	AgeSeconds int         `json:"age_seconds"`
	Conditions []Condition `json:"conditions"`
}

// Database is what a look at the database showed.
type Database struct {
	Standby  bool          // it stands by for another
	Lag      time.Duration // by how much it is behind that
	ReadOnly bool
	Write    *fault.Error // what came of keeping something; nil where it was kept
	Full     *fault.Error // what came of taking room on its disk; nil where there was some
	Waits    bool         // changes wait for a standby that does not acknowledge them

	Schema, Knows int64    // the version that it has, and the one that this service knows
	Leaderless    []string // workers of which nobody has the lease
}

// Facts are all that was seen.
type Facts struct {
	Now    time.Time
	AsOf   time.Time // what is in memory was so then
	Looked time.Time // when the database was last looked at
	Failed *fault.Error
	Seen   Database // where the look did not fail

	LeaderlessSince time.Time // zero where every worker has somebody
	DiskOf          string    // where the service keeps its files; "" where it is not known
	DiskFree        int64
	DiskFailed      string // why nothing could be written there, "" where it could
}

// Age gives how old what is answered is.
func (f Facts) Age() time.Duration { return max(f.Now.Sub(f.AsOf), 0) }

// Of draws the conditions, without Since.
func Of(f Facts) []Condition {
	out := []Condition{}
	add := func(code string, writing bool, fix, says string, args ...any) {
		out = append(out, Condition{Code: code, Says: fmt.Sprintf(says, args...), Fix: fix, Writing: writing})
	}
	switch looked := f.Now.Sub(f.Looked); {
	case looked > unlookedAfter:
		add(Away, true, "look at the database, and whether this process gets to run",
			"the database has not answered for %s", words.Span(looked.Round(time.Second)))
	case f.Failed != nil && f.Failed.Code == Slow:
		add(Slow, true, f.Failed.Fix, "%s", f.Failed.What)
	case f.Failed != nil:
		add(Away, true, f.Failed.Fix, "%s", f.Failed.What)
	default:
		f.database(add)
		if f.Age() > DeafAfter {
			add(Deaf, f.Age() > RefusedAfter, "nothing, if it passes within seconds; else look what stands between this "+
				"service and the database, and start the service anew", "notices of changes do not come")
		}
	}
	f.disk(add)
	return out
}

func (f Facts) database(add func(code string, writing bool, fix, says string, args ...any)) {
	d := f.Seen
	switch {
	case d.Standby:
		add(Behind, true, "point --database at the one that takes changes, or promote this one (pg_ctl promote)",
			"the database stands by for another and takes no changes; it is %s behind", words.Span(d.Lag.Round(time.Second)))
	case d.ReadOnly || d.Write != nil && d.Write.Code == ReadOnly:
		add(ReadOnly, true, "make room on its disk; else let it (ALTER DATABASE ... RESET default_transaction_read_only)",
			"the database takes no changes: it was made read-only, as Cirque's own is when it starts on a full disk")
	case d.Write != nil && d.Write.Code == Full:
		add(Full, true, d.Write.Fix, "%s", d.Write.What)
	case d.Write != nil && d.Waits:
		add(Slow, true, "bring the standby back, or take it out of synchronous_standby_names",
			"changes are not acknowledged: they wait for a standby that does not answer")
	case d.Write != nil:
		add(Slow, true, d.Write.Fix, "nothing can be kept: %s", d.Write.What)
	case d.Full != nil:
		add(Full, true, d.Full.Fix, "%s", d.Full.What)
	}
	switch {
	case d.Schema < d.Knows:
		add(Schema, true, "start this service anew, which brings it up to date", "the database is at schema %d, and this "+
			"service knows %d", d.Schema, d.Knows)
	case d.Schema > d.Knows:
		add(Schema, false, "start the newer version here too", "the database is at schema %d, and this service knows %d",
			d.Schema, d.Knows)
	}
	if len(d.Leaderless) > 0 && !f.LeaderlessSince.IsZero() && f.Now.Sub(f.LeaderlessSince) > leaderlessAfter {
		add(Leader, false, "see the logs of all processes of the service; start one anew", "nobody does the work of %s: "+
			"nothing is probed, read or told meanwhile", strings.Join(d.Leaderless, ", "))
	}
}

func (f Facts) disk(add func(code string, writing bool, fix, says string, args ...any)) {
	switch {
	case f.DiskOf == "":
	case f.DiskFailed != "":
		add(Disk, false, "make room, or let the service's account write there", "nothing can be written in %s: %s", f.DiskOf,
			f.DiskFailed)
	case f.DiskFree < leastDisk:
		add(Disk, false, "make room on it", "the disk of %s has %d MiB left", f.DiskOf, f.DiskFree>>20)
	}
}

// Keep takes over from the conditions of a moment ago since when they have been so.
func Keep(before, now []Condition, at time.Time) []Condition {
	for i, c := range now {
		now[i].Since = at
		if j := slices.IndexFunc(before, func(b Condition) bool { return b.Code == c.Code }); j >= 0 {
			now[i].Since = before[j].Since
		}
	}
	return now
}

// Sentence is the report in a sentence; "" where all is well.
func (r Report) Sentence() string {
	var out []string
	if r.AgeSeconds > int(SaidAfter/time.Second) {
		out = append(out, "what is answered was so at "+r.AsOf.UTC().Format(time.TimeOnly+"Z"))
	}
	for _, c := range r.Conditions {
		out = append(out, c.Says)
	}
	return strings.Join(out, "; ")
}

// Sum makes the report.
func Sum(f Facts, conditions []Condition) Report {
	r := Report{Ready: true, Writing: true, AsOf: f.AsOf.UTC(), AgeSeconds: int(f.Age() / time.Second),
		Conditions: conditions}
	for _, c := range conditions {
		r.Writing = r.Writing && !c.Writing
	}
	return r
}
