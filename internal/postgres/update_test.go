package postgres_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/page"
	"cirque/core/update"
	"cirque/internal/testkit"
)

// TestAgentPackages: a package comes out in the parts that it went in as; another of the same version for the same
// machines is none.
func TestAgentPackages(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	k, err := update.Named("cirque-agent_0.2.0_amd64.deb")
	if err != nil {
		t.Fatal(err)
	}
	data := bytes.Repeat([]byte("0123456789abcdef"), update.Chunk/16*2+1)
	k.Digest, k.Bytes, k.Author = strings.Repeat("a", 64), int64(len(data)), "mira"
	for _, want := range []bool{false, true} {
		if known, err := s.Updates.AddAgentPackage(ctx, k, data, happening("x")); err != nil || known != want {
			t.Fatal(known, err)
		}
	}
	var got []byte
	for n := 0; ; n++ {
		b, err := s.Updates.AgentPackageChunk(ctx, k.Digest, n)
		if err != nil {
			t.Fatal(err)
		}
		if b == nil {
			break
		}
		got = append(got, b...)
	}
	if !bytes.Equal(got, data) {
		t.Errorf("%d octets of %d", len(got), len(data))
	}
	other := k
	other.Digest = strings.Repeat("b", 64)
	if _, err := s.Updates.AddAgentPackage(ctx, other, data, happening("x")); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
	renamed, err := update.Named("cirque-agent_0.2.1_amd64.deb")
	if err != nil {
		t.Fatal(err)
	}
	renamed.Digest = k.Digest
	if _, err := s.Updates.AddAgentPackage(ctx, renamed, data,
		happening("x")); fault.As(err).Code != "agent-package-renamed" {
		t.Error(err)
	}
	if err := s.Updates.RemoveAgentPackage(ctx, other.Digest, happening("x")); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if err := s.Updates.RemoveAgentPackage(ctx, k.Digest, happening("x")); err != nil {
		t.Error(err)
	}
	if list, err := s.Updates.AgentPackages(ctx); err != nil || len(list) != 0 {
		t.Error(list, err)
	}
	if b, err := s.Updates.AgentPackageChunk(ctx, k.Digest, 0); b != nil || err != nil {
		t.Error("its contents stay:", err)
	}
}

// TestUpdateOrders: one order is under way at a time and goes on from where it stands alone; what machines say is
// counted since it went on, and one that began and says nothing is silent after a while.
func TestUpdateOrders(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	at := time.Now().UTC().Truncate(time.Microsecond)
	o, err := s.Updates.AddUpdate(ctx, update.Order{Version: "0.2.0", Shares: []int{5, 100}, State: update.Running},
		happening("x"))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Updates.AddUpdate(ctx, o, happening("x")); !fault.Is(err, fault.Conflict) {
		t.Error("a second one:", err)
	}
	next := o
	next.Stage = 1
	if err := s.Updates.SaveUpdate(ctx, o, next, happening("x")); err != nil {
		t.Fatal(err)
	}
	if err := s.Updates.SaveUpdate(ctx, o, next, happening("x")); !fault.Is(err, fault.Conflict) {
		t.Error("from where it no longer stands:", err)
	}
	if last, err := s.Updates.LastUpdate(ctx); err != nil || last.ID != o.ID || last.Stage != 1 {
		t.Errorf("%+v %v", last, err)
	}
	for _, r := range []update.Record{
		{Machine: "Desk-1", Former: "0.1.0", State: update.Begun, At: at.Add(-time.Hour)},
		{Machine: "desk-1", Former: "0.2.0", State: update.Came, At: at},
		{Machine: "desk-2", Former: "0.1.0", State: update.Begun, At: at.Add(-time.Hour)},
		{Machine: "desk-3", Former: "0.1.0", State: update.Begun, At: at},
		{Machine: "desk-4", Former: "0.1.0", State: update.Failed, At: at.Add(-2 * time.Hour), Says: "no room"},
	} {
		if err := s.Updates.SaveUpdateRecord(ctx, o.ID, r, happening("x")); err != nil {
			t.Fatal(err)
		}
	}
	silent := at.Add(-update.SilentAfter)
	c, faulty, err := s.Updates.CountUpdate(ctx, o.ID, time.Time{}, silent)
	if err != nil || c != (update.Counts{Begun: 1, Came: 1, Failed: 1, Silent: 1}) || strings.Join(faulty,
		" ") != "desk-4 desk-2" {
		t.Errorf("%+v %v %v", c, faulty, err)
	}
	if c, faulty, err = s.Updates.CountUpdate(ctx, o.ID, at.Add(-time.Minute), silent); err != nil ||
		c.Failed+c.Silent != 0 ||
		len(faulty) != 0 {
		t.Errorf("since it went on: %+v %v %v", c, faulty, err)
	}
	if r, err := s.Updates.UpdateRecord(ctx, o.ID, "DESK-1"); err != nil || r == nil || r.Former != "0.1.0" ||
		r.State != update.Came {
		t.Errorf("%+v %v", r, err)
	}
	list, err := s.Updates.UpdateRecords(ctx, o.ID, update.Silent, silent, page.Ask{})
	if err != nil || list.Total != 1 || list.Items[0].Machine != "desk-2" || list.Items[0].State != update.Silent {
		t.Errorf("%+v %v", list, err)
	}
	if list, err := s.Updates.UpdateRecords(ctx, o.ID, "", silent, page.Ask{Limit: 3}); err != nil || list.Total != 4 ||
		len(list.Items) != 3 {
		t.Errorf("%+v %v", list, err)
	}
}

// TestPairings: a machine is found by its ticket and by the code that it shows, is let in once, and so many wait.
func TestPairings(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	at := time.Now().UTC().Truncate(time.Microsecond)
	p := access.Pairing{Ticket: [32]byte{1}, Machine: "desk-1", Remote: "192.0.2.1", At: at,
		EndsAt: at.Add(access.PairLasts)}
	if err := s.Enrolments.AddPairing(ctx, p, "192.0.2.1"); err != nil {
		t.Fatal(err)
	}
	if err := s.Enrolments.ShowPairing(ctx, p.Ticket, "K7QM3RTD"); err != nil {
		t.Fatal(err)
	}
	if err := s.Enrolments.ShowPairing(ctx, p.Ticket, "00000000"); err != nil {
		t.Fatal(err)
	}
	got, err := s.Enrolments.PairingBy(ctx, "K7QM3RTD") // the first stays
	if err != nil || got.Ticket != p.Ticket || got.Token != 0 || got.Used {
		t.Fatalf("%+v %v", got, err)
	}
	token := access.EnrolToken{Name: "code", Uses: 1, ExpiresAt: p.EndsAt, Author: "mira", Hash: [32]byte{7}}
	if err := s.Enrolments.LetPairing(ctx, got, token); err != nil {
		t.Fatal(err)
	}
	token.Name, token.Hash = "code once more", [32]byte{8}
	if err := s.Enrolments.LetPairing(ctx, got, token); !fault.Is(err, fault.Conflict) {
		t.Error("let in twice:", err)
	}
	if list, err := s.Enrolments.EnrolTokens(ctx); err != nil || len(list) != 1 {
		t.Errorf("%+v %v", list, err)
	}
	if got, err = s.Enrolments.Pairing(ctx, p.Ticket); err != nil || got.Token == 0 || got.Code != "K7QM3RTD" {
		t.Errorf("%+v %v", got, err)
	}
	if _, err := s.Enrolments.Pairing(ctx, [32]byte{9}); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	for i := range access.PairHere + 1 {
		q := p
		q.Ticket = [32]byte{2, byte(i)}
		err := s.Enrolments.AddPairing(ctx, q, "192.0.2.2")
		if over := i == access.PairHere; fault.Is(err, fault.TooMany) != over || !over && err != nil {
			t.Fatalf("the %dth: %v", i+1, err)
		}
	}
	later := p
	later.Ticket, later.At = [32]byte{3}, at.Add(2*time.Hour)
	later.EndsAt = later.At.Add(access.PairLasts)
	if err := s.Enrolments.AddPairing(ctx, later, "192.0.2.2"); err != nil {
		t.Error("after they have ended:", err)
	}
	if _, err := s.Enrolments.Pairing(ctx, p.Ticket); !fault.Is(err, fault.Unknown) {
		t.Error("what has ended long ago stays:", err)
	}
}
