-- +goose Up
-- Why an endpoint stayed during an exercise was read off its sentence; now it is a kind beside it.
UPDATE exercise SET state = jsonb_set(state, '{stuck}', (
    SELECT jsonb_agg(s || jsonb_build_object('kind', CASE
        WHEN s->>'says' LIKE 'no other path serves %' THEN 'no-other-path'
        WHEN s->>'says' LIKE 'it has said nothing since %' THEN 'silent'
        WHEN s->>'says' LIKE '% failed: %' THEN 'failed'
        ELSE 'under-way' END) ORDER BY n)
    FROM jsonb_array_elements(state->'stuck') WITH ORDINALITY AS x(s, n)))
WHERE jsonb_typeof(state->'stuck') = 'array' AND jsonb_array_length(state->'stuck') > 0;

-- +goose Down
UPDATE exercise SET state = jsonb_set(state, '{stuck}', (
    SELECT jsonb_agg(s - 'kind' ORDER BY n) FROM jsonb_array_elements(state->'stuck') WITH ORDINALITY AS x(s, n)))
WHERE jsonb_typeof(state->'stuck') = 'array' AND jsonb_array_length(state->'stuck') > 0;
