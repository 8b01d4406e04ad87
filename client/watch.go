package client

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/internal/api"
)

// A Signal tells that something changed: what is to be read again, and of what. Lost means that some signals were lost,
// and everything is to be read again.
type Signal struct {
	ID      string
	What    string // estate, directory, live, endpoint, stock, ...; Lost
	Subject string // its name, where it is about one thing
}

// Lost is the signal of signals that were lost.
const Lost = "lost"

// again is how long is waited before a connection that broke is made anew: at first, and at most.
const (
	againFirst = 250 * time.Millisecond
	againMost  = 30 * time.Second
)

// Watch calls f for every signal, in order, until ctx is done or the service refuses to tell. After a broken connection
// it goes on where it was; what cannot be told any more is a signal Lost. connected, unless nil, is called whenever a
// connection stands.
func (c *Client) Watch(ctx context.Context, connected func(), f func(Signal)) error {
	last, pause := "", againFirst
	for {
		err := c.watch(ctx, &last, func() {
			pause = againFirst
			if connected != nil {
				connected()
			}
		}, f)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if !passing(err) {
			return err // it will not tell, however often it is asked
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(pause):
		}
		pause = min(2*pause, againMost)
	}
}

// passing says whether an error may be over the next time.
func passing(err error) bool {
	p := fault.As(err)
	return p == nil || p.Kind == fault.Unavailable || p.Kind == fault.TooMany || p.Kind == fault.Internal
}

// watch reads one connection to its end (server-sent events, WHATWG HTML section 9.2), from the last event on, and
// keeps which the last was.
func (c *Client) watch(ctx context.Context, last *string, connected func(), f func(Signal)) error {
	head := http.Header{"Accept": {"text/event-stream"}}
	if *last != "" {
		head.Set("Last-Event-ID", *last)
	}
	resp, err := c.c.Raw(ctx, http.MethodGet, "/api/v1/watch", nil, head, nil)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	connected()
	id, data := *last, ""
	for lines := bufio.NewReader(resp.Body); ; {
		line, err := lines.ReadString('\n')
		if err != nil {
			if err == io.EOF {
				err = nil
			}
			return fault.New(fault.Unavailable, "watch-ended", "", "the connection ended").Because(err)
		}
		field, value, _ := strings.Cut(strings.TrimRight(line, "\r\n"), ":")
		value = strings.TrimPrefix(value, " ")
		switch field {
		case "id":
			id = value
		case "data":
			data += value
		case "":
			if line != "\n" {
				continue // a remark
			}
			if *last = id; data == "" {
				continue // nothing is told but where it stands
			}
			var s api.Signal
			if err := json.Unmarshal([]byte(data), &s); err != nil {
				return err
			}
			f(Signal{ID: id, What: s.What, Subject: s.Subject})
			data = ""
		}
	}
}
