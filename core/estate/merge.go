package estate

// A Conflict is an object that two sides have changed in different ways, or a document that would not hold together.
type Conflict struct {
	Ref
	Says   string `json:"says"`
	Mine   *Diff  `json:"mine,omitempty" doc:"What the draft does to it."`
	Theirs *Diff  `json:"theirs,omitempty" doc:"What has been published since."`
}

// Merge puts the changes that lead from base to mine onto theirs. What only one side changed, or both equally, is no
// conflict; anything else is, and the document is nil then. The merged document is checked as a whole.
func Merge(base *Document, mine []Change, theirs *Document) (*Document, []Conflict) {
	published := map[Ref]Change{}
	for _, c := range Changes(base, theirs) {
		published[c.Ref] = c
	}
	var conflicts []Conflict
	for _, m := range mine {
		t, both := published[m.Ref]
		if !both || SameObject(m.List, m.After, t.After) {
			continue
		}
		d := Diffs([]Change{m, t})
		conflicts = append(conflicts, Conflict{Ref: m.Ref, Says: m.Ref.String() + " was " + t.Kind() +
			" since the draft began, and the draft " + does(m), Mine: &d[0], Theirs: &d[1]})
	}
	if len(conflicts) > 0 {
		return nil, conflicts
	}
	merged := theirs.With(mine)
	for _, p := range Integrity(merged) {
		conflicts = append(conflicts, Conflict{Ref: p.At, Says: p.What + "; " + p.Fix})
	}
	if len(conflicts) > 0 {
		return nil, conflicts
	}
	return merged, nil
}

func does(c Change) string {
	switch c.Kind() {
	case "added":
		return "adds it differently"
	case "removed":
		return "takes it out"
	}
	return "changes it differently"
}

// SameObject says whether two objects of a list are equal; nil is none.
func SameObject(list string, a, b any) bool {
	if a == nil || b == nil {
		return a == nil && b == nil
	}
	t, ok := tableOf(list)
	return ok && t.equal(a, b)
}
