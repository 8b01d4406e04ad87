package lineup

// Matching names the grants that match a context and select a queue.
func (w *World) Matching(c Context, queue string) []string {
	y, err := w.Why(c, queue)
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
