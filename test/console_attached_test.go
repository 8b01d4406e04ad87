package test

import (
	"net/http"
	"sync"
	"testing"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
)

// deskWithSlips runs the agent of a desk into which a printer is plugged.
func deskWithSlips(t *testing.T, s *aService) {
	t.Helper()
	d := newDesk(t, deskOne+"attached: [{uri: \"usb://Skerrymark/Slip%203?serial=SK-3\", model: Skerrymark Slip 3, "+
		"serial: SK-3, languages: [TEXT], printer: true}]\n")
	d.run(s.URL, s.tokenFor("one", access.Agent, "desk-1"))
	s.reaches("desk-1", endpoint.Converged)
}

// TestConsoleAttached: what is plugged into a machine stands on its page, becomes a queue without its address being
// typed, and the queue's steps say what is left to do.
func TestConsoleAttached(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish("estate: 1\nqueues: [{name: lobby, paths: [{gateway: true}]}]\n" +
		"grants: [{name: all, effect: place, queues: [lobby], to: [everyone]}]\n")
	deskWithSlips(t, s)
	p := consoleOf(t, s)
	p.goTo("/endpoints?endpoint=desk-1")
	p.see("Plugged into it")
	p.see("Skerrymark Slip 3, speaks TEXT; serial SK-3")
	p.look("attached")
	p.press("button", "Make a queue of it…")
	p.see("adds the device skerrymark-slip-3-desk-1")
	p.press("button", "Keep 1 queue in the draft")
	mira := s.as("mira")
	within(t, "it is in the draft", func() bool {
		c, err := apiclient.Get[api.Draft](t.Context(), mira, "/api/v1/draft", nil)
		return err == nil && c.Total == 2
	})
	p.see("2 changes not published")
	p.see("Plugged into it") // it has led back
	p.goTo("/queues?queue=lobby")
	p.press("summary", "What is done, and what is to do")
	p.see("3 open steps")
	p.see("cirque draft set queue lobby devices+=NAME")
	p.look("steps")
	p.goTo("/")
	p.press("summary", "What is done, and what is to do")
	p.see("Is somebody told of faults?")
	p.look("setup")
}

// TestConsoleLeftWhileSaving: whoever goes to another page while something is being kept is not led away from it when
// that is done.
func TestConsoleLeftWhileSaving(t *testing.T) {
	t.Parallel()
	heard := make(chan struct{})
	let := sync.OnceFunc(func() { close(heard) })
	t.Cleanup(let)
	s := startService(t, func(o *app.Options) {
		o.Around = func(h http.Handler) http.Handler {
			return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				h.ServeHTTP(w, r)
				if r.URL.Path == "/api/v1/stock/adoptions" {
					<-heard // kept, and the page has not heard
				}
			})
		}
	})
	s.importDirectory(twoPeople)
	s.publish("estate: 1\n")
	deskWithSlips(t, s)
	p := consoleOf(t, s)
	p.goTo("/endpoints?endpoint=desk-1")
	p.press("button", "Make a queue of it…")
	p.press("button", "Keep 1 queue in the draft")
	p.see("2 changes not published")
	p.press("link", "Overview")
	p.see("Revision 1")
	p.until(`location.pathname === "/"`)
	let()
	p.until(`performance.getEntriesByType("resource").some((e) => e.name.endsWith("/stock/adoptions"))`)
	// What follows from it has been asked for, and has come.
	p.until(`performance.now() - Math.max(...performance.getEntriesByType("resource").map((e) => e.responseEnd)) > 500`)
	if at := p.eval("location.pathname"); at != "/" {
		t.Error("the page is", at)
	}
}
