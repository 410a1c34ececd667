// Package cluster breaks an installation of several machines on purpose: two
// servers behind HAProxy, a primary and two replicas, a pooler before each, as
// packaging/cluster sets them up. While technicians, benches and the public use
// it, each part is killed in its turn. Nothing that was accepted may be lost and
// nobody be signed out; the longest that anybody had to wait is told by fault.
// Short in the tests, as long as one likes by scripts/faults.
package cluster
