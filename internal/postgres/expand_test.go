package postgres_test

import (
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// column is what of one the version before relies on.
type column struct {
	Type   string
	Filled bool // it is null, or has a default, where an INSERT does not name it
}

// columnsOf lists them by table and name.
func columnsOf(t *testing.T, s *postgres.Store) (columns map[string]column, tables map[string]bool) {
	t.Helper()
	rows, err := s.Pool().Query(t.Context(), `SELECT table_name, table_name || '.' || column_name, data_type,
		is_nullable = 'YES' OR column_default IS NOT NULL OR is_identity = 'YES' OR is_generated = 'ALWAYS'
		FROM information_schema.columns WHERE table_schema = 'public' AND table_name <> 'goose_db_version'`)
	if err != nil {
		t.Fatal(err)
	}
	columns, tables = map[string]column{}, map[string]bool{}
	var table, name string
	var c column
	if _, err := pgx.ForEachRow(rows, []any{&table, &name, &c.Type, &c.Filled}, func() error {
		columns[name], tables[table] = c, true
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return columns, tables
}

// TestMigrationsExpand: neighbouring versions run side by side on one database, so that no migration takes away or
// changes what the version before reads, or wants what it does not write; and each can be taken back, and done again.
func TestMigrationsExpand(t *testing.T) {
	t.Parallel()
	s, err := postgres.Open(t.Context(), testkit.Blank(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	p, err := s.Migrations()
	if err != nil {
		t.Fatal(err)
	}
	before, tables := map[string]column{}, map[string]bool{}
	for _, m := range p.ListSources() {
		for _, step := range []string{"up", "down", "up again"} {
			if step == "down" {
				_, err = p.Down(t.Context())
			} else {
				_, err = p.UpByOne(t.Context())
			}
			if err != nil {
				t.Fatalf("%s %s: %v", m.Path, step, err)
			}
			now, _ := columnsOf(t, s)
			if step == "down" && len(now) != len(before) {
				t.Errorf("%s leaves %d columns behind when it is taken back", m.Path, len(now)-len(before))
			}
		}
		now, tablesNow := columnsOf(t, s)
		for name, was := range before {
			if is, there := now[name]; !there || is.Type != was.Type {
				t.Errorf("%s takes away or changes %s, which the version before reads", m.Path, name)
			}
		}
		for name, is := range now {
			table := tableOf(name)
			if _, old := before[name]; !old && tables[table] && !is.Filled {
				t.Errorf("%s wants %s, which the version before does not write", m.Path, name)
			}
		}
		before, tables = now, tablesNow
	}
	if len(before) < 100 {
		t.Errorf("only %d columns were looked at", len(before))
	}
}

func tableOf(name string) string {
	table, _, _ := strings.Cut(name, ".")
	return table
}
