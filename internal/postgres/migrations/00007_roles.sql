-- +goose Up
-- Roles with sites, and accounts that a directory proves; the first account of all becomes the owner.
ALTER TABLE account DROP CONSTRAINT account_role_check;
ALTER TABLE account ADD COLUMN sites text[] NOT NULL DEFAULT '{}', ADD COLUMN source text NOT NULL DEFAULT '', ADD COLUMN external_id text NOT NULL DEFAULT '',
    ALTER COLUMN password SET DEFAULT '',
    ADD CONSTRAINT account_role CHECK (role IN ('', 'owner', 'administrator', 'site-administrator', 'help-desk', 'auditor', 'person'));
UPDATE account SET role = 'owner' WHERE folded = (SELECT folded FROM account ORDER BY created_at, folded LIMIT 1);
CREATE UNIQUE INDEX account_of_source ON account (source, external_id) WHERE source <> '';
ALTER TABLE console_session DROP CONSTRAINT console_session_account_fkey,
    ADD CONSTRAINT console_session_account_fkey FOREIGN KEY (account) REFERENCES account ON DELETE CASCADE ON UPDATE CASCADE;
CREATE TABLE access_rule (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    who    text NOT NULL,
    role   text NOT NULL CHECK (role IN ('owner', 'administrator', 'site-administrator', 'help-desk', 'auditor', 'person')),
    sites  text[] NOT NULL DEFAULT '{}',
    author text NOT NULL,
    at     timestamptz NOT NULL DEFAULT clock_timestamp()
);
ALTER TABLE token DROP CONSTRAINT token_role_check;
ALTER TABLE token ADD COLUMN sites text[] NOT NULL DEFAULT '{}', ADD COLUMN account text REFERENCES account ON DELETE CASCADE ON UPDATE CASCADE,
    ADD CONSTRAINT token_role CHECK (role IN ('', 'owner', 'administrator', 'site-administrator', 'help-desk', 'auditor', 'agent') AND (account IS NOT NULL) = (role = ''));

-- What happened says from where, and what a change made of what.
ALTER TABLE event ADD COLUMN remote text NOT NULL DEFAULT '', ADD COLUMN before jsonb, ADD COLUMN after jsonb;
CREATE INDEX event_author ON event (lower(author), id);
CREATE INDEX event_subject ON event (lower(subject), id);
-- +goose StatementBegin
CREATE FUNCTION refuse_unless_erasing() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF current_setting('cirque.erasing', true) IS DISTINCT FROM 'on' THEN
        RAISE EXCEPTION '% is append-only', TG_TABLE_NAME;
    END IF;
    RETURN coalesce(NEW, OLD);
END $$;
-- +goose StatementEnd
CREATE TRIGGER event_is_final BEFORE UPDATE OR DELETE ON event FOR EACH ROW EXECUTE FUNCTION refuse_unless_erasing();

-- +goose Down
DROP TRIGGER event_is_final ON event;
DROP FUNCTION refuse_unless_erasing;
DROP INDEX event_author, event_subject;
ALTER TABLE event DROP COLUMN remote, DROP COLUMN before, DROP COLUMN after;
DELETE FROM token WHERE role NOT IN ('administrator', 'agent');
ALTER TABLE token DROP CONSTRAINT token_role, DROP COLUMN sites, DROP COLUMN account, ADD CONSTRAINT token_role_check CHECK (role IN ('administrator', 'agent'));
DROP TABLE access_rule;
DELETE FROM account WHERE source <> '';
UPDATE account SET role = 'administrator';
ALTER TABLE account DROP CONSTRAINT account_role, DROP COLUMN sites, DROP COLUMN source, DROP COLUMN external_id, ADD CONSTRAINT account_role_check CHECK (role IN ('administrator'));
