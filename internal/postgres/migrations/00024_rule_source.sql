-- +goose Up
-- A rule is about the people of one directory. Rules from before get the one that they meant, where that is certain: the
-- only one whose people sign in, the one that they name, or the only one that has whom they name. The others keep none
-- and hold for nobody, until somebody says.
ALTER TABLE access_rule ADD COLUMN source text NOT NULL DEFAULT '';
UPDATE access_rule r SET source = coalesce(
    (SELECT min(s.name) FROM directory_source s WHERE (s.body->>'sign_in')::boolean HAVING count(*) = 1),
    (SELECT min(s.name) FROM directory_source s
     WHERE starts_with(lower(r.who), 'user:' || s.name || '/') OR starts_with(lower(r.who), 'group:' || s.name || '/')
     HAVING count(*) = 1),
    (SELECT min(d.source) FROM directory_row d
     WHERE d.valid_to IS NULL AND d.kind = split_part(r.who, ':', 1) AND d.kind IN ('user', 'group')
       AND lower(d.name) = lower(substr(r.who, strpos(r.who, ':') + 1))
     HAVING count(DISTINCT d.source) = 1),
    (SELECT min(d.source) FROM directory_row d
     WHERE d.valid_to IS NULL AND d.kind = 'user' AND starts_with(r.who, 'unit:')
       AND starts_with(lower(d.attributes->>'unit') || '/', lower(substr(r.who, 6)) || '/')
     HAVING count(DISTINCT d.source) = 1),
    '');

-- +goose Down
ALTER TABLE access_rule DROP COLUMN source;
