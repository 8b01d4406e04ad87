-- +goose Up
-- Keys name what they are for, and go to the address that it had when they were entered.
ALTER TABLE credential ADD COLUMN bound jsonb NOT NULL DEFAULT '{}', ADD COLUMN allow_clear boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE credential DROP COLUMN bound, DROP COLUMN allow_clear;
