// Package backup saves an installation into a folder and restores it from
// there: its database, by PostgreSQL's own pg_dump and pg_restore, its secret,
// and what its bench saved of phones. Exchange (store/exchange) is something
// else: a catalogue for other installations, without people's secrets.
package backup
