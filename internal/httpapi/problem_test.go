package httpapi

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"testing"
)

// TestLeft: whoever goes before the answer is no failure of the service; the same error while somebody waits is one.
func TestLeft(t *testing.T) {
	t.Parallel()
	var log bytes.Buffer
	s := &server{log: slog.New(slog.NewTextHandler(&log, nil))}
	gone, leave := context.WithCancel(t.Context())
	leave()
	err := fmt.Errorf("reading: %w", context.Canceled)
	if p := s.fail(gone, err); p.Status != http.StatusRequestTimeout || p.Code != "request-left" || log.Len() > 0 {
		t.Errorf("%+v %s", p, &log)
	}
	if p := s.fail(gone, http.ErrBodyNotAllowed); p.Status != http.StatusInternalServerError || log.Len() == 0 {
		t.Errorf("%+v %s", p, &log)
	}
	log.Reset()
	if p := s.fail(t.Context(), err); p.Status != http.StatusInternalServerError || log.Len() == 0 {
		t.Errorf("%+v %s", p, &log)
	}
}
