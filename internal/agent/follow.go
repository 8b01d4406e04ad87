package agent

import (
	"cmp"
	"crypto/ed25519"
	"math/rand/v2"
	"time"

	"cirque/internal/agentproto"
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

// learned keeps a key of the service's answers at once, since the next start is to know it: beside the certificate that
// the machine has now, or, where it has none, with what else survives a restart.
func (a *Agent) learned(key ed25519.PublicKey) {
	if a.identity == nil {
		a.kept.Key = agentproto.WriteKey(key)
		a.keep()
		return
	}
	next := *a.identity
	next.AnswerKey = agentproto.WriteKey(key)
	if err := next.save(a.cfg.State); err != nil {
		a.cfg.Log.Warn("the service's new key could not be kept", "error", err)
	}
	a.identity = &next
}
