-- +goose Up
-- What each revision did to which object, so that nobody reads whole estates to find out: the object as documents have
-- it, before and after; empty where there was, or is, none.
CREATE TABLE revision_change (
	list text NOT NULL,
	name text NOT NULL,
	revision integer NOT NULL REFERENCES revision,
	was text NOT NULL,
	object text NOT NULL,
	PRIMARY KEY (list, name, revision)
);
CREATE TRIGGER revision_change_is_final BEFORE UPDATE OR DELETE ON revision_change FOR EACH ROW
	EXECUTE FUNCTION refuse_change();

-- The objects of a document. Documents are written by one encoder, so that what is the same has the same text.
-- +goose StatementBegin
CREATE FUNCTION objects_of(document json) RETURNS TABLE (list text, name text, object text) LANGUAGE sql IMMUTABLE AS $$
	SELECT l.key, o->>CASE l.key WHEN 'locations' THEN 'path' WHEN 'subnets' THEN 'cidr' ELSE 'name' END, o::text
	FROM json_each(document) AS l,
		json_array_elements(CASE json_typeof(l.value) WHEN 'array' THEN l.value ELSE '[]' END) AS o
	UNION ALL
	SELECT l.key, s.key, s.value::text
	FROM json_each(document) AS l, json_each(CASE json_typeof(l.value) WHEN 'object' THEN l.value ELSE '{}' END) AS s
$$;
CREATE FUNCTION note_changes(of integer) RETURNS void LANGUAGE sql AS $$
	INSERT INTO revision_change (list, name, revision, was, object)
	SELECT list, name, of, coalesce(b.object, ''), coalesce(n.object, '')
	FROM objects_of((SELECT document FROM revision WHERE number = of - 1)) AS b
	FULL JOIN objects_of((SELECT document FROM revision WHERE number = of)) AS n USING (list, name)
	WHERE b.object IS DISTINCT FROM n.object AND name IS NOT NULL ON CONFLICT DO NOTHING
$$;
DO $$
DECLARE n integer;
BEGIN
	FOR n IN SELECT number FROM revision WHERE number > (SELECT max(number) - 200 FROM revision) LOOP
		PERFORM note_changes(n);
	END LOOP;
END $$;
-- +goose StatementEnd

-- +goose Down
DROP TABLE revision_change;
DROP FUNCTION note_changes(integer);
DROP FUNCTION objects_of(json);
