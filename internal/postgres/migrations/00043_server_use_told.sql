-- +goose Up
-- Since when it is known without a gap who printed, null where it is not; and whether a server has ever told of a job
-- that ended: one that keeps no list of them proves nothing by its silence.
ALTER TABLE server_use_read ALTER COLUMN since DROP NOT NULL, ALTER COLUMN read_at DROP NOT NULL,
	ADD COLUMN told boolean NOT NULL DEFAULT false;
UPDATE server_use_read r SET told = EXISTS (SELECT FROM server_use u WHERE u.server = r.server);

-- +goose Down
DELETE FROM server_use_read WHERE since IS NULL OR read_at IS NULL;
ALTER TABLE server_use_read DROP COLUMN told, ALTER COLUMN since SET NOT NULL, ALTER COLUMN read_at SET NOT NULL;
