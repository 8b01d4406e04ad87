-- +goose Up
-- Who granted an open request in their draft, when, and with what words: it is granted once that is published.
ALTER TABLE request ADD COLUMN drafted_by text NOT NULL DEFAULT '';
ALTER TABLE request ADD COLUMN drafted_at timestamptz;
ALTER TABLE request ADD COLUMN drafted_says text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE request DROP COLUMN drafted_by, DROP COLUMN drafted_at, DROP COLUMN drafted_says;
