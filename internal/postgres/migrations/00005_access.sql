-- +goose Up
ALTER TABLE console_session ADD COLUMN id bigint GENERATED ALWAYS AS IDENTITY UNIQUE, ADD COLUMN remote text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE console_session DROP COLUMN id, DROP COLUMN remote;
