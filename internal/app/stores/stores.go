// Package stores gives each room of the service its part of the database: a room sees the tables that it needs and no
// others.
package stores

import (
	"cirque/internal/postgres"
	"cirque/internal/service"
)

// Of gives all rooms their parts of one database.
//
//nolint:funlen // one list
func Of(db *postgres.Store) service.Stores {
	return service.Stores{
		Decided: struct {
			postgres.AccountTable
			postgres.DirectoryTable
			postgres.DutyTable
			postgres.EstateTable
		}{db.Accounts, db.Directories, db.Duties, db.Estates},
		Seen: struct {
			postgres.CredentialTable
			postgres.PackageTable
			postgres.ScanTable
			postgres.StockTable
		}{db.Credentials, db.Packages, db.Scans, db.Stock},
		Signals: db,
		Adopt:   db.Stock,
		Adverts: struct {
			postgres.EventTable
			postgres.ListingTable
			postgres.SourceTable
		}{db.Events, db.Listings, db.Sources},
		Alerts: struct {
			postgres.EndpointTable
			postgres.EventTable
			postgres.HealthTable
			postgres.ListingTable
			postgres.NoticeTable
			postgres.SourceTable
		}{db.Endpoints, db.Events, db.Healths, db.Listings, db.Notices, db.Sources},
		Audit: db.Events,
		Continuity: struct {
			postgres.DutyTable
			postgres.EventTable
			postgres.FailoverTable
			postgres.HealthTable
			postgres.SnapshotTable
		}{db.Duties, db.Events, db.FailoverTests, db.Healths, db.Snapshots},
		Endpoints: db.Endpoints,
		Drafts: struct {
			postgres.DraftTable
			postgres.EstateTable
		}{db.Drafts, db.Estates},
		Beside:       db.Drafts,
		FailedDrafts: db.Drafts,
		Drivers: struct {
			postgres.CheckupTable
			postgres.EndpointTable
			postgres.PackageTable
			postgres.PlaceTable
		}{db.Checkups, db.Endpoints, db.Packages, db.Places},
		Places:  db.Places,
		Updates: db.Updates,
		Keepers: db.Keepers,
		Enrolment: struct {
			postgres.EnrolmentTable
			postgres.EventTable
		}{db.Enrolments, db.Events},
		Pairs: db.Enrolments,
		Factors: struct {
			postgres.EventTable
			postgres.FactorTable
		}{db.Events, db.Factors},
		Fleet: db.Endpoints,
		Identity: struct {
			postgres.AccountTable
			postgres.EventTable
			postgres.SourceTable
		}{db.Accounts, db.Events, db.Sources},
		Tokens: db.Tokens,
		Jobs: struct {
			postgres.EventTable
			postgres.HealthTable
		}{db.Events, db.Healths},
		Printing: db.Jobs,
		Sending:  db.Jobs,
		Lineups: struct {
			postgres.EndpointTable
			postgres.EstateTable
		}{db.Endpoints, db.Estates},
		Links: struct {
			postgres.EndpointTable
			postgres.LinkTable
		}{db.Endpoints, db.Links},
		Once: db.Once,
		People: struct {
			postgres.EndpointTable
			postgres.EstateTable
			postgres.PersonTable
			postgres.PickTable
			postgres.RequestTable
		}{db.Endpoints, db.Estates, db.Persons, db.Picks, db.Requests},
		Proofs: struct {
			postgres.CheckupTable
			postgres.EndpointTable
			postgres.EnrolmentTable
			postgres.EstateTable
		}{db.Checkups, db.Endpoints, db.Enrolments, db.Estates},
		Secrets: db.Credentials,
		Snapshots: struct {
			postgres.EndpointTable
			postgres.SnapshotTable
		}{db.Endpoints, db.Snapshots},
		Sources: struct {
			postgres.DirectoryTable
			postgres.SourceTable
		}{db.Directories, db.Sources},
		Stock: struct {
			postgres.EventTable
			postgres.ScanTable
			postgres.StockTable
		}{db.Events, db.Scans, db.Stock},
		Views: db.Views,
		Uses:  db.Uses,
	}
}
