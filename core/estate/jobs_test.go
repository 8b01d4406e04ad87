package estate

import (
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
)

const withJobs = `estate: 1
locations: [{path: north}, {path: north/hall}]
devices: [{name: p, uri: 'ipp://192.0.2.1/ipp/print', location: north/hall}]
queues:
  - {name: q, labels: [mono], devices: [p], paths: [{gateway: true}], jobs: {take: hold,
     release_at: [p, "within:north"], expires: 48h, copies_for: 90m, outside_hours: wait, sign_in: always, charge: required}}
  - {name: plain, devices: [p], paths: [{gateway: true}]}
charges: [{name: voyage-114, title: Voyage 114, to: ["group:drawing-office"]}]
allowances: [{name: temps, formerly: [temps-colour], to: ["unit:staff/temps"], queues: ["label:mono", q], pages: 200, every: month, over: refuse}]
settings: {jobs: {keep_records: 30d, job_names: help-desk, max_bytes: 1048576, move_after: 10m}}
`

// TestJobsRead: what is said of jobs is read, and written back as it was; what is not said has the defaults.
func TestJobsRead(t *testing.T) {
	t.Parallel()
	d, err := parse(withJobs)
	if err != nil {
		t.Fatal(Details(err))
	}
	want := QueueJobs{Take: TakeHold, ReleaseAt: []string{"p", "within:north"}, Expires: Term(48 * time.Hour),
		CopiesFor: Term(90 * time.Minute), OutsideHours: "wait", SignIn: SignInAlways, Charge: RequiredCharge}
	if got := d.Queues[0].JobsOf(); !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if got := d.Queues[1].JobsOf(); !reflect.DeepEqual(got, QueueJobs{Take: TakeStream, OutsideHours: "refuse",
		SignIn: "30d", Charge: NoCharge, Expires: Term(24 * time.Hour)}) {
		t.Errorf("%+v", got)
	}
	if got := d.JobSetting(); got.MaxBytes != 1<<20 || got.JobNames != NamesHelpDesk || got.KeepRecords.D() != 30*24*time.Hour ||
		got.MoveAfter.D() != 10*time.Minute {
		t.Errorf("%+v", got)
	}
	if got := new(Document).JobSetting(); got.MaxBytes != 2147483648 || got.KeepRecords.D() != 90*24*time.Hour ||
		got.JobNames != NamesOwner || got.MoveAfter != 0 {
		t.Errorf("%+v", got)
	}
	text, err := d.YAML()
	if err != nil {
		t.Fatal(err)
	}
	if again, err := parse(string(text)); err != nil || !reflect.DeepEqual(again.Sorted(), d.Sorted()) {
		t.Errorf("%v\n%s", err, text)
	}
	for r, want := range map[Ref][]Ref{{"devices", "p"}: {{"queues", "q"}, {"queues", "plain"}},
		{"locations", "north"}: {{"devices", "p"}, {"queues", "q"}}, {"queues", "q"}: {{"allowances", "temps"}}} {
		if got := Dependents(d, r); !slices.Equal(got, want) {
			t.Errorf("%s: %v", r, got)
		}
	}
	if !d.NamesUnit("staff/temps") || !d.Names()["group:drawing-office"] {
		t.Error("what allowances and charges name is not known")
	}
	out, n := d.Renamed(string(Group), "drawing-office", "draughtsmen")
	if n != 1 || out.Charges[0].To[0] != "group:draughtsmen" {
		t.Errorf("%d %+v", n, out.Charges)
	}
}

// TestJobsRefused has one mistake a row.
func TestJobsRefused(t *testing.T) {
	t.Parallel()
	for change, want := range map[[2]string]string{
		{"take: hold", "take: store"}:         `"store" is no value for take`,
		{"take: hold", "take: stream"}:        "release_at says nothing where jobs are taken as stream",
		{"take: hold", "take: keep"}:          "expires says nothing where jobs are taken as keep",
		{"48h", "31d"}:                        "31d is out of bounds",
		{"48h", "59m"}:                        "59m is out of bounds",
		{"48h", "0"}:                          "0 is out of bounds",
		{"90m", "5400s"}:                      "no length of time",
		{"90m", "1h30m"}:                      "no length of time",
		{"90m", "090m"}:                       "no length of time",
		{"90m", "8d"}:                         "8d is out of bounds",
		{"sign_in: always", "sign_in: never"}: "no length of time",
		{"sign_in: always", "sign_in: 366d"}:  "out of bounds",
		{"charge: required", "charge: must"}:  "is no value for charge",
		{`[p, "within:north"]`, `[r]`}:        `names the device "r"`,
		{"within:north", "within:south"}:      `names the location "south"`,
		{"paths: [{gateway: true}], jobs", "paths: [{device: p}], jobs"}: "has no path through it",
		{"group:drawing-office", "machine:m"}:                            `"machine:m" does not belong under to`,
		{"every: month", "every: year"}:                                  `"year" is no value for every`,
		{"over: refuse", "over: ask"}:                                    `"ask" is no value for over`,
		{"pages: 200", "pages: -1"}:                                      "whole number",
		{", q]", ", r]"}:                                                 `names the queue "r"`,
		{"formerly: [temps-colour]", "formerly: [temps]"}:                "is the name of another allowance",
		{"job_names: help-desk", "job_names: nobody"}:                    "is no value for job_names",
		{"move_after: 10m", "move_after: 25h"}:                           "out of bounds",
		{"keep_records: 30d", "keep_records: 23h"}:                       "out of bounds",
		{"max_bytes: 1048576", "max_bytes: 1"}:                           "whole number",
	} {
		text := strings.Replace(withJobs, change[0], change[1], 1)
		if text == withJobs {
			t.Fatalf("%q is not there", change[0])
		}
		_, err := parse(text)
		if err == nil || !strings.Contains(Details(err), want) {
			t.Errorf("%q: %s, want %s", change[1], Details(err), want)
		}
	}
}

// Details writes what is wrong, place by place.
func Details(err error) string {
	if err == nil {
		return "nothing"
	}
	var b strings.Builder
	for _, d := range fault.As(err).Details {
		b.WriteString(d.Place + ": " + d.What + "; " + d.Fix + "\n")
	}
	return b.String()
}
