package httpapi

import (
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/gin-gonic/gin"

	"cirque/internal/api"
)

// TestPanicIsTold: an operation that panics while its answer is held back is answered with a problem all the same.
func TestPanicIsTold(t *testing.T) {
	t.Parallel()
	switches()
	s := &server{log: slog.New(slog.DiscardHandler)}
	r := gin.New()
	r.Use(gin.CustomRecoveryWithWriter(nil, s.panicked), s.conditional)
	r.GET("/api/v1/broken", func(c *gin.Context) {
		_, _ = c.Writer.WriteString("half an ans")
		panic("broken")
	})
	w := httptest.NewRecorder()
	r.ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/api/v1/broken", nil))
	var p api.Problem
	if err := json.Unmarshal(w.Body.Bytes(), &p); err != nil || w.Code != http.StatusInternalServerError ||
		p.Code != "internal" {
		t.Errorf("%d %q %v", w.Code, w.Body, err)
	}
}
