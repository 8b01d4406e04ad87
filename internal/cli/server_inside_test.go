package cli

import (
	"strings"
	"testing"

	"cirque/internal/cmdline"
)

// TestMatrixUnread: servers that were not read are named, so that no hole is not taken for all being well.
func TestMatrixUnread(t *testing.T) {
	t.Parallel()
	for unread, says := range map[string]string{"1": "What is on ps-1 is not known: cirque server read ps-1", "0": ""} {
		s := newService(t, `{"servers":[{"name":"ps-1","kept":false,"read":null,"unread":`+unread+`}],"platforms":[],"holes":0,`+
			`"rows":[{"queue":"hall","hole":false,"platforms":[],"servers":[{"state":"unread"}]}]}`)
		code, out, errs := s.run(t, "server", "matrix")
		if code != cmdline.ExitOK || !strings.Contains(out, "1 queue, 0 with a hole.") || !strings.Contains(out, says) ||
			says == "" && strings.Contains(out, "not known") {
			t.Errorf("%s: %d %q %q", unread, code, out, errs)
		}
	}
}
