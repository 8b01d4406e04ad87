package postgres

import (
	"context"
	"encoding/json"

	"github.com/jackc/pgx/v5"

	"cirque/core/driver"
	"cirque/core/event"
	"cirque/core/fault"
)

// chunk is how much of a file lies in one row.
const chunk = 1 << 20

// AddPackage keeps a package with the contents of its files; known says that the same files were kept already.
func (s PackageTable) AddPackage(ctx context.Context, p driver.Package, files []driver.File, e event.Event) (known bool,
	err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		body := p
		body.Files = nil // a table of their own
		b, err := json.Marshal(body)
		if err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "INSERT INTO driver_package (digest, name, body, author) VALUES ($1, $2, $3, $4) ON "+
			"CONFLICT DO NOTHING", p.Digest, p.Name, b, p.Author)
		if err != nil {
			return err
		}
		if known = tag.RowsAffected() == 0; known {
			if err := cameIn(ctx, tx, p.Digest, p.Archives); err != nil {
				return err
			}
			return notify(ctx, tx, event.Drivers, p.Digest)
		}
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"driver_file"}, []string{"digest", "path", "sha256", "bytes"},
			pgx.CopyFromSlice(len(p.Files), func(i int) ([]any, error) {
				f := p.Files[i]
				return []any{p.Digest, f.Path, f.SHA256, f.Bytes}, nil
			})); err != nil {
			return err
		}
		sums := map[string]string{}
		for _, f := range p.Files {
			sums[f.Path] = f.SHA256
		}
		for _, f := range files {
			if err := keep(ctx, tx, sums[f.Path], f.Data); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Drivers, p.Digest); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return known, err
}

// cameIn adds the archive that a package came in to what is known of it.
func cameIn(ctx context.Context, tx pgx.Tx, digest string, list []driver.Archive) error {
	var p driver.Package
	if err := tx.QueryRow(ctx, "SELECT body FROM driver_package WHERE digest = $1 FOR UPDATE",
		digest).Scan(&p); err != nil {
		return err
	}
	for _, a := range list {
		p.CameIn(a)
	}
	b, err := json.Marshal(p)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, "UPDATE driver_package SET body = $2 WHERE digest = $1", digest, b)
	return err
}

// keep writes contents unless they are there.
func keep(ctx context.Context, tx pgx.Tx, sum string, data []byte) error {
	var there bool
	if err := tx.QueryRow(ctx, "SELECT EXISTS (SELECT FROM driver_chunk WHERE sha256 = $1)",
		sum).Scan(&there); err != nil || there {
		return err
	}
	for n := 0; n == 0 || n*chunk < len(data); n++ {
		part := append([]byte{}, data[n*chunk:min(len(data), (n+1)*chunk)]...) // an empty file is no missing one
		if _, err := tx.Exec(ctx, "INSERT INTO driver_chunk (sha256, n, data) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING",
			sum, n, part); err != nil {
			return err
		}
	}
	return nil
}

// Packages lists all packages without their files, by name.
func (s PackageTable) Packages(ctx context.Context) ([]driver.Package, error) {
	rows, err := s.pool.Query(ctx, "SELECT body, author, at FROM driver_package ORDER BY name, digest")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (p driver.Package, err error) {
		body := driver.Package{}
		err = r.Scan(&body, &p.Author, &p.At)
		body.Author, body.At = p.Author, p.At
		return body, err
	})
	return out, translate(err)
}

// PackageFiles lists the files of one package, by path.
func (s PackageTable) PackageFiles(ctx context.Context, digest string) ([]driver.Entry, error) {
	rows, err := s.pool.Query(ctx, "SELECT path, sha256, bytes FROM driver_file WHERE digest = $1 ORDER BY path", digest)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[driver.Entry])
	return out, translate(err)
}

// FileChunk gives a part of a file's contents, nil after the last.
func (s PackageTable) FileChunk(ctx context.Context, sum string, n int) ([]byte, error) {
	var b []byte
	err := s.pool.QueryRow(ctx, "SELECT data FROM driver_chunk WHERE sha256 = $1 AND n = $2", sum, n).Scan(&b)
	if err == pgx.ErrNoRows {
		return nil, nil
	}
	return b, translate(err)
}

// RemovePackage forgets a package, and the contents that no other has; an Unknown fault where there is none.
func (s PackageTable) RemovePackage(ctx context.Context, digest string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		// No package may come in between that counts on contents about to go.
		if _, err := tx.Exec(ctx, "LOCK TABLE driver_package IN EXCLUSIVE MODE"); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "DELETE FROM driver_package WHERE digest = $1", digest)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "package-unknown", "see cirque driver list",
				"there is no driver package %.12s", digest)
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM driver_chunk c WHERE NOT EXISTS (SELECT FROM driver_file f WHERE f.sha256 "+
			"= c.sha256)"); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Drivers, digest); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}
