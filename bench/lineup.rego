# The large organisation's lineups as a policy: the queues of a context in order, with effect, default, path and driver.
package cirque

import rego.v1

location := data.subnet[concat(".", array.slice(split(input.address, "."), 0, 3))]

places := data.up[location]

holds contains w if some w in data.users[input.user]

holds contains w if some w in data.machines[input.machine]

found contains g if {
	some w in data.users[input.user]
	some g in data.grant_to[w]
}

found contains g if {
	some w in data.machines[input.machine]
	some g in data.grant_on[w]
}

found contains g if {
	some p in places
	some g in data.grant_at[p]
}

matching contains id if {
	some id in found
	g := data.grants[id]
	session_holds(g)
	platform_holds(g)
	place_holds(g)
	machine_holds(g)
	not excepted(g)
}

session_holds(g) if not g.sessions

session_holds(g) if input.session in g.sessions

platform_holds(g) if not g.platforms

platform_holds(g) if input.platform in g.platforms

platform_holds(g) if split(input.platform, "/")[0] in g.platforms

place_holds(g) if not g.at

place_holds(g) if {
	some p in g.at
	p in places
}

machine_holds(g) if not g.on

machine_holds(g) if {
	some w in g.on
	w in holds
}

excepted(g) if {
	some w in g.except
	w in holds
}

pairs[q] contains id if {
	some id in matching
	g := data.grants[id]
	some q in g.queues
	open(g, q)
}

open(g, _) if not g.open

open(g, q) if {
	zone := data.queues[q].zone
	some o in g.open
	time.weekday([input.time, zone]) in o.days
	[h, m, _] := time.clock([input.time, zone])
	h * 60 + m >= o.from
	h * 60 + m < o.to
}

considered[q] := object.union(way(q), {"steps": distance(q)}) if {
	some q, ids in pairs
	some id in ids
	data.grants[id].effect != "withhold"
	not withheld(ids)
	permitted(q)
}

withheld(ids) if {
	some id in ids
	data.grants[id].effect == "withhold"
}

permitted(q) if not data.queues[q].allow

permitted(q) if {
	some w in data.queues[q].allow
	w in holds
}

distance(q) := d if d := data.distance[location][data.queues[q].location]

distance(q) := 1000000 if not data.distance[location][data.queues[q].location]

way(q) := {"uri": uri(w), "driver": driver(w, q)} if {
	ways := data.queues[q].ways
	i := min([i | some i, w in ways; leads(w); driver(w, q)])
	w := ways[i]
}

leads(w) if not w.at

leads(w) if w.at in places

driver(w, _) := "driverless" if w.gateway

driver(w, q) := d if {
	not w.gateway
	d := data.queues[q].drivers[input.platform]
}

uri(w) := w.uri if not w.members

uri(w) := w.members[0].uri if w.style == "standby"

uri(w) := best[1] if {
	w.style == "spread"
	scored := sort([[crypto.sha256(concat("", [m.name, "\u0000", "user:", input.user])), m.uri] | some m in w.members])
	best := scored[count(scored) - 1]
}

near[id] contains t[1] if {
	some id in matching
	n := data.grants[id].nearest
	n > 0
	line := sort([[considered[q].steps, q] | some q in data.grants[id].queues; id in pairs[q]; considered[q].steps < 1000000])
	some t in array.slice(line, 0, n)
}

counts(id, q) if {
	data.grants[id].effect != "withhold"
	data.grants[id].nearest == 0
}

counts(id, q) if q in near[id]

entries[q] := {"weight": max([data.grants[id].weight | some id in ids]), "rank": min([rank(data.grants[id]) | some id in ids])} if {
	some q, _ in considered
	ids := [id | some id in pairs[q]; counts(id, q)]
	count(ids) > 0
}

rank(g) := 0 if g.effect == "place"

rank(g) := 2 if g.effect == "offer"

candidates := sort([[0 - e.weight, considered[q].steps, q] | some q, e in entries; e.rank == 0; e.weight > 0])

default_queue := candidates[0][2]

is_default(q) := 0 if q == default_queue

is_default(q) := 1 if {
	count(candidates) > 0
	q != default_queue
}

is_default(_) := 1 if count(candidates) == 0

lineup := [{"queue": t[3], "placed": t[1] == 0, "default": t[0] == 0, "uri": considered[t[3]].uri, "driver": considered[t[3]].driver} |
	some t in sort([[is_default(q), e.rank, considered[q].steps, q] | some q, e in entries])
]
