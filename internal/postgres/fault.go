package postgres

import (
	"context"
	"errors"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"cirque/core/fault"
	"cirque/core/readiness"
)

// code gives the SQLSTATE of an error that the server told; "" where it did not.
func code(err error) string {
	if pe, ok := errors.AsType[*pgconn.PgError](err); ok {
		return pe.Code
	}
	return ""
}

// A cause is what a SQLSTATE says of the database as a whole (PostgreSQL's documentation, appendix A).
type cause struct{ code, what, fix string }

// causes by SQLSTATE, or by its class.
var causes = map[string]cause{
	"25006": {readiness.ReadOnly, "the database takes no changes: it stands by for another, or was made read-only",
		"whoever looks after the service sees with cirque ready what to do"},
	"53100": {readiness.Full, "the disk of the database is full", "make room on it: what was asked for was not done"},
	"53200": {"database-memory", "the database has no memory left", "give its machine more, or its sessions less"},
	"53300": {"database-connections", "the database takes no more connections",
		"raise its max_connections, or end other " +
			"clients"},
	"57014": {readiness.Slow, "the database did not do it in time", "see what it is busy with, and try again"},
	"55P03": {"database-busy", "what was to be changed is held by somebody else", "try again in a moment, and see what " +
		"the database waits for"},
	"57P01": {"database-unavailable", "the database ended the connection", "look at the database, and try again"},
	"57P02": {"database-unavailable", "the database has crashed and starts again", "look at its log, and try again"},
	"57P03": {"database-unavailable", "the database is starting or stopping", "try again in a moment"},
	"58030": {"database-disk", "the disk of the database cannot be read or written", "look at the disk, and at the " +
		"database's log"},
	"3D000": {"database-missing", "the server has no such database", "make it, or mend --database"},
	"28":    {"database-refuses", "the database does not let Cirque in", "mend the name and password in --database"},
	"42501": {"database-refuses", "the database does not let Cirque do that", "give its role the rights on its schema"},
	"42P01": otherSchema, "42703": otherSchema, "42883": otherSchema,
}

var otherSchema = cause{readiness.Schema, "the database has another schema than this Cirque",
	"run the Cirque that fits " +
		"it, or start this one once where it may change the schema"}

// causeOf gives what an error of the server says of the database as a whole.
func causeOf(sqlstate string) (cause, bool) {
	if c, ok := causes[sqlstate]; ok {
		return c, true
	}
	if len(sqlstate) == 5 {
		c, ok := causes[sqlstate[:2]]
		return c, ok
	}
	return cause{}, false
}

// translate turns a database error into a fault; nil stays nil, and faults stay themselves.
func translate(err error) error {
	if err == nil {
		return nil
	}
	if _, ok := errors.AsType[*fault.Error](err); ok {
		return err
	}
	if errors.Is(err, context.Canceled) {
		return err
	}
	if c, ok := causeOf(code(err)); ok {
		return fault.New(fault.Unavailable, c.code, c.fix, "%s", c.what).Because(err)
	}
	if pe, ok := errors.AsType[*pgconn.PgError](err); ok && pe.Code[:2] == "22" { // data exceptions
		return fault.New(fault.Invalid, "value-out-of-range", "write a usual text, or a smaller number", "a value is beyond "+
			"what is kept").Because(err)
	}
	if pe, ok := errors.AsType[*pgconn.PgError](err); ok && pe.Code[:2] != "57" && pe.Code[:2] != "08" &&
		pe.Code[:2] != "53" {
		return fault.As(err)
	}
	// What does not fit into a column is said by the driver in words alone.
	if strings.Contains(err.Error(), "unable to encode") {
		return fault.New(fault.Invalid, "value-out-of-range", "write a smaller number", "a number is beyond what is kept").
			Because(err)
	}
	if errors.Is(err, context.DeadlineExceeded) {
		return fault.New(fault.Unavailable, readiness.Slow, "see what it is busy with, and try again",
			"the database did not answer in time").Because(err)
	}
	return fault.New(fault.Unavailable, "database-unavailable", "look at the database, and try again",
		"the database does not answer").Because(err)
}

// committed turns what came of a commit into a fault. Where the server has not said that it did not keep it, it may
// have.
func committed(err error) error {
	if err == nil || errors.Is(err, pgx.ErrTxCommitRollback) {
		return translate(err)
	}
	if pe, ok := errors.AsType[*pgconn.PgError](err); ok && pe.Severity == "ERROR" {
		return translate(err)
	}
	return fault.New(fault.Unavailable, fault.MaybeDone, "look whether it is there before you do it again, or send "+
		"it again "+
		"with the same Idempotency-Key", "the connection to the database broke while this was being kept: it may have "+
		"been done").Because(err)
}
