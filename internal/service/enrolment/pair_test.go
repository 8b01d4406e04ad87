package enrolment

import (
	"context"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/testkit/rooms"
)

// somePairs keeps pairings in memory, beside the tokens of a store.
type somePairs struct {
	*aStore
	list map[[32]byte]*access.Pairing
}

func (s somePairs) AddPairing(_ context.Context, p access.Pairing, _ string) error {
	s.list[p.Ticket] = &p
	return nil
}

func (s somePairs) find(is func(p *access.Pairing) bool) (access.Pairing, error) {
	for _, p := range s.list {
		if is(p) {
			got := *p
			got.Used = got.Token != 0 && s.tokens[got.Token-1].Used > 0
			return got, nil
		}
	}
	return access.Pairing{}, fault.New(fault.Unknown, "pair-unknown", "", "no machine shows that code")
}

func (s somePairs) Pairing(_ context.Context, ticket [32]byte) (access.Pairing, error) {
	return s.find(func(p *access.Pairing) bool { return p.Ticket == ticket })
}

func (s somePairs) PairingBy(_ context.Context, code string) (access.Pairing, error) {
	return s.find(func(p *access.Pairing) bool { return p.Code == code })
}

func (s somePairs) ShowPairing(_ context.Context, ticket [32]byte, code string) error {
	s.list[ticket].Code = code
	return nil
}

func (s somePairs) LetPairing(ctx context.Context, p access.Pairing, token access.EnrolToken) error {
	t, err := s.AddEnrolToken(ctx, token)
	p.Token = t.ID
	s.list[p.Ticket] = &p
	return err
}

const machineNonce = "A nonce of a machine, long enough"

// shown has a machine ask, and show its code.
func shown(t *testing.T, r *Room, machine, remote string) (ticket, code string) {
	t.Helper()
	p, err := r.Pair(t.Context(), access.Pairing{Machine: machine, Remote: remote, Request: []byte("request"),
		Commitment: access.CommitTo(machineNonce)})
	if err != nil {
		t.Fatal(err)
	}
	if err := r.ShowPairing(t.Context(), p.Ticket, machineNonce); err != nil {
		t.Fatal(err)
	}
	return p.Ticket, access.PairCode(machine, []byte("request"), p.Authority, machineNonce, p.Nonce)
}

func furnishPairs(t *testing.T) (*Room, *aStore, func(time.Duration)) {
	t.Helper()
	r, s, w := furnish(t, &anAuthority{})
	r.pairs = somePairs{s, map[[32]byte]*access.Pairing{}}
	return r, s, w.Pass
}

// TestPair: a machine that shows a code waits until it is typed, is given a certificate then, and once.
func TestPair(t *testing.T) {
	t.Parallel()
	r, _, _ := furnishPairs(t)
	admin := rooms.Who(access.Administrator)
	ticket, code := shown(t, r, "till-07", "10.1.0.9")
	if _, waits, err := r.ClaimPairing(t.Context(), ticket, "10.1.0.9"); err != nil || !waits {
		t.Fatalf("waits: %v %v", waits, err)
	}
	seen, err := r.PairingBy(t.Context(), admin, strings.ToLower(access.ShownCode(code)))
	if err != nil || seen.Machine != "till-07" || seen.Site != "north" || seen.State != access.PairWaiting {
		t.Fatalf("%+v %v", seen, err)
	}
	let, err := r.LetPairing(t.Context(), admin, code, "", "")
	if err != nil || let.State != access.PairLetIn || let.Machine != "Till-07" || let.By != admin.Name {
		t.Fatalf("%+v %v", let, err)
	}
	if _, err := r.LetPairing(t.Context(), admin, code, "", ""); !fault.Is(err, fault.Conflict) {
		t.Error("let in twice:", err)
	}
	got, waits, err := r.ClaimPairing(t.Context(), ticket, "10.1.0.9")
	if err != nil || waits || got.Machine != "Till-07" || got.Site != "north" || !r.CertificateGood(got.Serial) ||
		got.By != "code "+access.ShownCode(code) {
		t.Fatalf("%+v %v %v", got, waits, err)
	}
	if _, _, err := r.ClaimPairing(t.Context(), ticket, "10.1.0.9"); !fault.Is(err, fault.Denied) {
		t.Error("a second certificate:", err)
	}
	if p, err := r.PairingBy(t.Context(), admin, code); err != nil || p.State != access.PairEnrolled {
		t.Errorf("%+v %v", p, err)
	}
	_, again := shown(t, r, "TILL-07", "10.1.0.9")
	if _, err := r.LetPairing(t.Context(), admin, again, "", ""); fault.As(err) == nil || fault.As(err).Code !=
		"enrolled-already" {
		t.Error("a machine that is enrolled is let in once more:", err)
	}
}

// TestPairRefuses: another number than was committed to, a code that is over or unknown, and whoever may not.
func TestPairRefuses(t *testing.T) {
	t.Parallel()
	r, s, pass := furnishPairs(t)
	admin := rooms.Who(access.Administrator)
	p, err := r.Pair(t.Context(), access.Pairing{Machine: "desk-9", Remote: "10.2.0.9", Request: []byte("request"),
		Commitment: access.CommitTo(machineNonce)})
	if err != nil {
		t.Fatal(err)
	}
	if err := r.ShowPairing(t.Context(), p.Ticket, "another"); !fault.Is(err, fault.Denied) {
		t.Error("another number than was committed to:", err)
	}
	if _, err := r.Pair(t.Context(), access.Pairing{Machine: "a\x1b"}); !fault.Is(err, fault.Invalid) {
		t.Error("no name:", err)
	}
	ticket, code := shown(t, r, "desk-9", "10.2.0.9")
	if err := r.ShowPairing(t.Context(), ticket, machineNonce); !fault.Is(err, fault.Denied) {
		t.Error("shown twice:", err)
	}
	for what, c := range map[string]struct {
		p                   *access.Principal
		code, machine, site string
		want                fault.Kind
	}{
		"who may not":                {rooms.Who(access.HelpDesk), code, "", "", fault.Denied},
		"who may elsewhere":          {rooms.Who(access.SiteAdmin, "north"), code, "", "", fault.Denied},
		"a code that nobody shows":   {admin, "00000000", "", "", fault.Unknown},
		"what is no code":            {admin, "abc", "", "", fault.Invalid},
		"a site that there is not":   {admin, code, "", "west", fault.Invalid},
		"where the machine does not": {admin, code, "", "north", fault.Denied},
		"no name":                    {admin, code, "a\x1b", "", fault.Invalid},
	} {
		if _, err := r.LetPairing(t.Context(), c.p, c.code, c.machine, c.site); !fault.Is(err, c.want) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if _, waits, err := r.ClaimPairing(t.Context(), ticket, ""); !waits || err != nil || len(s.tokens) != 0 {
		t.Errorf("after all that it waits still: %v %v, %d tokens", waits, err, len(s.tokens))
	}
	pass(access.PairLasts)
	if _, err := r.LetPairing(t.Context(), admin, code, "", ""); !fault.Is(err, fault.Conflict) {
		t.Error("after it has ended:", err)
	}
	if _, _, err := r.ClaimPairing(t.Context(), ticket, ""); !fault.Is(err, fault.Denied) {
		t.Error("after it has ended:", err)
	}
	if _, _, err := r.ClaimPairing(t.Context(), "none", ""); !fault.Is(err, fault.Denied) {
		t.Error("without a ticket:", err)
	}
	plain, _, _ := furnish(t, nil)
	if _, err := plain.Pair(t.Context(), access.Pairing{Machine: "x"}); !fault.Is(err, fault.Unavailable) {
		t.Error("without an authority:", err)
	}
}

// TestPairRenamed: a machine that calls itself otherwise is let in under its name in the directory.
func TestPairRenamed(t *testing.T) {
	t.Parallel()
	r, s, _ := furnishPairs(t)
	ticket, code := shown(t, r, "localhost", "192.0.2.1")
	if _, err := r.LetPairing(t.Context(), rooms.Who(access.Administrator), code, "till-07", ""); err != nil {
		t.Fatal(err)
	}
	got, _, err := r.ClaimPairing(t.Context(), ticket, "192.0.2.1")
	if err != nil || got.Machine != "Till-07" || got.Site != "north" {
		t.Errorf("%+v %v", got, err)
	}
	for _, k := range s.kinds() {
		if k == event.EnrolRefused {
			t.Error("a refusal is recorded")
		}
	}
}
