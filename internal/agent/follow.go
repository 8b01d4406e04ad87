package agent

import (
	"cmp"
	"math/rand/v2"
	"time"
)

// moves says whether it is time to renew since another authority issues certificates: not all machines at once.
func (a *Agent) moves() bool {
	if a.client.issuer == "" {
		a.moveAt = time.Time{}
		return false
	}
	if a.moveAt.IsZero() {
		spread := cmp.Or(a.cfg.Spread, a.client.pace.Report)
		a.moveAt = time.Now().Add(rand.N(max(spread, time.Millisecond)))
	}
	return !time.Now().Before(a.moveAt)
}
