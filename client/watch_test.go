package client_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"testing"

	"cirque/client"
)

// TestWatchGoesOn: after every break it goes on from the last event, also where none was told before the break, and it
// ends where the service refuses.
func TestWatchGoesOn(t *testing.T) {
	t.Parallel()
	var from []string
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		from = append(from, r.Header.Get("Last-Event-ID"))
		switch len(from) {
		case 1:
			_, _ = fmt.Fprint(w, "retry: 1000\nid: a-5\n\n: watching\n\n")
		case 2:
			_, _ = fmt.Fprint(w, "id: a-7\n\n", "id: a-6\nevent: notice\ndata: {\"what\": \"estate\"}\n\n",
				"id: a-7\nevent: notice\ndata: {\"what\": \"live\", \"subject\": \"ps-1\"}\n\n", "id: a-8\nda")
		default:
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusUnauthorized)
			_, _ = fmt.Fprint(w, `{"status":401,"kind":"unsigned","code":"signed-out","detail":"it has ended"}`)
		}
	}))
	defer s.Close()
	c, err := client.New(s.URL, client.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var heard []client.Signal
	err = c.Watch(context.Background(), nil, func(s client.Signal) { heard = append(heard, s) })
	if client.CodeOf(err) != "signed-out" {
		t.Error(err)
	}
	if !slices.Equal(from, []string{"", "a-5", "a-7"}) {
		t.Errorf("it went on from %q", from)
	}
	if !slices.Equal(heard, []client.Signal{{ID: "a-6", What: "estate"}, {ID: "a-7", What: "live", Subject: "ps-1"}}) {
		t.Errorf("%+v", heard)
	}
}
