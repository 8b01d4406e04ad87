package agent

import (
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"cirque/core/update"
	"cirque/internal/agentproto"
	"cirque/internal/install"
)

// TestBring: an order counts as heeded once the machine has begun, and not before: one that broke off while it fetched
// is begun anew, and goes on with the parts that it has.
func TestBring(t *testing.T) {
	t.Parallel()
	data := bytes.Repeat([]byte("0123456789abcdef"), update.Chunk/16*2+1)
	var from atomic.Int64 // parts from this one on are refused
	var asked atomic.Int64
	from.Store(1)
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == agentproto.UpdateSaidPath {
			return
		}
		var n int64
		if _, err := fmt.Sscanf(r.URL.Path[strings.LastIndex(r.URL.Path, "/")+1:], "%d", &n); err != nil || n >= from.Load() {
			http.Error(w, "gone", http.StatusNotFound)
			return
		}
		asked.Add(1)
		_, _ = w.Write(data[n*update.Chunk : min(int64(len(data)), (n+1)*update.Chunk)])
	}))
	defer service.Close()
	c, err := newClient(service.URL, "t", nil)
	if err != nil {
		t.Fatal(err)
	}
	state, begun := t.TempDir(), 0
	u := &upgrades{cfg: Config{State: state, Version: "0.1.0", Installer: Installer{Kind: update.Deb,
		Begin: func(string) error { begun++; return nil }}}, client: c}
	dir := install.Folder(state)
	offer := agentproto.UpdateOffer{Order: 7, To: agentproto.UpdatePackage{Version: "0.2.0", File: "p.deb",
		SHA256: sumOf(data), Bytes: int64(len(data))}}
	if err := u.bring(t.Context(), dir, offer, "7"); err == nil || u.heeded() != "" || begun != 0 {
		t.Fatalf("broken off: %v, heeded %q, begun %d times", err, u.heeded(), begun)
	}
	if _, ok, err := install.Read(dir); ok || err != nil {
		t.Fatal("there is a task:", err)
	}
	from.Store(99)
	if err := u.bring(t.Context(), dir, offer, "7"); err != nil || u.heeded() != "7" || begun != 1 {
		t.Fatalf("%v, heeded %q, begun %d times", err, u.heeded(), begun)
	}
	if asked.Load() != 3 {
		t.Errorf("%d parts were handed out, of 3", asked.Load())
	}
	if b, err := os.ReadFile(filepath.Join(dir, "p.deb")); err != nil || !bytes.Equal(b, data) {
		t.Error(len(b), err)
	}
	if task, ok, err := install.Read(dir); !ok || err != nil || task.Back || task.To != "0.2.0" ||
		task.State != install.Begun {
		t.Errorf("%+v %v", task, err)
	}
	for what, p := range map[string]agentproto.UpdatePackage{
		"a file elsewhere": {File: "../p.deb", SHA256: sumOf(data), Bytes: 1}, "no file": {Bytes: 1},
		"no octets": {File: "q.deb"}, "too many": {File: "q.deb", Bytes: update.MaxBytes + 1},
		"another checksum": {File: "q.deb", SHA256: sumOf(nil), Bytes: int64(len(data))},
	} {
		if err := u.fetch(t.Context(), dir, p); err == nil {
			t.Errorf("%s is taken", what)
		}
	}
}
