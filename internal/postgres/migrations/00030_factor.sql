-- +goose Up
-- What somebody with an account here shows besides the password. body is sealed with the key beside the data, or the
-- hash of a recovery code. step only grows: the time step of the one-time code that was taken last (RFC 6238), or when
-- the passkey's challenge was made.
CREATE TABLE factor (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account    text NOT NULL REFERENCES account (folded) ON DELETE CASCADE,
    kind       text NOT NULL CHECK (kind IN ('code', 'passkey', 'recovery')),
    name       text NOT NULL,
    body       bytea NOT NULL,
    step       bigint NOT NULL DEFAULT 0,
    created_at timestamptz NOT NULL DEFAULT clock_timestamp(),
    used_at    timestamptz
);
CREATE INDEX factor_account ON factor (account);
-- When whoever has a session proved last who they are.
ALTER TABLE console_session ADD COLUMN proven_at timestamptz NOT NULL DEFAULT clock_timestamp();

-- +goose Down
ALTER TABLE console_session DROP COLUMN proven_at;
DROP TABLE factor;
