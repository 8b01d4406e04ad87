-- +goose Up
-- The source whose account stands for a person who has several.
ALTER TABLE directory_join_rule ADD COLUMN value text NOT NULL DEFAULT '', DROP CONSTRAINT directory_join_rule_rule_check, ADD CONSTRAINT directory_join_rule_rule CHECK (rule IN ('address', 'employee', 'lead'));

-- +goose Down
DELETE FROM directory_join_rule WHERE rule = 'lead';
ALTER TABLE directory_join_rule DROP COLUMN value, DROP CONSTRAINT directory_join_rule_rule, ADD CONSTRAINT directory_join_rule_rule_check CHECK (rule IN ('address', 'employee'));
