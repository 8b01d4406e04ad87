-- +goose Up
-- What processes were told to read again, for a while: whoever listens compares it with what it heard. It need not
-- outlive a crash, which ends every connection, and then everything is read again.
CREATE UNLOGGED TABLE signal (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	what text NOT NULL,
	subject text NOT NULL
);
CREATE INDEX signal_at ON signal (at);

-- The processes of the service, which say every few seconds that they are there.
CREATE TABLE process (
	id text PRIMARY KEY,
	started timestamptz NOT NULL,
	seen timestamptz NOT NULL,
	version text NOT NULL
);

-- +goose Down
DROP TABLE signal;
DROP TABLE process;
