-- +goose Up
-- Tokens with which agents enrol, and the certificates that they received.
CREATE TABLE enrol_token (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name       text NOT NULL,
    hash       bytea NOT NULL UNIQUE CHECK (length(hash) = 32), -- SHA-256
    site       text NOT NULL,
    uses       integer NOT NULL CHECK (uses > 0),
    used       integer NOT NULL DEFAULT 0 CHECK (used <= uses),
    expires_at timestamptz NOT NULL,
    revoked_at timestamptz,
    author     text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE UNIQUE INDEX enrol_token_name ON enrol_token (name) WHERE revoked_at IS NULL;
CREATE TABLE enrolled (
    serial     text PRIMARY KEY, -- of the certificate
    folded     text NOT NULL,
    machine    text NOT NULL,
    site       text NOT NULL,
    key        text NOT NULL,
    by         text NOT NULL,
    at         timestamptz NOT NULL,
    issued_at  timestamptz NOT NULL,
    expires_at timestamptz NOT NULL,
    revoked_at timestamptz,
    revoked_by text NOT NULL DEFAULT ''
);
CREATE INDEX enrolled_machine ON enrolled (folded);

-- +goose Down
DROP TABLE enrolled, enrol_token;
