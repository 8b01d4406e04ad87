-- +goose Up
-- A draft may be proposed to whoever may publish it; the next edit takes that back.
ALTER TABLE draft ADD COLUMN proposed_at timestamptz, ADD COLUMN proposed_why text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE draft DROP COLUMN proposed_at, DROP COLUMN proposed_why;
