package job

import "cirque/core/estate"

// A Balance belongs to an allowance, a person, and the local date on which a window begins.
type Balance struct {
	Allowance string
	Begins    string
	Pages     int // that the window has
	Over      estate.Over
	Used      int
	Reserved  int
}

// Left is how many pages are neither used nor reserved; below 0 where a device counted more than was estimated.
func (b Balance) Left() int { return b.Pages - b.Used - b.Reserved }

// A Judgement says whether a job has room in all of its allowances, and what it reserves in each.
type Judgement struct {
	Over    estate.Over // "" where all have room; else what is done
	By      string      // the allowance that has none
	Reserve []int       // for each balance, in their order; nil where the job is refused or held
	Tell    []string    // allowances that are overdrawn and only told of
}

// Judge holds a job of so many pages, nil where that is not known, against the balances of its allowances. Refuse comes
// before hold, and hold before tell.
func Judge(pages *int, list []Balance) Judgement {
	var out Judgement
	fits := func(b Balance) bool {
		if pages == nil {
			return b.Left() >= 1
		}
		return *pages <= b.Left()
	}
	for _, over := range []estate.Over{estate.OverRefuse, estate.OverHold, estate.OverTell} {
		for _, b := range list {
			if b.Over != over || fits(b) {
				continue
			}
			if over != estate.OverTell {
				return Judgement{Over: over, By: b.Allowance}
			}
			if out.By == "" {
				out.Over, out.By = over, b.Allowance
			}
			out.Tell = append(out.Tell, b.Allowance)
		}
	}
	for _, b := range list {
		reserve := max(b.Left(), 0) // of what is not known, all that is left
		if pages != nil {
			reserve = *pages
		}
		out.Reserve = append(out.Reserve, reserve)
	}
	return out
}

// An End is how a job came to its end.
type End struct {
	State State
	Told  *int // impressions that the device says are completed; nil where it says nothing
	Sent  bool // bytes of the document went to a device
	Pages *int // the estimate; nil where there was none
}

// Counts gives the pages that a job counts for in the end, where it had reserved so many.
func (e End) Counts(reserved int) int {
	if e.Told != nil && *e.Told > 0 {
		return *e.Told
	}
	nothing := e.Told != nil || !e.Sent // it says that nothing came out, or nothing went there
	if e.State != Completed && nothing {
		return 0
	}
	if e.Pages != nil {
		return *e.Pages
	}
	return reserved
}
