-- +goose Up
-- What an event says, as a pattern and fields: who reads events need not read sentences, and a person's name is found
-- where it stands. Versions before this one go on writing and reading says alone; where one of them erases somebody out
-- of says, the fields may still name them, and go.
ALTER TABLE event ADD COLUMN sentence jsonb;
-- +goose StatementBegin
CREATE FUNCTION forget_sentence() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    NEW.sentence := NULL;
    RETURN NEW;
END $$;
-- +goose StatementEnd
CREATE TRIGGER event_sentence BEFORE UPDATE OF says ON event FOR EACH ROW
    WHEN (NEW.says IS DISTINCT FROM OLD.says AND NEW.sentence IS NOT DISTINCT FROM OLD.sentence)
    EXECUTE FUNCTION forget_sentence();

-- +goose Down
DROP TRIGGER event_sentence ON event;
DROP FUNCTION forget_sentence;
ALTER TABLE event DROP COLUMN sentence;
