package lineup

import (
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
)

// A tree is the estate's locations with their ancestors, numbered so that those under a location follow it.
type tree struct {
	locs   []location
	byPath map[string]int32
	zones  []*time.Location // the first is UTC
	zone   func(string) *time.Location
}

type location struct {
	path  string
	up    int32
	end   int32 // after the last location under it
	depth int32
	site  int32
	zone  int32
}

func newTree(list []estate.Location, zone func(string) *time.Location) *tree {
	t := &tree{byPath: map[string]int32{}, zones: []*time.Location{time.UTC}, zone: zone}
	var paths []string
	for _, l := range list {
		for path := l.Path; ; {
			if _, known := t.byPath[path]; known {
				break
			}
			t.byPath[path] = none
			paths = append(paths, path)
			i := strings.LastIndexByte(path, '/')
			if i < 0 {
				break
			}
			path = path[:i]
		}
	}
	// A slash sorts before whatever a name may hold, so that what is under a location follows it.
	key := func(p string) string { return strings.ReplaceAll(p, "/", "\x00") }
	slices.SortFunc(paths, func(a, b string) int { return strings.Compare(key(a), key(b)) })
	for i, p := range paths {
		t.byPath[p] = int32(i)
		l := location{path: p, up: none, end: int32(i + 1), site: int32(i)}
		if cut := strings.LastIndexByte(p, '/'); cut >= 0 {
			l.up = t.byPath[p[:cut]]
			l.depth, l.site = t.locs[l.up].depth+1, t.locs[l.up].site
		}
		t.locs = append(t.locs, l)
	}
	for i := len(t.locs) - 1; i >= 0; i-- {
		if up := t.locs[i].up; up != none {
			t.locs[up].end = max(t.locs[up].end, t.locs[i].end)
		}
	}
	t.tell(list)
	return t
}

// tell gives every location the time zone of its site.
func (t *tree) tell(list []estate.Location) {
	known := map[string]int32{}
	for _, l := range list {
		if l.Timezone == "" || t.zone == nil {
			continue
		}
		n, ok := known[l.Timezone]
		if !ok {
			if z := t.zone(l.Timezone); z != nil {
				n = int32(len(t.zones))
				t.zones = append(t.zones, z)
			}
			known[l.Timezone] = n
		}
		t.locs[t.byPath[l.Path]].zone = n
	}
	for i := range t.locs {
		t.locs[i].zone = t.locs[t.locs[i].site].zone
	}
}

// under says whether location a is b or under b.
func (t *tree) under(a, b int32) bool { return b <= a && a < t.locs[b].end }

// far is the distance of what has none; it sorts last.
const far = 1 << 30

// distance counts the steps between two locations, up to the common ancestor and down again.
func (t *tree) distance(a, b int32) int32 {
	if a == none || b == none || t.locs[a].site != t.locs[b].site {
		return far
	}
	steps := int32(0)
	for a != b {
		if t.locs[a].depth >= t.locs[b].depth {
			a = t.locs[a].up
		} else {
			b = t.locs[b].up
		}
		steps++
	}
	return steps
}

func (t *tree) paths() []string {
	out := make([]string, 0, len(t.locs))
	for _, l := range t.locs {
		out = append(out, l.path)
	}
	slices.Sort(out)
	return out
}
