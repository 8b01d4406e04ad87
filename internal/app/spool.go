package app

import (
	"path/filepath"
	"time"

	"cirque/core/fault"
	"cirque/internal/postgres"
	"cirque/internal/service"
	"cirque/internal/service/printing"
	"cirque/internal/spool"
)

// SpoolInDatabase has documents of jobs kept in the database.
const SpoolInDatabase = "database"

// openSpool finds where documents of jobs are kept. Those that lie in the database are read also where new ones lie in
// files.
func openSpool(o Options, store *postgres.Store) (made func(service.Seals) printing.Spool, swept func(time.Duration,
	func([]int64) (map[int64]bool, error)) (int, error), err error) {
	there := spool.NewElsewhere(store.Jobs)
	dir := o.Spool
	switch {
	case dir == SpoolInDatabase, dir == "" && o.Database != "":
		return func(seals service.Seals) printing.Spool { return spool.New(seals, there) }, nil, nil
	case dir == "":
		dir = filepath.Join(o.Data, "spool")
	}
	files, err := spool.NewFiles(dir)
	if err != nil {
		return nil, nil, fault.New(fault.Invalid, "spool-directory", "name a directory that this account may write: --spool",
			"documents of jobs cannot be kept in %s", dir).Because(err)
	}
	return func(seals service.Seals) printing.Spool { return spool.New(seals, files, there) }, files.Sweep, nil
}
