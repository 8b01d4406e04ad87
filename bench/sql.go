package main

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/path"
	"cirque/internal/large"
)

// The same estate and directory in normalised, indexed tables. What can be worked out beforehand is: memberships
// through every nesting, the queues that each grant selects, the ancestors of places and their distances, the driver
// for each platform, and the URI of each way.
const schema = `
CREATE TABLE usr (id int PRIMARY KEY, name text UNIQUE);
CREATE TABLE machine (id int PRIMARY KEY, name text UNIQUE);
CREATE TABLE usr_in (usr int, what text, PRIMARY KEY (usr, what));       -- 'group:x', 'unit:y', 'user:z' and 'everyone'
CREATE TABLE machine_in (machine int, what text, PRIMARY KEY (machine, what));
CREATE TABLE loc (id int PRIMARY KEY, site int, zone text);
CREATE TABLE loc_up (loc int, above int, PRIMARY KEY (loc, above));
CREATE TABLE loc_distance (a int, b int, steps int, PRIMARY KEY (a, b));
CREATE TABLE subnet (cidr cidr, loc int);
CREATE TABLE grant_ (id int PRIMARY KEY, effect text, nearest int, weight int, insist bool, restores bool, has_to bool, everyone bool, has_on bool, has_at bool, has_except bool, has_open bool, sessions text[], platforms text[]);
CREATE TABLE grant_to (what text, grant_ int, PRIMARY KEY (what, grant_));
CREATE TABLE grant_on (what text, grant_ int, PRIMARY KEY (what, grant_));
CREATE TABLE grant_at (grant_ int, loc int, PRIMARY KEY (grant_, loc));
CREATE TABLE grant_except (grant_ int, what text, PRIMARY KEY (grant_, what));
CREATE TABLE grant_open (grant_ int, days int[], from_ time, to_ time);
CREATE TABLE grant_queue (grant_ int, queue int, PRIMARY KEY (grant_, queue));
CREATE TABLE queue (id int PRIMARY KEY, name text, loc int, zone text, has_allow bool);
CREATE TABLE queue_allow (queue int, what text, PRIMARY KEY (queue, what));
CREATE TABLE queue_driver (queue int, platform text, driver text, PRIMARY KEY (queue, platform));
CREATE TABLE queue_way (queue int, nth int, gateway bool, at_loc int, set_ int, uri text, usable bool, PRIMARY KEY (queue, nth));
CREATE TABLE member (set_ int, nth int, spread bool, name text, usable bool, PRIMARY KEY (set_, nth));
CREATE TABLE member_uri (queue int, nth int, member text, uri text, PRIMARY KEY (queue, nth, member));
`

const indexes = `
CREATE INDEX ON usr_in (usr); CREATE INDEX ON subnet USING gist (cidr inet_ops); CREATE INDEX ON grant_open (grant_);
CREATE INDEX always ON grant_ (id) WHERE NOT has_to AND NOT has_on AND NOT has_at; CREATE INDEX ON grant_at (loc);
VACUUM ANALYZE;
`

// One context: $1 user, $2 machine, $3 address, $4 session, $5 platform, $6 time. It gives the queues of the lineup in
// its order, with effect, default, path and driver.
const lineupSQL = `
WITH place AS MATERIALIZED (
  SELECT (SELECT loc FROM subnet WHERE cidr >>= $3::inet ORDER BY masklen(cidr) DESC LIMIT 1) AS l
), ctx AS MATERIALIZED (
  SELECT (SELECT id FROM usr WHERE name = $1) AS u, (SELECT id FROM machine WHERE name = $2) AS m, l, ARRAY (SELECT above FROM loc_up WHERE loc = l) AS places
  FROM place
), holds AS MATERIALIZED (
  SELECT what FROM usr_in, ctx WHERE usr = u UNION ALL SELECT what FROM machine_in, ctx WHERE machine = m
), found AS (
  SELECT t.grant_ AS id FROM ctx JOIN usr_in i ON i.usr = ctx.u JOIN grant_to t ON t.what = i.what
  UNION SELECT o.grant_ FROM ctx JOIN machine_in i ON i.machine = ctx.m JOIN grant_on o ON o.what = i.what JOIN grant_ g ON g.id = o.grant_ AND NOT g.has_to
  UNION SELECT a.grant_ FROM ctx JOIN grant_at a ON a.loc = ANY (ctx.places) JOIN grant_ g ON g.id = a.grant_ AND (NOT g.has_to OR g.everyone) AND NOT g.has_on
  UNION SELECT id FROM grant_ WHERE NOT has_to AND NOT has_on AND NOT has_at
), matching AS MATERIALIZED (
  SELECT g.* FROM found JOIN grant_ g USING (id), ctx
  WHERE (g.sessions IS NULL OR $4 = ANY (g.sessions))
    AND (g.platforms IS NULL OR $5 = ANY (g.platforms) OR split_part($5, '/', 1) = ANY (g.platforms))
    AND (NOT g.has_at OR (SELECT true FROM grant_at a WHERE a.grant_ = g.id AND a.loc = ANY (ctx.places) LIMIT 1))
    AND (NOT g.has_on OR (SELECT true FROM grant_on o JOIN machine_in i ON i.what = o.what WHERE o.grant_ = g.id AND i.machine = ctx.m LIMIT 1))
    AND (NOT g.has_except OR NOT EXISTS (SELECT FROM grant_except x JOIN holds USING (what) WHERE x.grant_ = g.id))
), pairs AS MATERIALIZED (
  SELECT gq.queue, m.* FROM matching m JOIN grant_queue gq ON gq.grant_ = m.id JOIN queue q ON q.id = gq.queue
  WHERE NOT m.has_open OR EXISTS (SELECT FROM grant_open o, LATERAL (SELECT $6::timestamptz AT TIME ZONE q.zone AS wall) w
    WHERE o.grant_ = m.id AND extract(dow FROM wall)::int = ANY (o.days) AND wall::time >= o.from_ AND wall::time < o.to_)
), considered AS MATERIALIZED (
  SELECT p.queue, d.steps, way.uri, way.stranded, way.driver
  FROM (SELECT queue FROM pairs GROUP BY queue HAVING bool_or(effect <> 'withhold') AND NOT bool_or(effect = 'withhold')) p
  JOIN queue q ON q.id = p.queue CROSS JOIN ctx
  LEFT JOIN loc_distance d ON d.a = ctx.l AND d.b = q.loc
  CROSS JOIN LATERAL (
    SELECT coalesce(mu.uri, w.uri) AS uri, NOT coalesce(mm.usable, w.usable) AS stranded, CASE WHEN w.gateway THEN 'driverless' ELSE dr.driver END AS driver
    FROM queue_way w LEFT JOIN queue_driver dr ON dr.queue = w.queue AND dr.platform = $5
    LEFT JOIN LATERAL (SELECT name, usable FROM member WHERE set_ = w.set_
      ORDER BY usable DESC, CASE WHEN spread THEN substr(sha256(convert_to(name, 'UTF8') || '\x00'::bytea || convert_to('user:' || $1, 'UTF8')), 1, 8) END DESC, nth LIMIT 1) mm ON w.set_ IS NOT NULL
    LEFT JOIN member_uri mu ON mu.queue = w.queue AND mu.nth = w.nth AND mu.member = mm.name
    WHERE w.queue = p.queue AND (w.at_loc IS NULL OR w.at_loc = ANY (ctx.places)) AND (w.gateway OR dr.driver IS NOT NULL)
    ORDER BY coalesce(mm.usable, w.usable) DESC, w.nth LIMIT 1) way
  WHERE NOT q.has_allow OR EXISTS (SELECT FROM queue_allow a JOIN holds USING (what) WHERE a.queue = q.id)
), counting AS (
  SELECT p.*, c.steps, c.uri, c.driver, c.stranded,
    CASE WHEN p.nearest > 0 THEN row_number() OVER (PARTITION BY p.id ORDER BY c.steps IS NULL, c.stranded, c.steps, q.name) END AS nth
  FROM pairs p JOIN considered c USING (queue) JOIN queue q ON q.id = p.queue
), entries AS (
  SELECT queue, min(steps) AS steps, min(uri) AS uri, min(driver) AS driver, max(weight) AS weight, bool_or(effect = 'place') AS placed
  FROM counting WHERE nearest = 0 OR nth <= nearest AND steps IS NOT NULL GROUP BY queue
), ranked AS (
  SELECT q.name, e.*, row_number() OVER (ORDER BY (e.placed AND e.weight > 0) DESC, e.weight DESC, e.steps NULLS LAST, q.name) = 1 AND e.placed AND e.weight > 0 AS is_default
  FROM entries e JOIN queue q ON q.id = e.queue
)
SELECT name, placed, is_default, uri, driver FROM ranked ORDER BY is_default DESC, placed DESC, steps NULLS LAST, name`

type row struct {
	Queue   string
	Placed  bool
	Default bool
	URI     string
	Driver  string
}

// rowsOf brings a lineup to what SQL and the policy engine give, for comparison.
func rowsOf(l *lineup.Lineup) []row {
	out := make([]row, len(l.Entries))
	for i, e := range l.Entries {
		out[i] = row{e.Queue, e.Effect == lineup.Placed, e.Default, e.Path.URI, e.Driver}
	}
	return out
}

type database struct{ conn *pgx.Conn }

func (d database) ask(ctx context.Context, c lineup.Context) ([]row, error) {
	rows, err := d.conn.Query(ctx, "lineup", c.User, c.Machine, c.Addresses[0], c.Session, c.Platform, c.Time)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[row])
}

// unitsOf gives a unit with all above it.
func unitsOf(unit string) []string {
	var out []string
	for unit != "" {
		out = append(out, "unit:"+unit)
		unit, _ = name.UnitParent(unit)
	}
	return out
}

// facts are the organisation as both SQL and the policy engine are given it.
type facts struct {
	o         *large.Organisation
	w         *lineup.World
	users     [][]string // by user: what the user is
	machines  [][]string
	locs      []string
	locNumber map[string]int
}

func factsOf(o *large.Organisation, w *lineup.World) *facts {
	f := &facts{o: o, w: w, locNumber: map[string]int{}}
	for _, u := range o.Directory.Users {
		list := append([]string{"everyone", "user:" + u.Name}, unitsOf(u.Unit)...)
		for _, m := range lineup.Memberships(w.Directory, "user", u.Name) {
			list = append(list, "group:"+m.Group)
		}
		f.users = append(f.users, list)
	}
	for _, m := range o.Directory.Machines {
		f.machines = append(f.machines, append([]string{"machine:" + m.Name}, unitsOf(m.Unit)...))
	}
	for _, l := range o.Estate.Locations {
		for p := l.Path; p != ""; p = above(p) {
			if _, ok := f.locNumber[p]; !ok {
				f.locNumber[p] = len(f.locs)
				f.locs = append(f.locs, p)
			}
		}
	}
	return f
}

func above(p string) string {
	if i := strings.LastIndexByte(p, '/'); i >= 0 {
		return p[:i]
	}
	return ""
}

func steps(a, b string) (int, bool) {
	x, y := strings.Split(a, "/"), strings.Split(b, "/")
	same := 0
	for same < len(x) && same < len(y) && x[same] == y[same] {
		same++
	}
	return len(x) + len(y) - 2*same, same > 0
}

// driverOf gives the driver's name for a platform of a queue, empty where none fits.
func driverOf(q estate.Queue, platform string) string {
	if d, ok := q.Drivers[platform]; ok {
		return d
	}
	return q.Drivers["*"]
}

var bothPlatforms = []string{"windows/x64", "linux/x64"}

// loadSQL fills the tables.
func loadSQL(ctx context.Context, conn *pgx.Conn, f *facts) error {
	if _, err := conn.Exec(ctx, schema); err != nil {
		return err
	}
	tables := map[string][][]any{}
	add := func(table string, values ...any) { tables[table] = append(tables[table], values) }
	for i, u := range f.o.Directory.Users {
		add("usr", i, u.Name)
		for _, w := range f.users[i] {
			add("usr_in", i, w)
		}
	}
	for i, m := range f.o.Directory.Machines {
		add("machine", i, m.Name)
		for _, w := range f.machines[i] {
			add("machine_in", i, w)
		}
	}
	zones := map[string]string{}
	for _, l := range f.o.Estate.Locations {
		if l.Timezone != "" {
			zones[l.Path] = l.Timezone
		}
	}
	bySite := map[string][]int{}
	for i, p := range f.locs {
		add("loc", i, f.locNumber[estate.Site(p)], zones[estate.Site(p)])
		bySite[estate.Site(p)] = append(bySite[estate.Site(p)], i)
		for up := p; up != ""; up = above(up) {
			add("loc_up", i, f.locNumber[up])
		}
	}
	for _, list := range bySite {
		for _, a := range list {
			for _, b := range list {
				n, _ := steps(f.locs[a], f.locs[b])
				add("loc_distance", a, b, n)
			}
		}
	}
	for _, s := range f.o.Estate.Subnets {
		add("subnet", s.CIDR, f.locNumber[s.Location])
	}
	sets := map[string]int{}
	for i, s := range f.o.Estate.ServerSets {
		sets[s.Name] = i
		for n, m := range s.Members {
			add("member", i, n, s.Style == estate.Spread, m, true)
		}
	}
	book := path.NewBook(f.o.Estate)
	number := map[string]int{}
	for i, q := range f.o.Estate.Queues {
		number[q.Name] = i
		add("queue", i, q.Name, f.locNumber[q.Location], zones[estate.Site(q.Location)], q.Access != nil)
		if q.Access != nil {
			for _, a := range q.Access.Allow {
				add("queue_allow", i, a)
			}
		}
		for _, p := range bothPlatforms {
			if d := driverOf(q, p); d != "" {
				add("queue_driver", i, p, d)
			}
		}
		for n, p := range q.Paths {
			w := path.Of(p, q.Name, book)
			var at, set any
			if len(p.At) > 0 {
				at = f.locNumber[strings.TrimPrefix(p.At[0], "location:")]
			}
			if p.Set != "" {
				set = sets[p.Set]
				for _, m := range w.Members {
					add("member_uri", i, n, m.Server, m.URI)
				}
			}
			add("queue_way", i, n, p.Gateway, at, set, w.URI, true)
		}
	}
	for i, g := range f.o.Estate.Grants {
		add("grant_", i, string(g.Effect), g.Nearest, g.Default, g.Insist, g.IfRemoved != estate.Leave, len(g.To) > 0,
			slices.Contains(g.To, "everyone"), len(g.On) > 0, len(g.At) > 0, len(g.Except) > 0, len(g.Open) > 0,
			orNull(g.Sessions), orNull(g.Platforms))
		for _, s := range g.To {
			if s != "everyone" || len(g.At) == 0 { // else it is found by its place
				add("grant_to", s, i)
			}
		}
		for _, s := range g.On {
			add("grant_on", s, i)
		}
		for _, s := range g.At {
			add("grant_at", i, f.locNumber[strings.TrimPrefix(s, "location:")])
		}
		for _, s := range g.Except {
			add("grant_except", i, s)
		}
		for _, o := range g.Open {
			var days []int32
			for d, word := range []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"} {
				if len(o.Days) == 0 || slices.Contains(o.Days, word) {
					days = append(days, int32(d))
				}
			}
			add("grant_open", i, days, clockOf(o.From), clockOf(o.To))
		}
		for _, q := range f.selected(g, number) {
			add("grant_queue", i, q)
		}
	}
	for table, rows := range tables {
		var columns []string
		r, err := conn.Query(ctx, "SELECT column_name::text FROM information_schema.columns WHERE table_name = $1 ORDER BY "+
			"ordinal_position", table)
		if err == nil {
			columns, err = pgx.CollectRows(r, pgx.RowTo[string])
		}
		if err == nil {
			_, err = conn.CopyFrom(ctx, pgx.Identifier{table}, columns, pgx.CopyFromRows(rows))
		}
		if err != nil {
			return fmt.Errorf("%s: %w", table, err)
		}
	}
	for _, one := range strings.Split(indexes, ";") {
		if _, err := conn.Exec(ctx, one); err != nil {
			return err
		}
	}
	// Compiling takes longer than these queries, a plan made once is as good as one made for each context, and few rows
	// are met at every step, which the planner does not foresee.
	for _, set := range []string{"SET jit = off", "SET plan_cache_mode = force_generic_plan", "SET enable_hashjoin = off",
		"SET enable_mergejoin = off", "SET enable_seqscan = off"} {
		if _, err := conn.Exec(ctx, set); err != nil {
			return err
		}
	}
	_, err := conn.Prepare(ctx, "lineup", lineupSQL)
	if os.Getenv("CIRQUE_EXPLAIN") != "" && err == nil {
		c := f.o.Contexts[4711]
		rows, _ := conn.Query(ctx, "EXPLAIN (ANALYZE, COSTS OFF) EXECUTE lineup('"+c.User+"', '"+c.Machine+"', '"+
			c.Addresses[0].String()+"', '"+c.Session+"', '"+c.Platform+"', '"+c.Time.Format(time.RFC3339)+"')")
		lines, _ := pgx.CollectRows(rows, pgx.RowTo[string])
		fmt.Println(strings.Join(lines, "\n"))
	}
	return err
}

func orNull(list []string) any {
	if len(list) == 0 {
		return nil
	}
	return list
}

func clockOf(s string) pgtype.Time {
	t, _ := time.Parse("15:04", s)
	return pgtype.Time{Microseconds: (time.Duration(t.Hour())*time.Hour +
		time.Duration(t.Minute())*time.Minute).Microseconds(), Valid: true}
}

// selected gives the numbers of the queues that a grant selects; the large organisation uses names and places.
func (f *facts) selected(g estate.Grant, number map[string]int) []int {
	var out []int
	for _, s := range g.Queues {
		if place, ok := strings.CutPrefix(s, "within:"); ok {
			for i, q := range f.o.Estate.Queues {
				if q.Location == place || strings.HasPrefix(q.Location, place+"/") {
					out = append(out, i)
				}
			}
			continue
		}
		out = append(out, number[s])
	}
	slices.Sort(out)
	return slices.Compact(out)
}
