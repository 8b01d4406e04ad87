-- +goose Up
-- What was done under an Idempotency-Key: written in the same transaction as what was done, and completed with what was
-- answered. It is kept for a day.
CREATE TABLE once (
	author text NOT NULL,
	key text NOT NULL,
	attempt text NOT NULL,
	print bytea NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	status integer,
	media text NOT NULL DEFAULT '',
	answer bytea,
	PRIMARY KEY (author, key)
);
CREATE INDEX once_at ON once (at);

-- +goose Down
DROP TABLE once;
