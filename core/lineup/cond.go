package lineup

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/hours"
	"cirque/core/name"
)

// ref is a group or unit that the estate names.
type ref struct {
	written string
	key     string // folded
}

// refs numbers the groups, units and hours that the estate names.
type refs struct {
	groups, units              []ref
	weeks                      []hours.Schedule
	groupByKey, unitBy, weekBy map[string]int32
}

func newRefs() *refs {
	return &refs{groupByKey: map[string]int32{}, unitBy: map[string]int32{}, weekBy: map[string]int32{}}
}

func (r *refs) clone() *refs {
	return &refs{slices.Clip(r.groups), slices.Clip(r.units), slices.Clip(r.weeks), maps.Clone(r.groupByKey),
		maps.Clone(r.unitBy), maps.Clone(r.weekBy)}
}

// week numbers windows with an end; grants and queues often share them.
func (r *refs) week(windows []estate.Window, until string) int32 {
	if len(windows) == 0 && until == "" {
		return none
	}
	key := fmt.Sprint(windows, until)
	i, ok := r.weekBy[key]
	if !ok {
		i = int32(len(r.weeks))
		r.weekBy[key] = i
		r.weeks = append(r.weeks, schedule(windows, until))
	}
	return i
}

func intern(list *[]ref, known map[string]int32, written string) int32 {
	key := name.Fold(written)
	i, ok := known[key]
	if !ok {
		i = int32(len(*list))
		known[key] = i
		*list = append(*list, ref{written, key})
	}
	return i
}

// cond is a compiled list of entries.
type cond struct {
	written         []string
	everyone        bool
	users           []string // folded, as are machines and hosts
	groups, units   []int32
	machines, hosts []string
	locs            []int32
	prefixes        []netip.Prefix
	ranges          [][2]netip.Addr
}

func (c *compiler) cond(entries []string) *cond {
	if len(entries) == 0 {
		return nil
	}
	key := strings.Join(entries, "\x00")
	if known, ok := c.conds[key]; ok {
		return known
	}
	out := &cond{written: entries}
	c.conds[key] = out
	r := c.e.refs
	for _, s := range entries {
		en, err := estate.ParseEntry(s)
		if err != nil {
			continue // Parse has refused it
		}
		switch en.Kind {
		case estate.Everyone:
			out.everyone = true
		case estate.User:
			out.users = append(out.users, name.Fold(en.Name))
		case estate.Group:
			out.groups = append(out.groups, intern(&r.groups, r.groupByKey, en.Name))
		case estate.Unit:
			out.units = append(out.units, intern(&r.units, r.unitBy, en.Name))
		case estate.Machine:
			out.machines = append(out.machines, name.Fold(en.Name))
		case estate.Host:
			out.hosts = append(out.hosts, name.Fold(en.Name))
		case estate.At:
			out.locs = append(out.locs, c.e.tree.byPath[en.Name])
		case estate.InSubnet:
			out.prefixes = append(out.prefixes, en.Prefix)
		case estate.InRange:
			out.ranges = append(out.ranges, [2]netip.Addr{en.From, en.To})
		}
	}
	return out
}

// holds says whether an address lies in a subnet or range of the condition.
func (c *cond) holds(a netip.Addr) bool {
	for _, p := range c.prefixes {
		if p.Contains(a) {
			return true
		}
	}
	for _, r := range c.ranges {
		if a.BitLen() == r[0].BitLen() && r[0].Compare(a) <= 0 && a.Compare(r[1]) <= 0 {
			return true
		}
	}
	return false
}

// Platforms are numbered os by os; what is no platform has the number none.
const platformCount = 18

// platformNumbers has every platform.
var platformNumbers = func() map[string]int32 {
	out := map[string]int32{}
	for i := range platformCount {
		out[platformName(i)] = int32(i)
	}
	return out
}()

func platformNumber(p string) int32 {
	if n, ok := platformNumbers[p]; ok {
		return n
	}
	return none
}

// platformName gives a platform by its number; that after the last is no platform.
func platformName(i int) string {
	if i == platformCount {
		return ""
	}
	n := len(estate.Archs())
	return estate.Systems()[i/n] + "/" + estate.Archs()[i%n]
}

// platformBits has a bit for each platform that a list of platforms and bare systems names; 0 is any.
func platformBits(list []string) uint32 {
	out := uint32(0)
	for _, p := range list {
		for i := range platformCount {
			if full := platformName(i); full == p || strings.HasPrefix(full, p+"/") {
				out |= 1 << i
			}
		}
	}
	return out
}

// sessionBits has a bit for each kind of session in a list; 0 is any.
func sessionBits(list []string) uint8 {
	out := uint8(0)
	for _, s := range list {
		if i := slices.Index(estate.Sessions(), s); i >= 0 {
			out |= 1 << i
		}
	}
	return out
}
