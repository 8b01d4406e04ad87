-- +goose Up
-- A view that whoever keeps it lets all accounts see.
ALTER TABLE kept_view ADD COLUMN shared boolean NOT NULL DEFAULT false;

-- +goose Down
ALTER TABLE kept_view DROP COLUMN shared;
