// Package worker does what an installation does by itself, whether anybody asks
// for anything over HTTP or not: it brings the database up to date, hands the
// installation's events to whoever watches, offers the phones of the computer
// that it runs on, writes down what comes of jobs and of runs, ends those of
// benches that have gone, and counts coverage. Several on one database are
// fine.
package worker
