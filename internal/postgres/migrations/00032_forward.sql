-- +goose Up
-- Which transaction wrote an event: in this order none is overtaken by one that was committed later with a smaller
-- number.
ALTER TABLE event ADD COLUMN xid xid8;
ALTER TABLE event ALTER COLUMN xid SET DEFAULT pg_current_xact_id();
CREATE INDEX event_xid ON event (xid, id);
-- To whom the audit is sent, and how far that has come. xid and id are those of the last entry that surely arrived.
CREATE TABLE audit_forward (
    target   text PRIMARY KEY,
    xid      xid8 NOT NULL,
    id       bigint NOT NULL,
    at       timestamptz,
    code     text NOT NULL DEFAULT '',
    says     text NOT NULL DEFAULT '',
    fix      text NOT NULL DEFAULT '',
    since    timestamptz NOT NULL DEFAULT clock_timestamp()
);

-- +goose Down
DROP TABLE audit_forward;
ALTER TABLE event DROP COLUMN xid;
