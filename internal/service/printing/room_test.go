package printing

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/live"
	"cirque/core/page"
	"cirque/core/stock"
	"cirque/internal/pages"
	"cirque/internal/spool"
	"cirque/internal/testkit/rooms"
)

// memory is a store of jobs, and of what they have reserved.
type memory struct {
	mu       sync.Mutex
	now      func() time.Time
	next     int64
	jobs     map[int64]*job.Job
	past     map[int64][]job.Past
	docs     map[int64]job.Stored
	used     map[string]int
	reserved map[int64]map[string]int
	lease    map[int64]time.Time
	fails    error
}

func (m *memory) JobNumbers(context.Context) (int64, int, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.next += 2
	return m.next - 1, 2, m.fails
}

func (m *memory) Job(_ context.Context, id int64) (job.Job, []job.Past, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	j := m.jobs[id]
	if j == nil {
		return job.Job{}, nil, fault.New(fault.Unknown, "job-unknown", "", "there is no job %d", id)
	}
	return *j, m.past[id], nil
}

func (m *memory) list(keep func(*job.Job) bool) []job.Job {
	m.mu.Lock()
	defer m.mu.Unlock()
	var out []job.Job
	for id := range m.next + 1 {
		if j := m.jobs[id]; j != nil && keep(j) {
			out = append(out, *j)
		}
	}
	return out
}

func (m *memory) JobList(_ context.Context, f job.Filter) ([]job.Job, error) {
	return m.list(func(j *job.Job) bool {
		return (len(f.Queues) == 0 || slices.Contains(f.Queues, j.Queue)) && (len(f.Owners) == 0 || slices.ContainsFunc(
			f.Owners, func(o string) bool { return strings.EqualFold(o, j.Owner) })) && (!f.Open || !j.State.Done())
	}), m.fails
}

func (m *memory) JobCount(ctx context.Context, f job.Filter, _ int) (int, error) {
	list, err := m.JobList(ctx, f)
	return len(list), err
}

func (m *memory) reserve(id int64) job.Reserve {
	return func(person string, windows []job.Window, n *int) (job.Judgement, error) {
		for a, n := range m.reserved[id] {
			m.used[a] -= n
		}
		delete(m.reserved, id)
		var list []job.Balance
		for _, w := range windows {
			list = append(list, job.Balance{Allowance: w.Allowance.Name, Pages: w.Allowance.Pages, Over: w.Allowance.Over,
				Used: m.used[person+w.Allowance.Name]})
		}
		v := job.Judge(n, list)
		for i, r := range v.Reserve {
			if m.reserved[id] == nil {
				m.reserved[id] = map[string]int{}
			}
			m.reserved[id][person+list[i].Allowance] = r
			m.used[person+list[i].Allowance] += r
		}
		return v, nil
	}
}

func (m *memory) write(j *job.Job, was job.State, h job.Happening) {
	now := m.now()
	if h.Document != nil {
		m.docs[j.ID], j.Kept = *h.Document, true
	}
	if h.Erase {
		delete(m.docs, j.ID)
		j.Kept = false
	}
	if h.Take > 0 {
		j.Fence, j.Sender = j.Fence+1, h.Sender
		m.lease[j.ID] = time.Now().Add(h.Take)
	}
	if h.Began {
		j.Began = &now
	}
	if h.AllSent {
		j.Sent = &now
	}
	if h.Free || j.State.Done() {
		j.Sender = ""
		delete(m.lease, j.ID)
	}
	if j.State.Done() && !was.Done() {
		j.Ended = &now
		for a, n := range m.reserved[j.ID] {
			m.used[a] += job.End{State: j.State, Told: j.Impressions, Sent: j.Began != nil, Pages: j.Pages}.Counts(n) - n
		}
		delete(m.reserved, j.ID)
	}
	j.Changed = now
	c := *j
	m.jobs[j.ID] = &c
	if !h.Quiet {
		m.past[j.ID] = append(m.past[j.ID], job.Past{Event: h.Event, State: j.State, Says: j.Says, Person: h.Person,
			Device: j.Device})
	}
}

func (m *memory) AddJob(_ context.Context, j *job.Job, f job.Change) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.fails != nil {
		return m.fails
	}
	h, err := f(j, m.reserve(j.ID))
	if err != nil {
		return err
	}
	fence := j.Fence
	m.write(j, job.None, h)
	j.Fence, m.jobs[j.ID].Fence = max(fence, 0), max(fence, 0)
	return nil
}

func (m *memory) ChangeJob(_ context.Context, id, fence int64, f job.Change) (job.Job, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.fails != nil {
		return job.Job{}, m.fails
	}
	old := m.jobs[id]
	if old == nil {
		return job.Job{}, fault.New(fault.Unknown, "job-unknown", "", "there is no job %d", id)
	}
	j := *old
	j.Held = m.lease[id].After(time.Now())
	if fence != 0 && (j.Fence != fence || !j.Held) {
		return j, fault.New(fault.Conflict, "lease-ended", "", "the job %d is no more this process's", id)
	}
	h, err := f(&j, m.reserve(id))
	if err != nil || h.Event == "" {
		return j, err
	}
	m.write(&j, old.State, h)
	return j, nil
}

func (m *memory) Document(_ context.Context, id int64) (job.Stored, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	d, ok := m.docs[id]
	if !ok {
		return d, fault.New(fault.Unknown, "document-gone", "", "the document of job %d is gone", id)
	}
	return d, nil
}

func (m *memory) Balances(context.Context, string, []job.Window) ([]job.Balance, error) {
	return nil, nil
}

func (m *memory) ReadyJobs(context.Context, int) ([]job.Job, error) {
	return m.list(func(j *job.Job) bool { return j.State == job.Pending && j.Kept }), m.fails
}

func (m *memory) JobLoads(context.Context) (map[string]job.Load, error) {
	out := map[string]job.Load{}
	for _, j := range m.list(func(j *job.Job) bool { return j.State == job.Processing || j.State == job.ProcessingStopped }) {
		l := out[j.Device]
		l.Busy++
		out[j.Device] = l
	}
	return out, m.fails
}

func (m *memory) RenewJobs(_ context.Context, sender string, lasts time.Duration) (map[int64]job.Lease, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := map[int64]job.Lease{}
	for id, until := range m.lease {
		if j := m.jobs[id]; j.Sender == sender && until.After(time.Now()) {
			m.lease[id] = time.Now().Add(lasts)
			out[id] = job.Lease{Fence: j.Fence, Stopping: j.Stopping}
		}
	}
	return out, m.fails
}

func (m *memory) LeftJobs(context.Context, int) ([]job.Job, error) {
	return m.list(func(j *job.Job) bool {
		until, leased := m.lease[j.ID]
		return (j.State == job.Processing || j.State == job.ProcessingStopped) && leased && !until.After(time.Now())
	}), m.fails
}

func (m *memory) DueJobs(context.Context, time.Duration, int) ([]int64, error) {
	var out []int64
	for _, j := range m.list(func(*job.Job) bool { return true }) {
		out = append(out, j.ID)
	}
	return out, m.fails
}

func (m *memory) ForgetJobs(context.Context, time.Duration, int) (int64, error)  { return 0, nil }
func (m *memory) SweepChunks(context.Context, time.Duration) error               { return nil }
func (m *memory) KeptDocuments(context.Context, []int64) (map[int64]bool, error) { return nil, nil }
func (m *memory) AddEvent(context.Context, event.Event) error                    { return nil }
func (m *memory) KeysFor(stock.Watch) []stock.Key                                { return nil }
func (m *memory) PutChunk(_ context.Context, id, n int64, b []byte) error        { return m.put(id, n, b) }
func (m *memory) Chunk(_ context.Context, id, n int64) ([]byte, error)           { return m.chunk(id, n) }
func (m *memory) DropChunks(context.Context, int64) error                        { return nil }
func (m *memory) Seal(_, secret string) ([]byte, error)                          { return []byte(secret), nil }
func (m *memory) Open(_ string, sealed []byte) (string, error)                   { return string(sealed), nil }

var chunks sync.Map

func (m *memory) put(id, n int64, b []byte) error {
	chunks.Store(fmt.Sprint(fmt.Sprintf("%p", m), id, "/", n), bytes.Clone(b))
	return nil
}

func (m *memory) chunk(id, n int64) ([]byte, error) {
	b, ok := chunks.Load(fmt.Sprint(fmt.Sprintf("%p", m), id, "/", n))
	if !ok {
		return nil, errors.New("it is gone")
	}
	return b.([]byte), nil
}

// device is a printer with a mind of its own.
type device struct {
	about   job.About
	aboutIs error
	takes   func(body io.Reader) (job.Status, error) // nil: all
	states  []job.Status                             // that a job goes through, the last for ever
	asked   int
	got     [][]byte
	tickets []job.Ticket
	stops   int
	found   *job.Status
}

// floor is all of them, by address.
type floor struct {
	mu sync.Mutex
	at map[string]*device
}

func (f *floor) of(uri string) *device {
	d := f.at[uri]
	if d == nil {
		d = &device{aboutIs: fault.New(fault.Unavailable, "silent", "", "nobody answers")}
		f.at[uri] = d
	}
	return d
}

func (f *floor) About(_ context.Context, uri string, _ *stock.Key) (job.About, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	d := f.of(uri)
	return d.about, d.aboutIs
}

func (f *floor) CreateJob(_ context.Context, uri string, _ *stock.Key, t job.Ticket) (job.Status, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	d := f.of(uri)
	d.tickets = append(d.tickets, t)
	return job.Status{ID: len(d.tickets), State: job.Pending}, d.aboutIs
}

func (f *floor) SendDocument(_ context.Context, uri string, _ *stock.Key, id int, _ job.Ticket, body io.Reader) (job.Status,
	error) {
	f.mu.Lock()
	d := f.of(uri)
	takes := d.takes
	f.mu.Unlock()
	if takes != nil {
		return takes(body)
	}
	b, err := io.ReadAll(body)
	f.mu.Lock()
	defer f.mu.Unlock()
	d.got = append(d.got, b)
	return job.Status{ID: id, State: job.Processing}, err
}

func (f *floor) PrintJob(ctx context.Context, uri string, k *stock.Key, t job.Ticket, body io.Reader) (job.Status, error) {
	return f.SendDocument(ctx, uri, k, 0, t, body)
}

func (f *floor) JobStatus(_ context.Context, uri string, _ *stock.Key, id int) (job.Status, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	d := f.of(uri)
	if d.aboutIs != nil {
		return job.Status{}, d.aboutIs
	}
	if len(d.states) == 0 {
		return job.Status{ID: id, State: job.Completed}, nil
	}
	st := d.states[min(d.asked, len(d.states)-1)]
	d.asked++
	if st.State == "" {
		return st, fault.New(fault.Unknown, "job-unknown", "", "the device knows no job %d", id)
	}
	st.ID = id
	return st, nil
}

func (f *floor) FindJob(_ context.Context, uri string, _ *stock.Key, _ string) (job.Status, bool, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	d := f.of(uri)
	if d.found == nil {
		return job.Status{}, false, d.aboutIs
	}
	return *d.found, true, d.aboutIs
}

func (f *floor) CancelJob(_ context.Context, uri string, _ *stock.Key, _ int) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.of(uri).stops++
	return nil
}

func (f *floor) SendRaw(_ context.Context, uri string, body io.Reader) error {
	_, err := f.SendDocument(context.Background(), uri, nil, 0, job.Ticket{}, body)
	return err
}

func (f *floor) Identify(context.Context, string, *stock.Key, string) error { return nil }

const behind = `{estate: 1,
locations: [{path: north}, {path: north/hall}],
devices: [{name: a, uri: "ipp://192.0.2.1/", location: north/hall}, {name: b, uri: "ipp://192.0.2.2/"}, {name: raw, uri: "socket://192.0.2.3"},
  {name: plugged, uri: "usb://T/Slip?serial=S1", machine: desk-1}],
queues: [{name: hall, formerly: [old-hall], paths: [{gateway: true}], devices: [a, b]},
  {name: kept, paths: [{gateway: true}], devices: [a, b], jobs: {take: keep}, defaults: {sides: two-sided-long-edge}},
  {name: held, paths: [{gateway: true}], devices: [a, b], jobs: {take: hold, expires: 2h}, access: {deny: ["location:north/hall"], allow: [everyone]}},
  {name: one, paths: [{gateway: true}], devices: [b], jobs: {take: hold, copies_for: 2h}},
  {name: late, paths: [{gateway: true}], devices: [a], jobs: {take: keep, outside_hours: wait}, open: [{from: "12:00", to: "13:00"}]},
  {name: billed, paths: [{gateway: true}], devices: [a], jobs: {take: keep, charge: required}},
  {name: port, paths: [{gateway: true}], devices: [raw], jobs: {take: keep}},
  {name: safe, paths: [{gateway: true}], devices: [a], access: {allow: ["user:ida"]}},
  {name: shut, paths: [{gateway: true}], devices: [a], paused: true},
  {name: try, paths: [{gateway: true}], purpose: practice},
  {name: direct, paths: [{device: a}], devices: [a]}, {name: bare, paths: [{gateway: true}]},
  {name: slips, paths: [{gateway: true}], devices: [plugged]},
  {name: old, paths: [{gateway: true}], devices: [a], retired: true}],
charges: [{name: voyage, to: ["user:mira"]}, {name: yard, to: ["user:ida"]}],
allowances: [{name: few, to: ["user:ida"], queues: [hall, kept, held], pages: 3, every: month, over: refuse},
  {name: wait, to: ["user:jonas"], queues: [kept], pages: 3, every: day, over: hold}]}`

func furnish(t *testing.T) (*Room, *memory, *floor, *rooms.World) {
	t.Helper()
	w := rooms.New(t, behind, directory.Records{Users: []directory.User{{Name: "ida"}, {Name: "mira"}, {Name: "jonas"}}})
	m := &memory{now: w.Now, jobs: map[int64]*job.Job{}, past: map[int64][]job.Past{}, docs: map[int64]job.Stored{},
		used: map[string]int{}, reserved: map[int64]map[string]int{}, lease: map[int64]time.Time{}}
	up := time.Now().Add(-time.Hour)
	fine := func() *device { return &device{about: job.About{Up: &up, Creates: true, Answers: true}} }
	f := &floor{at: map[string]*device{"ipp://192.0.2.1/": fine(), "ipp://192.0.2.2/": fine(), "socket://192.0.2.3": fine()}}
	r := New(Config{Store: m, Work: m, Devices: f, Spool: spool.New(m, spool.NewElsewhere(m)), Present: w.Present,
		Log: rooms.Quiet, Now: w.Now, Process: "here", Seats: rooms.Seats{"ida"}, Keys: m, Events: m})
	return r, m, f, w
}

// change alters devices while they are asked.
func (f *floor) change(do func()) {
	f.mu.Lock()
	defer f.mu.Unlock()
	do()
}

// forget has the room know nothing of devices any more.
func forget(r *Room) {
	r.abouts.mu.Lock()
	r.abouts.at = map[string]aboutAt{}
	r.abouts.mu.Unlock()
	r.hands.mu.Lock()
	r.hands.rest = nil
	r.hands.mu.Unlock()
}

func who(name string) *access.Principal {
	return &access.Principal{Name: name, Account: name, Role: access.Person}
}

func enter(t *testing.T, r *Room, name, queue string) *Door {
	t.Helper()
	d, err := r.Enter(t.Context(), who(name), queue)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func print(t *testing.T, r *Room, name, queue string, in Request, body string) *job.Job {
	t.Helper()
	j, err := r.Print(t.Context(), enter(t, r, name, queue), in, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// settled gives a job once everything that is in hand is done with.
func settled(t *testing.T, r *Room, m *memory, id int64) job.Job {
	t.Helper()
	r.sender.takeReady(t.Context())
	r.hands.all.Wait()
	j, _, err := m.Job(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// TestEnter: where jobs go, what is down last; and who may send them where.
func TestEnter(t *testing.T) {
	t.Parallel()
	r, _, _, w := furnish(t)
	hops := func() (out []string) {
		for _, h := range enter(t, r, "mira", "old-hall").Hops {
			out = append(out, h.Device)
		}
		return out
	}
	if got := hops(); !slices.Equal(got, []string{"a", "b"}) {
		t.Error(got)
	}
	w.State = live.State{Devices: map[string]live.Duty{"a": live.Down}}
	w.Refresh(t)
	if got := hops(); !slices.Equal(got, []string{"b", "a"}) {
		t.Error("what is down does not come last:", got)
	}
	for queue, code := range map[string]string{"attic": "queue-unknown", "safe": "not-permitted",
		"direct": "no-gateway-path", "bare": "no-device", "slips": "no-device", "old": "queue-retired"} {
		if _, err := r.Enter(t.Context(), who("mira"), queue); fault.As(err) == nil || fault.As(err).Code != code ||
			fault.As(err).Fix == "" {
			t.Errorf("%s: %v", queue, err)
		}
	}
	if d := enter(t, r, "MIRA", "shut"); d.Refuses == "" || d.Owner != "mira" || !d.Known {
		t.Errorf("%+v", d)
	}
	agent := &access.Principal{Name: "agent", Role: access.Agent, Machine: "desk-1", For: "ida"}
	if d, err := r.Enter(t.Context(), agent, "safe"); err != nil || d.From.Machine != "desk-1" {
		t.Error("the person for whom an agent prints:", d, err)
	}
	agent.For = "mira"
	if _, err := r.Enter(t.Context(), agent, "hall"); fault.As(err).Code != "not-signed-in-there" {
		t.Error("somebody who does not sit there:", err)
	}
	if _, err := r.Enter(t.Context(), nil, "hall"); !fault.Is(err, fault.Unsigned) {
		t.Error(err)
	}
	ctx := context.WithValue(t.Context(), event.OriginKey{}, "192.0.2.77")
	if d, err := r.Enter(ctx, who("mira"), "hall"); err != nil || !slices.Equal(d.From.Addresses, []string{"192.0.2.77"}) {
		t.Error(d, err)
	}
}

// TestKeep: a kept job is written down, sent with its options and the queue's defaults, followed to its end, and erased.
func TestKeep(t *testing.T) {
	t.Parallel()
	r, m, f, _ := furnish(t)
	f.at["ipp://192.0.2.1/"].about.Able = map[string][]string{"copies": {"1-9"}, "sides": {"one-sided"}}
	f.at["ipp://192.0.2.1/"].about.Own = map[string]any{"sides": "one-sided"}
	three := 3
	f.at["ipp://192.0.2.1/"].states = []job.Status{{State: job.Processing}, {State: job.Completed, Impressions: &three}}
	j := print(t, r, "mira", "kept", Request{Name: "letter", Format: "application/pdf", Options: job.Options{"copies": 2.0,
		"sides": "two-sided-long-edge"}}, "%PDF-1.7 …")
	if j.State != job.Pending || m.docs[j.ID].Bytes != 12 {
		t.Fatalf("%+v %+v", j, m.docs)
	}
	got := settled(t, r, m, j.ID)
	a := f.at["ipp://192.0.2.1/"]
	if got.State != job.Completed || got.Device != "a" || *got.Impressions != 3 || len(a.got) != 1 || string(a.got[0]) !=
		"%PDF-1.7 …" || got.Kept || got.Reasons[0] != job.WithWarnings {
		t.Errorf("%+v", got)
	}
	if ticket := a.tickets[0]; ticket.Options["copies"] != 2.0 || ticket.Options["sides"] != "one-sided" ||
		ticket.Owner != "mira" || ticket.Name != fmt.Sprintf("letter [%d]", j.ID) {
		t.Errorf("%+v", ticket)
	}
	if len(got.Replaced) != 1 || got.Replaced[0].Option != "sides" || !strings.Contains(got.Says, "sides") {
		t.Errorf("%+v", got)
	}
	// The next goes to the other device, since it never had any.
	if j := print(t, r, "mira", "kept", Request{}, "text"); settled(t, r, m, j.ID).Device != "b" {
		t.Error("the pool does not take turns")
	}
}

// TestOtherDevice: what refuses before it has taken anything is passed over; where all do, the job waits, and goes when
// one is back; and what none takes is given up.
func TestOtherDevice(t *testing.T) {
	t.Parallel()
	r, m, f, w := furnish(t)
	a, b := f.at["ipp://192.0.2.1/"], f.at["ipp://192.0.2.2/"]
	away := fault.New(fault.Unavailable, "silent", "", "nobody answers")
	a.aboutIs = away
	j := print(t, r, "mira", "kept", Request{}, "one")
	if got := settled(t, r, m, j.ID); got.State != job.Completed || got.Device != "b" {
		t.Errorf("%+v", got)
	}
	f.change(func() { b.about.Refuses = true })
	j = print(t, r, "mira", "kept", Request{}, "two")
	got := settled(t, r, m, j.ID)
	if got.State != job.Pending || !got.Kept || got.Began != nil {
		t.Fatalf("%+v", got)
	}
	if got = settled(t, r, m, j.ID); got.State != job.Pending {
		t.Fatalf("%+v", got)
	}
	f.change(func() { a.aboutIs, b.about.Refuses = nil, false })
	w.Pass(time.Minute)
	forget(r)
	if got = settled(t, r, m, j.ID); got.State != job.Completed {
		t.Errorf("%+v", got)
	}
	f.change(func() { a.about.Formats, b.about.Formats = []string{pages.PWG}, []string{pages.PWG} })
	j = print(t, r, "mira", "kept", Request{Format: pages.PostScript}, "%!PS")
	if got = settled(t, r, m, j.ID); got.State != job.Aborted || !slices.Contains(got.Reasons, job.Unsupported) || got.Kept {
		t.Errorf("%+v", got)
	}
}

// TestOnce has each way in which a connection breaks in the middle of a job, and what becomes of the job then.
func TestOnce(t *testing.T) {
	t.Parallel()
	zero, two := 0, 2
	breaks := func(body io.Reader) (job.Status, error) {
		_, _ = body.Read(make([]byte, 1))
		return job.Status{}, fault.New(fault.Unavailable, "silent", "", "it broke off")
	}
	later := time.Now()
	for what, c := range map[string]struct {
		states  []job.Status
		boot    *time.Time // another start
		answers bool       // to Create-Job
		found   *job.Status
		state   job.State
		unknown bool
		sent    int // how often all of it went
	}{
		"completed there":             {[]job.Status{{State: job.Completed, Impressions: &two}}, nil, true, nil, job.Completed, false, 0},
		"aborted with nothing":        {[]job.Status{{State: job.Aborted, Impressions: &zero}}, nil, true, nil, job.Completed, false, 1},
		"aborted, and says nothing":   {[]job.Status{{State: job.Aborted}}, nil, true, nil, job.ProcessingStopped, true, 0},
		"aborted after two pages":     {[]job.Status{{State: job.Aborted, Impressions: &two}}, nil, true, nil, job.ProcessingStopped, true, 0},
		"it started anew":             {[]job.Status{{State: job.Aborted, Impressions: &zero}}, &later, true, nil, job.ProcessingStopped, true, 0},
		"it knows nothing of it":      {[]job.Status{{}}, nil, true, nil, job.ProcessingStopped, true, 0},
		"it prints it all the same":   {[]job.Status{{State: job.Processing}, {State: job.Completed}}, nil, true, nil, job.Completed, false, 0},
		"it waits for the rest":       {[]job.Status{{State: job.Pending, Reasons: []string{job.Incoming}}, {State: job.Canceled, Impressions: &zero}}, nil, true, nil, job.Completed, false, 1},
		"an old one, found by name":   {[]job.Status{{State: job.Completed}}, nil, false, &job.Status{ID: 7, State: job.Completed}, job.Completed, false, 0},
		"an old one, not to be found": {nil, nil, false, nil, job.ProcessingStopped, true, 0},
	} {
		r, m, f, _ := furnish(t)
		b := f.at["ipp://192.0.2.2/"]
		b.about.Creates, b.states, b.found = c.answers, c.states, c.found
		broke := false
		b.takes = func(body io.Reader) (job.Status, error) {
			f.mu.Lock()
			first := !broke
			broke = true
			if first && c.boot != nil {
				b.about.Up = c.boot
			}
			f.mu.Unlock()
			if first {
				return breaks(body)
			}
			all, err := io.ReadAll(body)
			f.mu.Lock()
			defer f.mu.Unlock()
			b.got = append(b.got, all)
			b.states, b.asked = []job.Status{{State: job.Completed}}, 0
			return job.Status{ID: 2, State: job.Processing}, err
		}
		j := print(t, r, "mira", "one", Request{Name: "letter"}, "a document")
		if _, err := r.Release(t.Context(), who("mira"), j.ID, ""); err != nil {
			t.Fatal(err)
		}
		settled(t, r, m, j.ID)
		got := settled(t, r, m, j.ID)
		if got.State != c.state || got.Unknown != c.unknown || len(b.got) != c.sent {
			t.Errorf("%s: %s %q, unknown %v, sent %d times", what, got.State, got.Says, got.Unknown, len(b.got))
		}
		if c.unknown && !strings.Contains(got.Says, "not known whether it printed") {
			t.Errorf("%s: %q", what, got.Says)
		}
	}
	// At raw ports it is never known.
	r, m, f, _ := furnish(t)
	f.at["socket://192.0.2.3"].takes = breaks
	j := print(t, r, "mira", "port", Request{}, "a document")
	if got := settled(t, r, m, j.ID); !got.Unknown {
		t.Errorf("%+v", got)
	}
	// Its owner decides: it is sent again, or was printed.
	f.at["socket://192.0.2.3"].takes = nil
	if _, err := r.Decide(t.Context(), who("jonas"), j.ID, false); !fault.Is(err, fault.Unknown) {
		t.Error("somebody else decides:", err)
	}
	if _, err := r.Decide(t.Context(), who("mira"), j.ID, false); err != nil {
		t.Fatal(err)
	}
	if got := settled(t, r, m, j.ID); got.State != job.Completed || len(f.at["socket://192.0.2.3"].got) != 1 {
		t.Errorf("%+v", got)
	}
	if _, err := r.Decide(t.Context(), who("mira"), j.ID, true); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
}

// TestTakenOver: a job of a process that has ended is gone on with: one of which nothing was sent is sent, another is
// asked about.
func TestTakenOver(t *testing.T) {
	t.Parallel()
	r, m, f, _ := furnish(t)
	for what, began := range map[string]bool{"nothing was sent": false, "some was": true} {
		j := print(t, r, "mira", "kept", Request{}, "a document")
		m.mu.Lock()
		x := m.jobs[j.ID]
		x.State, x.Device, x.Sender, x.Fence = job.Processing, "a", "elsewhere", 4
		m.lease[j.ID] = time.Now().Add(-time.Second)
		if began {
			now := time.Now()
			x.Began, x.Far = &now, job.Far{URI: "ipp://192.0.2.1/", ID: 1, Up: f.at["ipp://192.0.2.1/"].about.Up}
		}
		m.mu.Unlock()
		f.at["ipp://192.0.2.1/"].states = []job.Status{{State: job.Completed}}
		r.sender.takeLeft(t.Context())
		r.hands.all.Wait()
		if got := settled(t, r, m, j.ID); got.State != job.Completed {
			t.Errorf("%s: %+v", what, got)
		}
	}
	if n := len(f.at["ipp://192.0.2.1/"].got) + len(f.at["ipp://192.0.2.2/"].got); n != 1 {
		t.Errorf("%d documents went", n)
	}
}

// TestStream: nothing is kept of what streams; where a device does not answer the next one gets it, unless some of it
// has gone.
func TestStream(t *testing.T) {
	t.Parallel()
	r, m, f, _ := furnish(t)
	a, b := f.at["ipp://192.0.2.1/"], f.at["ipp://192.0.2.2/"]
	a.aboutIs = fault.New(fault.Unavailable, "silent", "", "nobody answers")
	j := print(t, r, "mira", "hall", Request{Name: "letter"}, "a document")
	r.hands.all.Wait()
	if got := settled(t, r, m, j.ID); got.State != job.Completed || got.Device != "b" || len(m.docs) != 0 || got.Bytes != 10 ||
		string(b.got[0]) != "a document" {
		t.Errorf("%+v", got)
	}
	b.takes = func(body io.Reader) (job.Status, error) {
		_, _ = body.Read(make([]byte, 3))
		return job.Status{}, fault.New(fault.Unavailable, "device-broke-off", "", "it broke off")
	}
	_, err := r.Print(t.Context(), enter(t, r, "mira", "hall"), Request{}, strings.NewReader("a document"))
	if fault.As(err).Code != "device-broke-off" {
		t.Error(err)
	}
	r.hands.all.Wait()
	aborted := m.list(func(j *job.Job) bool { return j.State == job.Aborted })
	if len(aborted) != 1 || b.stops != 1 {
		t.Errorf("%+v, cancelled %d times", aborted, b.stops)
	}
	f.change(func() { b.aboutIs = a.aboutIs })
	forget(r)
	if _, err := r.Print(t.Context(), enter(t, r, "mira", "hall"), Request{}, strings.NewReader("x")); !fault.Is(err,
		fault.Unavailable) {
		t.Error(err)
	}
	if j := print(t, r, "mira", "try", Request{}, "x"); j.State != job.Completed || !strings.Contains(j.Says, "practice") {
		t.Errorf("%+v", j)
	}
	if _, err := r.Print(t.Context(), enter(t, r, "mira", "shut"), Request{}, strings.NewReader("x")); fault.As(err).Code !=
		"queue-closed" {
		t.Error(err)
	}
	if _, err := r.Print(t.Context(), enter(t, r, "mira", "hall"), Request{}, strings.NewReader("")); fault.As(err).Code !=
		"document-empty" {
		t.Error(err)
	}
}

// TestHold: a held job waits for its owner, who has it where they are; it is decided anew then, and stays where it
// cannot be printed.
func TestHold(t *testing.T) {
	t.Parallel()
	r, m, f, w := furnish(t)
	j := print(t, r, "mira", "held", Request{}, "a document")
	if j.State != job.PendingHeld || j.Reasons[0] != job.ReleaseWait || !j.Due.Equal(w.Now().Add(2*time.Hour)) {
		t.Fatalf("%+v", j)
	}
	release := func(p *access.Principal, device string) string {
		_, err := r.Release(t.Context(), p, j.ID, device)
		if err == nil {
			return ""
		}
		return fault.As(err).Code
	}
	b := f.at["ipp://192.0.2.2/"]
	for _, c := range []struct {
		by           *access.Principal
		device, code string
	}{
		{who("mira"), "", "device-needed"}, {who("mira"), "raw", "not-here"}, {who("jonas"), "b", "job-unknown"},
		{who("mira"), "a", "not-permitted"}, // not in that place
	} {
		if got := release(c.by, c.device); got != c.code {
			t.Errorf("%s at %q: %q, want %q", c.by.Name, c.device, got, c.code)
		}
	}
	f.change(func() { b.about.Stopped = true })
	if got := release(who("mira"), "b"); got != "device-stopped" {
		t.Error(got)
	}
	f.change(func() { b.about.Stopped = false })
	forget(r)
	if got := release(who("mira"), "b"); got != "" {
		t.Error(got)
	}
	if got := settled(t, r, m, j.ID); got.State != job.Completed || got.Device != "b" {
		t.Errorf("%+v", got)
	}
	if got := release(who("mira"), "b"); got != "job-state" {
		t.Error("twice:", got)
	}
	stranger := print(t, r, "stranger", "one", Request{}, "a document")
	if stranger.State != job.PendingHeld || stranger.Reasons[0] != job.AwaitsOwner || stranger.Known {
		t.Errorf("%+v", stranger)
	}
	kept := print(t, r, "mira", "one", Request{}, "a document")
	if _, err := r.Release(t.Context(), who("mira"), kept.ID, ""); err != nil {
		t.Fatal(err)
	}
	if got := settled(t, r, m, kept.ID); got.State != job.Completed || !got.Kept || got.EraseAt == nil {
		t.Errorf("for another copy: %+v", got)
	}
	w.Pass(3 * time.Hour)
	r.times.doDue(t.Context())
	if got := settled(t, r, m, kept.ID); got.Kept {
		t.Error("it stays for ever")
	}
	old := print(t, r, "mira", "held", Request{}, "a document")
	w.Pass(3 * time.Hour)
	r.times.doDue(t.Context())
	if got := settled(t, r, m, old.ID); got.State != job.Aborted || got.Kept {
		t.Errorf("%+v", got)
	}
}

// TestLimits: an allowance refuses what it has no room for, has it wait, and is given back what was not printed; hours
// and holding have jobs wait.
func TestLimits(t *testing.T) {
	t.Parallel()
	r, m, _, w := furnish(t)
	ps := func(n int) string { return fmt.Sprintf("%%!PS\n%%%%Pages: %d\n", n) }
	j := print(t, r, "ida", "hall", Request{Format: pages.PostScript}, ps(2)) // it would stream, were it not for that
	if j.Take != estate.TakeKeep || *j.Pages != 2 || m.used["idafew"] != 2 {
		t.Fatalf("%+v %v", j, m.used)
	}
	if _, err := r.Print(t.Context(), enter(t, r, "ida", "kept"), Request{}, strings.NewReader(ps(2))); fault.As(err).Code !=
		job.LimitReached || len(m.docs) != 1 {
		t.Error(err, len(m.docs))
	}
	if _, err := r.Cancel(t.Context(), who("ida"), j.ID); err != nil || m.used["idafew"] != 0 {
		t.Error(err, m.used)
	}
	unknown := print(t, r, "ida", "kept", Request{}, "what is it?")
	if m.used["idafew"] != 3 {
		t.Error(m.used)
	}
	if got := settled(t, r, m, unknown.ID); got.State != job.Completed || m.used["idafew"] != 3 {
		t.Error(got.State, m.used)
	}
	waits := print(t, r, "jonas", "kept", Request{}, ps(5))
	if waits.State != job.PendingHeld || waits.Reasons[0] != job.LimitReached || !waits.Wakes.Equal(w.Now().Truncate(
		24*time.Hour).Add(24*time.Hour)) {
		t.Errorf("%+v", waits)
	}
	late := print(t, r, "mira", "late", Request{}, "x")
	if late.State != job.PendingHeld || late.Reasons[0] != job.HoldUntil || late.Wakes == nil {
		t.Errorf("%+v", late)
	}
	w.Pass(late.Wakes.Sub(w.Now()))
	r.times.doDue(t.Context())
	if got := settled(t, r, m, late.ID); got.State != job.Completed {
		t.Errorf("%+v", got)
	}
	for charge, code := range map[string]string{"": job.AccountNeeded, "yard": job.AccountRefused, "voyage": ""} {
		_, err := r.Print(t.Context(), enter(t, r, "mira", "billed"), Request{Charge: charge}, strings.NewReader("x"))
		if got := fault.As(err); code == "" && err != nil || code != "" && (got == nil || got.Code != code) {
			t.Errorf("charged to %q: %v", charge, err)
		}
	}
	held := print(t, r, "mira", "hall", Request{Hold: true}, "x")
	if held.State != job.PendingHeld || held.Take != estate.TakeKeep {
		t.Errorf("%+v", held)
	}
	if _, err := r.Release(t.Context(), who("mira"), held.ID, ""); err != nil {
		t.Fatal(err)
	}
	if got := settled(t, r, m, held.ID); got.State != job.Completed {
		t.Errorf("%+v", got)
	}
}

// TestAnnounced: a job whose document comes later, once, and in time.
func TestAnnounced(t *testing.T) {
	t.Parallel()
	r, m, _, w := furnish(t)
	announce := func(queue string) *job.Job {
		t.Helper()
		j, err := r.Announce(t.Context(), enter(t, r, "mira", queue), Request{Name: "letter"})
		if err != nil || j.State != job.Pending || j.Reasons[0] != job.Incoming {
			t.Fatal(j, err)
		}
		return j
	}
	for _, queue := range []string{"kept", "hall", "try"} {
		j := announce(queue)
		if _, err := r.Feed(t.Context(), who("jonas"), j.ID, "", strings.NewReader("x")); !fault.Is(err, fault.Unknown) {
			t.Error("somebody else feeds it:", err)
		}
		if _, err := r.Feed(t.Context(), who("mira"), j.ID, "", strings.NewReader("a document")); err != nil {
			t.Fatal(queue, err)
		}
		r.hands.all.Wait()
		if got := settled(t, r, m, j.ID); got.State != job.Completed || got.Bytes != 10 {
			t.Errorf("%s: %+v", queue, got)
		}
		if _, err := r.Feed(t.Context(), who("mira"), j.ID, "", strings.NewReader("more")); err == nil {
			t.Error(queue, "takes another document")
		}
	}
	waits, closed := announce("kept"), announce("kept")
	if j, err := r.CloseJob(t.Context(), who("mira"), closed.ID); err != nil || j.State != job.Aborted {
		t.Error(j, err)
	}
	w.Pass(3 * time.Minute)
	r.times.doDue(t.Context())
	if got := settled(t, r, m, waits.ID); got.State != job.Aborted {
		t.Errorf("%+v", got)
	}
}

// TestCancel: a job is cancelled where it is; one at a device ends once the device says so.
func TestCancel(t *testing.T) {
	t.Parallel()
	r, m, f, _ := furnish(t)
	zero := 0
	b := f.at["ipp://192.0.2.2/"]
	b.states = []job.Status{{State: job.Processing}}
	j := print(t, r, "mira", "one", Request{}, "x")
	if _, err := r.Release(t.Context(), who("mira"), j.ID, ""); err != nil {
		t.Fatal(err)
	}
	r.sender.takeReady(t.Context())
	for { // it is at the device
		f.mu.Lock()
		asked := b.asked
		f.mu.Unlock()
		if asked > 1 {
			break
		}
		time.Sleep(time.Millisecond)
	}
	if got, err := r.Cancel(t.Context(), who("mira"), j.ID); err != nil || got.State != job.Processing || !slices.Contains(
		got.Reasons, job.StoppingPoint) {
		t.Error(got, err)
	}
	f.mu.Lock()
	b.states = []job.Status{{State: job.Canceled, Impressions: &zero}}
	f.mu.Unlock()
	r.hands.all.Wait()
	if got := settled(t, r, m, j.ID); got.State != job.Canceled || b.stops != 1 || got.Kept {
		t.Errorf("%+v, cancelled %d times", got, b.stops)
	}
	if _, err := r.Cancel(t.Context(), who("mira"), j.ID); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
	desk := &access.Principal{Name: "desk", Account: "desk", Role: access.HelpDesk}
	other := print(t, r, "mira", "kept", Request{Name: "secret plan"}, "x")
	if got, _, err := r.Show(t.Context(), desk, other.ID); err != nil || got.Name != "" {
		t.Error("who may read what jobs are called:", got.Name, err)
	}
	if list, err := r.List(t.Context(), who("jonas"), job.Filter{Limit: 9}); err != nil || len(list) != 0 {
		t.Error(list, err)
	}
	if got, err := r.Cancel(t.Context(), desk, other.ID); err != nil || got.Reasons[0] != job.CanceledByOperator {
		t.Error(got, err)
	}
	if _, err := r.HoldJob(t.Context(), desk, other.ID); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
}

// TestJobsOfSites: whoever looks after jobs at one site sees and does nothing with those of another.
func TestJobsOfSites(t *testing.T) {
	t.Parallel()
	r, m, _, w := furnish(t)
	w.Publish(t, strings.Replace(strings.Replace(behind, "{path: north}", "{path: south}, {path: north}", 1),
		"{name: kept,", "{name: kept, location: south,", 1))
	w.Refresh(t)
	j := print(t, r, "mira", "kept", Request{Name: "letter"}, "x")
	for site, may := range map[string]bool{"south": true, "north": false} {
		desk := &access.Principal{Name: "desk", Account: "desk", Role: access.HelpDesk, Sites: []string{site}}
		list, err := r.Page(t.Context(), desk, job.Filter{}, page.Ask{})
		if err != nil || (len(list.Items) == 1) != may {
			t.Errorf("%s: %+v %v", site, list, err)
		}
		for i, do := range []func() error{
			func() error { _, _, err := r.Show(t.Context(), desk, j.ID); return err },
			func() error { _, err := r.HoldJob(t.Context(), desk, j.ID); return err },
			func() error { _, err := r.Release(t.Context(), desk, j.ID, ""); return err },
		} {
			m.mu.Lock()
			m.jobs[j.ID].State, m.jobs[j.ID].Reasons = job.PendingHeld, []string{job.HoldUntil}
			m.mu.Unlock()
			if err := do(); may != (err == nil) {
				t.Errorf("%d at %s: %v", i, site, err)
			}
		}
	}
	if _, err := r.Page(t.Context(), who("mira"), job.Filter{}, page.Ask{After: "x"}); fault.As(err).Code != "after-invalid" {
		t.Error(err)
	}
}

// TestCertain: where the answer to keeping a job is lost, it is looked whether it was kept.
func TestCertain(t *testing.T) {
	t.Parallel()
	r, m, _, _ := furnish(t)
	lost := fault.New(fault.Unavailable, fault.MaybeDone, "", "the answer was lost")
	j := print(t, r, "mira", "kept", Request{}, "x")
	if err := r.certain(t.Context(), j.ID, lost); err != nil {
		t.Error("it was kept:", err)
	}
	if err := r.certain(t.Context(), j.ID+100, lost); fault.As(err).Code != "spool" {
		t.Error("it was not:", err)
	}
	other := fault.New(fault.Denied, "not-permitted", "", "no")
	if err := r.certain(t.Context(), j.ID, other); !errors.Is(err, other) {
		t.Error(err)
	}
	if r.refused(t.Context(), j.ID, lost); len(m.docs) != 1 {
		t.Error("what is not certain is gone")
	}
}
