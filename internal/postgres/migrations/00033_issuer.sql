-- +goose Up
-- By which authority a certificate was issued; empty where it was issued before that was kept.
ALTER TABLE enrolled ADD COLUMN authority text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE enrolled DROP COLUMN authority;
