-- +goose Up
-- When a console session was used last: one that lies unused ends.
ALTER TABLE console_session ADD COLUMN used_at timestamptz NOT NULL DEFAULT clock_timestamp();

-- +goose Down
ALTER TABLE console_session DROP COLUMN used_at;
