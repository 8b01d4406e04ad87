package postgres

import (
	"context"
	"crypto/rand"
	"errors"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"cirque/core/event"
	"cirque/core/fault"
)

// How a listening connection is kept from going deaf: after so long without a word it sends itself a notice, which has
// to come within so long; and what was sent is compared with what came.
const (
	beatEvery    = 2 * time.Second
	beatWithin   = 4 * time.Second
	compareEvery = 5 * time.Second
	// comparedFor is how far back is compared, by the database's clock, and forgetAfter how long what was sent is kept.
	comparedFor = time.Minute
	forgetAfter = 10 * time.Minute
)

// Listen gives notices to hear until ctx is done. Whenever it (re)connects, event.Lost comes first, since notices may
// have been missed. current says that everything that was sent before a time of this process's clock has been given;
// down that the connection is away, and why: one that says nothing is tried every few seconds, and given up. All are
// called one at a time.
func (s *Store) Listen(ctx context.Context, hear func(event.Signal), current func(asOf time.Time), down func(error)) {
	const shortest, longest = 50 * time.Millisecond, 2 * time.Second
	box := newInbox(hear, current, down)
	var wg sync.WaitGroup
	wg.Go(box.tell)
	defer wg.Wait()
	defer box.close()
	wait := shortest
	for ctx.Err() == nil {
		err := s.listen(ctx, box, func() { wait = shortest })
		if ctx.Err() != nil {
			return
		}
		// Whatever took this connection may have taken others that lie idle.
		s.pool.reset()
		box.put(message{down: translate(err)})
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
		wait = min(wait*2, longest)
	}
}

// errDeaf is the end of a connection on which a notice to oneself did not come.
var errDeaf = errors.New("the listening connection has gone silent")

// listening is one connection that listens.
type listening struct {
	store *Store
	conn  *pgx.Conn
	box   *inbox

	self     string // the payload of notices to oneself
	awaited  bool   // one is under way
	sent     time.Time
	compared time.Time
	heard    map[int64]time.Time // what was heard lately, by number
	unheard  map[int64]bool      // what was sent and had not come at the last comparison
}

func (s *Store) listen(ctx context.Context, box *inbox, works func()) error {
	// A connection of its own: one from the pool would have to be given back.
	conn, err := pgx.ConnectConfig(ctx, limited(s.pool.base, beatWithin, beatWithin))
	if err != nil {
		return err
	}
	defer hangUp(conn)
	l := &listening{store: s, conn: conn, box: box, self: "self " + rand.Text(), heard: map[int64]time.Time{},
		unheard: map[int64]bool{}}
	begun := time.Now()
	if err := l.within(ctx, func(ctx context.Context) error {
		_, err := conn.Exec(ctx, "LISTEN "+channel)
		return err
	}); err != nil {
		if code(err) == "25006" { // a standby: nobody can listen there
			return l.poll(ctx)
		}
		return err
	}
	// What is read now holds all that was sent before.
	if err := l.within(ctx, func(ctx context.Context) error {
		return l.lately(ctx, func(id int64, _ event.Signal) { l.heard[id] = begun })
	}); err != nil {
		return err
	}
	box.put(message{signal: &event.Signal{What: event.Lost}})
	box.put(message{asOf: begun})
	works()
	if err := l.giveUp(ctx); err != nil {
		return err
	}
	l.compared = time.Now()
	for {
		if err := l.next(ctx); err != nil {
			return err
		}
	}
}

// within bounds one exchange.
func (l *listening) within(ctx context.Context, f func(ctx context.Context) error) error {
	ctx, cancel := context.WithTimeout(ctx, beatWithin)
	defer cancel()
	return f(ctx)
}

// next hears one notice, or sends one to oneself where none came.
func (l *listening) next(ctx context.Context) error {
	patience := beatEvery - time.Since(l.sent)
	if l.awaited {
		// What came while this process did not run lies in the socket, and is read first.
		patience = max(beatWithin-time.Since(l.sent), 250*time.Millisecond)
	}
	wait, cancel := context.WithTimeout(ctx, max(patience, time.Millisecond))
	n, err := l.conn.WaitForNotification(wait)
	cancel()
	switch {
	case err == nil && n.Payload == l.self:
		l.awaited = false
		l.box.put(message{asOf: l.sent})
		return l.compare(ctx)
	case err == nil && strings.HasPrefix(n.Payload, asksWhoHears):
		to := strings.TrimPrefix(n.Payload, asksWhoHears)
		l.box.put(message{then: func() { // all that came before has been heard
			ctx := context.WithValue(ctx, event.ForKey{}, event.ForPresent)
			_, _ = l.store.pool.Exec(ctx, "SELECT pg_notify($1, $2)", to, l.self) // whoever asked asks again
		}})
	case err == nil:
		l.hear(n.Payload, n.PID)
	case ctx.Err() != nil || wait.Err() == nil || l.conn.IsClosed():
		return err
	case l.awaited && time.Since(l.sent) >= beatWithin:
		return errDeaf
	}
	if l.awaited || time.Since(l.sent) < beatEvery {
		return nil
	}
	l.awaited, l.sent = true, time.Now()
	return l.within(ctx, func(ctx context.Context) error {
		_, err := l.conn.Exec(ctx, "SELECT pg_notify($1, $2)", channel, l.self)
		return err
	})
}

// hear hands on one notice; those to other processes' selves are none.
func (l *listening) hear(payload string, pid uint32) {
	said, number, _ := strings.Cut(payload, "\n")
	what, subject, _ := strings.Cut(said, " ")
	if what == "self" {
		return
	}
	if id, err := strconv.ParseInt(number, 10, 64); err == nil {
		l.heard[id] = time.Now()
		delete(l.unheard, id)
	}
	l.box.put(message{signal: &event.Signal{What: what, Subject: subject, Own: l.store.own.has(pid)}})
}

// compare looks now and then whether everything that was sent has come. What has been under way since the last look
// will not come any more, and is taken as heard.
func (l *listening) compare(ctx context.Context) error {
	if time.Since(l.compared) < compareEvery {
		return nil
	}
	l.compared = time.Now()
	missed := map[int64]event.Signal{}
	still := map[int64]bool{}
	err := l.within(ctx, func(ctx context.Context) error {
		return l.lately(ctx, func(id int64, n event.Signal) {
			if _, ok := l.heard[id]; ok {
				return
			}
			if l.unheard[id] {
				missed[id] = n
				return
			}
			still[id] = true
		})
	})
	if err != nil {
		return err
	}
	if err := l.giveUp(ctx); err != nil {
		return err
	}
	l.unheard = still
	for id, n := range missed {
		l.heard[id] = time.Now()
		l.box.put(message{signal: &n})
	}
	for id, at := range l.heard {
		if time.Since(at) > 2*comparedFor {
			delete(l.heard, id)
		}
	}
	return nil
}

// A query is given up that has been under way for so long, while the server has had nothing to do with it for so long:
// its answer, or the query itself, was swallowed on the way.
const givenUpAfter = 5 * time.Second

func (l *listening) giveUp(ctx context.Context) error {
	waiting := l.store.queries.waiting(givenUpAfter)
	if len(waiting) == 0 {
		return nil
	}
	pids := make([]int32, 0, len(waiting))
	for pid := range waiting {
		pids = append(pids, int32(pid))
	}
	return l.within(ctx, func(ctx context.Context) error {
		rows, err := l.conn.Query(ctx, "SELECT n FROM unnest($1::int[]) n LEFT JOIN pg_stat_activity a ON a.pid = n WHERE "+
			"a.pid IS NULL OR a.state <> 'active' AND a.state_change < clock_timestamp() - $2::interval", pids, givenUpAfter)
		if err != nil {
			return err
		}
		gone, err := pgx.CollectRows(rows, pgx.RowTo[int32])
		for _, pid := range gone {
			_ = waiting[uint32(pid)].conn.Close() // whoever waits hears that it broke
		}
		return err
	})
}

// lately reads what was sent of late.
func (l *listening) lately(ctx context.Context, f func(id int64, n event.Signal)) error {
	rows, err := l.conn.Query(ctx, "SELECT id, what, subject FROM signal WHERE at > clock_timestamp() - $1::interval",
		comparedFor)
	if err != nil {
		return err
	}
	var id int64
	var n event.Signal
	_, err = pgx.ForEachRow(rows, []any{&id, &n.What, &n.Subject}, func() error {
		f(id, n)
		return nil
	})
	return err
}

// asksWhoHears begins a notice that is answered on the channel that follows.
const asksWhoHears = "hears "

// heardWithin is how long Heard waits, and askedEvery how often it asks again: one that has just been started may not
// listen yet.
const (
	heardWithin = 5 * time.Second
	askedEvery  = 500 * time.Millisecond
)

// Heard returns once every process of the service has heard of what was written before; at once where none runs. An
// Unavailable fault says that some have not said so.
func (s *Store) Heard(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, heardWithin)
	defer cancel()
	conn, err := pgx.ConnectConfig(ctx, limited(s.pool.base, beatWithin, beatWithin))
	if err != nil {
		return translate(err)
	}
	defer hangUp(conn)
	here := "cirque_" + strings.ToLower(rand.Text())
	if _, err := conn.Exec(ctx, "LISTEN "+here); err != nil {
		return translate(err)
	}
	who, err := s.Processes(ctx)
	if err != nil || len(who) == 0 {
		return err
	}
	heard := map[string]bool{} // by what each process calls itself
	for ctx.Err() == nil {
		if _, err := conn.Exec(ctx, "SELECT pg_notify($1, $2)", channel, asksWhoHears+here); err != nil {
			return translate(err)
		}
		wait, stop := context.WithTimeout(ctx, askedEvery)
		for {
			n, err := conn.WaitForNotification(wait)
			if err != nil {
				break
			}
			if heard[n.Payload] = true; len(heard) >= len(who) {
				stop()
				return nil
			}
		}
		stop()
	}
	return fault.New(fault.Unavailable, "not-heard", "wait a moment; see cirque ready", "it is written, and of the "+
		"%d processes of the service %d have not said that they know it", len(who), len(who)-len(heard))
}

// poll reads everything again and again, where nobody can listen: on a database that stands by for another.
func (l *listening) poll(ctx context.Context) error {
	for {
		behind := time.Duration(0)
		read := time.Now()
		if err := l.within(ctx, func(ctx context.Context) error {
			return l.conn.QueryRow(ctx, "SELECT "+replayLag).Scan(&behind)
		}); err != nil {
			return err
		}
		l.box.put(message{signal: &event.Signal{What: event.Lost}})
		l.box.put(message{asOf: read.Add(-behind)})
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(compareEvery):
		}
	}
}

// replayLag is by how much a standby is behind what it has received; nothing where it has applied all of it and its
// primary still sends.
const replayLag = "CASE WHEN NOT pg_is_in_recovery() OR pg_last_wal_receive_lsn() = pg_last_wal_replay_lsn() AND " +
	"EXISTS (SELECT FROM pg_stat_wal_receiver WHERE status = 'streaming') THEN interval '0' ELSE " +
	"coalesce(clock_timestamp() - pg_last_xact_replay_timestamp(), interval '0') END"

// backends are the server's processes that serve a store's own pools: whatever they send, this process wrote.
type backends struct{ pids sync.Map }

func (b *backends) follow(cfg *pgxpool.Config) {
	cfg.AfterConnect = func(_ context.Context, c *pgx.Conn) error {
		b.pids.Store(c.PgConn().PID(), true)
		return nil
	}
	cfg.BeforeClose = func(c *pgx.Conn) { b.pids.Delete(c.PgConn().PID()) }
}

func (b *backends) has(pid uint32) bool {
	_, own := b.pids.Load(pid)
	return own
}
