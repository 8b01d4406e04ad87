-- +goose Up
ALTER TABLE token ADD COLUMN expires_at timestamptz;

-- +goose Down
ALTER TABLE token DROP COLUMN expires_at;
