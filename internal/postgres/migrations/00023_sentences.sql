-- +goose Up
-- What an event says, as a pattern and fields: who reads events need not read sentences, and a person's name is found
-- where it stands. Versions before this one go on writing and reading says alone.
ALTER TABLE event ADD COLUMN sentence jsonb;

-- +goose Down
ALTER TABLE event DROP COLUMN sentence;
