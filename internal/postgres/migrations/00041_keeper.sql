-- +goose Up
-- What agents that keep print servers said last, one for each machine.
CREATE TABLE keeper (
	folded text PRIMARY KEY, -- the machine
	report jsonb NOT NULL,
	failing boolean NOT NULL,
	first_seen timestamptz NOT NULL DEFAULT clock_timestamp(),
	last_seen timestamptz NOT NULL DEFAULT clock_timestamp()
);
-- Queues on kept servers that somebody else made and that are to become Cirque's own, until they are.
CREATE TABLE keeper_take (
	server text NOT NULL,
	queue text NOT NULL, -- by its name there
	author text NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	PRIMARY KEY (server, queue)
);
-- What is to be done with jobs on kept servers, and what came of it.
CREATE TABLE keeper_task (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	server text NOT NULL,
	task jsonb NOT NULL,
	author text NOT NULL,
	at timestamptz NOT NULL DEFAULT clock_timestamp(),
	ok boolean, -- null while it is not done
	says text NOT NULL DEFAULT ''
);
CREATE INDEX keeper_task_open ON keeper_task (server) WHERE ok IS NULL;
-- A token may be for one machine alone.
ALTER TABLE enrol_token ADD COLUMN machine text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE enrol_token DROP COLUMN machine;
DROP TABLE keeper_take;
DROP TABLE keeper_task;
DROP TABLE keeper;
