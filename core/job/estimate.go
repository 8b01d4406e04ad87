package job

// A PageRange is pages from First to Last, both included, from 1 on (RFC 8011, section 5.2.7).
type PageRange struct{ First, Last int }

// Estimate is how many impressions a document of so many pages comes to: those in the ranges (all where there are
// none), so many on a side, so many times. Printing on both sides halves nothing. nil where the pages are not known.
func Estimate(pages *int, ranges []PageRange, numberUp, copies int) *int {
	if pages == nil {
		return nil
	}
	n := *pages
	if len(ranges) > 0 {
		n = 0
		for _, r := range ranges {
			n += max(0, min(r.Last, *pages)-max(r.First, 1)+1)
		}
	}
	numberUp, copies = max(numberUp, 1), max(copies, 1)
	n = (n + numberUp - 1) / numberUp * copies
	return &n
}
