package spool

import "context"

// Chunks are where pieces can be put by the number of their job and their own.
type Chunks interface {
	PutChunk(ctx context.Context, id int64, n int64, data []byte) error
	Chunk(ctx context.Context, id int64, n int64) ([]byte, error)
	DropChunks(ctx context.Context, id int64) error
}

// Elsewhere keeps documents in a database.
type Elsewhere struct{ to Chunks }

// NewElsewhere keeps documents in chunks.
func NewElsewhere(to Chunks) Elsewhere { return Elsewhere{to} }

// Kind is database.
func (e Elsewhere) Kind() string { return "database" }

// Create begins a document.
func (e Elsewhere) Create(ctx context.Context, id int64) (Pieces, error) {
	return &putting{e, ctx, id, 0, false}, e.to.DropChunks(ctx, id)
}

type putting struct {
	Elsewhere
	ctx  context.Context // of the one document
	id   int64
	n    int64
	done bool
}

func (p *putting) Put(piece []byte) error {
	p.n++
	return p.to.PutChunk(p.ctx, p.id, p.n-1, piece)
}

// Keep has nothing to do: each piece was committed.
func (p *putting) Keep() error {
	p.done = true
	return nil
}

func (p *putting) Drop() {
	if !p.done {
		_ = p.to.DropChunks(context.WithoutCancel(p.ctx), p.id) // what stays is swept away later
	}
}

// Read reads a document.
func (e Elsewhere) Read(ctx context.Context, id int64) (Reading, error) {
	return getting{e, ctx, id}, nil
}

type getting struct {
	Elsewhere
	ctx context.Context
	id  int64
}

func (g getting) Piece(n int64, _ []byte) ([]byte, error) { return g.to.Chunk(g.ctx, g.id, n) }

func (g getting) Close() error { return nil }

// Remove takes a document away.
func (e Elsewhere) Remove(ctx context.Context, id int64) error { return e.to.DropChunks(ctx, id) }
