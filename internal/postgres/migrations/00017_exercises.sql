-- +goose Up
-- A server taken out of duty on purpose for a while, to see what would happen, with what was seen.
CREATE TABLE exercise (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    server text NOT NULL,
    ended  timestamptz,
    state  jsonb NOT NULL
);
CREATE UNIQUE INDEX exercise_open ON exercise (server) WHERE ended IS NULL;

-- How everything stood at a moment, to be compared with later.
CREATE TABLE photograph (
    name   text PRIMARY KEY,
    note   text NOT NULL DEFAULT '',
    author text NOT NULL,
    at     timestamptz NOT NULL DEFAULT clock_timestamp(),
    things integer NOT NULL,
    body   bytea NOT NULL -- JSON, gzip
);

-- +goose Down
DROP TABLE photograph, exercise;
