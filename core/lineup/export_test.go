package lineup

// Explain is Why without the smallest change, which takes longest.
func Explain(w *World, c Context, queue string) (*Why, error) {
	y, _, err := explain(w, c, queue)
	return y, err
}

// Matching names the grants that match a context and select a queue.
func (w *World) Matching(c Context, queue string) []string {
	y, _, err := explain(w, c, queue)
	if err != nil {
		return nil
	}
	var out []string
	for _, g := range y.Grants {
		if g.Matches {
			out = append(out, g.Grant)
		}
	}
	return out
}
