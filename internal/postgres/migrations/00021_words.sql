-- +goose Up
-- Kinds of events that have plainer names now. What the version before writes meanwhile keeps its own.
SELECT set_config('cirque.erasing', 'on', true);
UPDATE event SET kind = new FROM (VALUES
    ('fleet.photographed', 'fleet.snapshot-taken'),
    ('fleet.photograph-removed', 'fleet.snapshot-removed'),
    ('server.exercise', 'server.failover-test'),
    ('server.exercise-ended', 'server.failover-test-ended'),
    ('person.joined', 'person.linked'),
    ('person.join-undone', 'person.link-removed')) AS names (old, new)
WHERE kind = old;

-- +goose Down
SELECT set_config('cirque.erasing', 'on', true);
UPDATE event SET kind = old FROM (VALUES
    ('fleet.photographed', 'fleet.snapshot-taken'),
    ('fleet.photograph-removed', 'fleet.snapshot-removed'),
    ('server.exercise', 'server.failover-test'),
    ('server.exercise-ended', 'server.failover-test-ended'),
    ('person.joined', 'person.linked'),
    ('person.join-undone', 'person.link-removed')) AS names (old, new)
WHERE kind = new;
