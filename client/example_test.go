package client_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"

	"cirque/client"
)

// A service that knows one queue, for the examples.
func service() *httptest.Server {
	m := http.NewServeMux()
	m.HandleFunc("POST /api/v1/lineups", func(w http.ResponseWriter, _ *http.Request) {
		_, _ = fmt.Fprint(w, `{"revision":1,"entries":[{"queue":"hall-mono","default":true}],"left_out":[]}`)
	})
	m.HandleFunc("POST /api/v1/why", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusNotFound)
		_, _ = fmt.Fprint(w, `{"status":404,"kind":"unknown","code":"queue-unknown","detail":"there is no queue \"hal\""}`)
	})
	m.HandleFunc("GET /api/v1/queues", func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Query().Get("after") == "" {
			_, _ = fmt.Fprint(w, `{"items":[{"name":"hall-colour"}],"next":"hall-colour","total":2}`)
			return
		}
		_, _ = fmt.Fprint(w, `{"items":[{"name":"hall-mono"}],"next":"","total":2}`)
	})
	return httptest.NewServer(m)
}

func Example() {
	s := service()
	defer s.Close()
	c, err := client.New(s.URL, client.Options{Token: "cirque_..."})
	if err != nil {
		fmt.Println(err)
		return
	}
	user, machine := "mira.solvang", "till-07"
	l, err := c.Lineup(context.Background(), client.Context{User: &user, Machine: &machine})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, e := range l.Entries {
		fmt.Println(e.Queue, e.Default)
	}
	_, err = c.Why(context.Background(), client.Context{User: &user}, "hal")
	fmt.Println(client.CodeOf(err))
	// Output:
	// hall-mono true
	// queue-unknown
}

func ExampleAll() {
	s := service()
	defer s.Close()
	c, err := client.New(s.URL, client.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	type queue struct{ Name string }
	for q, err := range client.All[queue](context.Background(), c, "/api/v1/queues", nil) {
		fmt.Println(q.Name, err)
	}
	// Output:
	// hall-colour <nil>
	// hall-mono <nil>
}
