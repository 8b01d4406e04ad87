-- +goose Up
-- Places that driver packages are fetched from, with what was last seen there.
CREATE TABLE driver_place (
	name text PRIMARY KEY,
	body jsonb NOT NULL,
	look jsonb NOT NULL,
	author text NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp()
);
-- Archives that are fetched from them, or were.
CREATE TABLE driver_fetch (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	place text NOT NULL REFERENCES driver_place ON DELETE CASCADE,
	file text NOT NULL,
	sha256 text NOT NULL,
	state text NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'failed', 'stopped')),
	body jsonb NOT NULL,
	package text, -- the digest of what is in it, and how many names that has, once it is done
	names integer,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	ended_at timestamptz,
	stop boolean NOT NULL DEFAULT false
);
CREATE INDEX driver_fetch_place ON driver_fetch (place, id);
CREATE INDEX driver_fetch_inside ON driver_fetch (sha256, id DESC) WHERE package IS NOT NULL AND sha256 <> '';
CREATE UNIQUE INDEX driver_fetch_under_way ON driver_fetch (place, file) WHERE state IN ('waiting', 'running');

-- +goose Down
DROP TABLE driver_fetch;
DROP TABLE driver_place;
