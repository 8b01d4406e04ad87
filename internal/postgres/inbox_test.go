package postgres

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/event"
)

// TestInbox: what is put in is told in its order; a notice that waits already is told once, before whatever came after
// the first; of very many everything is read again.
func TestInbox(t *testing.T) {
	t.Parallel()
	var told []string
	hold, begun := make(chan bool), make(chan bool)
	done := make(chan bool)
	b := newInbox(func(n event.Signal) {
		told = append(told, n.What+n.Subject)
		if n.What == "first" {
			close(begun)
			<-hold
		}
		if n.What == "last" {
			close(done)
		}
	}, func(at time.Time) { told = append(told, fmt.Sprint(at.Unix())) },
		func(err error) { told = append(told, err.Error()) })
	go b.tell()
	defer b.close()
	say := func(what, subject string) { b.put(message{signal: &event.Signal{What: what, Subject: subject}}) }
	say("first", "")
	<-begun // it is being heard, however long that takes
	for range 100 {
		say("access", "token")
		say("access", "session")
	}
	b.put(message{asOf: time.Unix(7, 0)})
	say("first-again", "")
	say("access", "token")
	b.put(message{down: errDeaf})
	say("last", "")
	close(hold)
	<-done
	if got := strings.Join(told, ", "); got != "first, accesstoken, accesssession, 7, first-again, "+
		""+errDeaf.Error()+", last" {
		t.Error(got)
	}

	full := newInbox(nil, nil, nil)
	for i := range inboxMost + 5 {
		full.put(message{signal: &event.Signal{What: "endpoint", Subject: fmt.Sprint(i)}})
	}
	if len(full.list) != 6 || full.list[0].signal.What != event.Lost || len(full.queued) != 6 {
		t.Errorf("%d wait, first %+v", len(full.list), full.list[0].signal)
	}
}
