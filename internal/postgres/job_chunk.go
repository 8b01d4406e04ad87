package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/fault"
)

// PutChunk keeps a piece of a job's document.
func (s JobTable) PutChunk(ctx context.Context, id, n int64, data []byte) error {
	return s.exec(ctx, "INSERT INTO job_chunk (job, n, data) VALUES ($1, $2, $3)", id, n, data)
}

// Chunk gives a piece.
func (s JobTable) Chunk(ctx context.Context, id, n int64) (data []byte, err error) {
	err = s.pool.QueryRow(ctx, "SELECT data FROM job_chunk WHERE job = $1 AND n = $2", id, n).Scan(&data)
	if err == pgx.ErrNoRows {
		return nil, fault.New(fault.Unknown, "document-gone", "print it anew", "the document of job %d is not whole", id)
	}
	return data, translate(err)
}

// DropChunks takes a document's pieces away.
func (s JobTable) DropChunks(ctx context.Context, id int64) error {
	return s.exec(ctx, "DELETE FROM job_chunk WHERE job = $1", id)
}

// SweepChunks takes away pieces that are older than a while and belong to no document.
func (s JobTable) SweepChunks(ctx context.Context, older time.Duration) error {
	return s.exec(ctx, "DELETE FROM job_chunk c WHERE at < clock_timestamp() - $1::interval AND NOT EXISTS (SELECT FROM "+
		"job_document d WHERE d.job = c.job)", older)
}
