-- +goose Up
-- Directories that are read over LDAP. The account's password is sealed with a key that lies beside the data.
CREATE TABLE directory_source (
    name   text PRIMARY KEY,
    body   jsonb NOT NULL,
    sealed bytea,
    author text NOT NULL,
    at     timestamptz NOT NULL DEFAULT clock_timestamp()
);
-- Passes over them, those that wait for a process to begin them included.
CREATE TABLE directory_run (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    source   text NOT NULL,
    state    text NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'failed', 'held', 'stopped')),
    body     jsonb NOT NULL,
    at       timestamptz NOT NULL DEFAULT clock_timestamp(),
    beat     timestamptz NOT NULL DEFAULT clock_timestamp(),
    ended_at timestamptz,
    stop     boolean NOT NULL DEFAULT false
);
CREATE UNIQUE INDEX directory_run_alone ON directory_run (source) WHERE state IN ('waiting', 'running');
CREATE INDEX directory_run_latest ON directory_run (source, id DESC);
-- Objects that have another name now and that the estate names: proposed until somebody settles them.
CREATE TABLE directory_rename (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    source     text NOT NULL,
    kind       text NOT NULL CHECK (kind IN ('user', 'group', 'machine')),
    was        text NOT NULL,
    called     text NOT NULL,
    at         timestamptz NOT NULL DEFAULT clock_timestamp(),
    settled_at timestamptz,
    settled_by text
);

-- +goose Down
DROP TABLE directory_rename, directory_run, directory_source;
