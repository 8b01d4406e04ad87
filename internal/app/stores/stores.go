// Package stores gives each room of the service its part of the database.
package stores

import (
	"cirque/internal/postgres"
	"cirque/internal/service"
)

// Of gives all rooms their parts of one database.
func Of(db *postgres.Store) service.Stores {
	return service.Stores{Decided: db, Seen: db, Notices: db, Adopt: db, Adverts: db, Alerts: db, Audit: db,
		Continuity: db,
		Endpoints:  db, Drafts: db, Drivers: db, Enrolment: db, Fleet: db, Identity: db, Tokens: db, Jobs: db,
		Lineups: db, Links: db,
		People: db, Proofs: db, Secrets: db, Snapshots: db, Sources: db, Stock: db}
}
