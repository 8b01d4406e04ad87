-- +goose Up
-- Faults since when they have been seen, of those that do not say so themselves.
CREATE TABLE fault_seen (
    key   text PRIMARY KEY,
    since timestamptz NOT NULL
);
-- Of which faults somebody was told, as long as they last.
CREATE TABLE notice_told (
    notice text NOT NULL,
    key    text NOT NULL,
    says   text NOT NULL,
    since  timestamptz NOT NULL,
    at     timestamptz NOT NULL,
    PRIMARY KEY (notice, key)
);
-- What was sent to whom, and how that went.
CREATE TABLE notice_sent (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    notice  text NOT NULL,
    told    text NOT NULL, -- as in tell, or the address of an owner of jobs
    subject text NOT NULL,
    body    text NOT NULL,
    trial   boolean NOT NULL DEFAULT false,
    ok      boolean NOT NULL,
    says    text NOT NULL,
    at      timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX notice_sent_of ON notice_sent (notice, id);

-- +goose Down
DROP TABLE notice_sent, notice_told, fault_seen;
